"""Arrow IPC (.arrow, .feather): files and streams of record batches."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import IO, Any

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from igual.errors import TableError
from igual.files.formats.base import (
    BatchPart,
    CleanPart,
    Format,
    OpenedTable,
    ReadOptions,
    TablePart,
    TextStyle,
    Writer,
    join_batches,
)
from igual.files.sources import Readable, open_for_arrow

_MAGIC = b"ARROW1"


class IpcFormat:
    """Arrow IPC, which Feather (version 2) is too."""

    endings = (".arrow", ".feather", ".ipc")
    is_text = False
    is_packable = False

    def open(self, path: Readable, options: ReadOptions) -> OpenedTable:
        """Read the schema."""
        assert isinstance(path, Path)
        schema = _open(path)[0]

        def parts(places: Sequence[int] | None, size: int) -> Iterator[TablePart]:
            yield from map(BatchPart, join_batches(_open(path)[1]))

        return OpenedTable(path, schema, parts, has_same_parts=True)

    def begin(self, file: IO[bytes], schema: pa.Schema, ending: str, style: TextStyle) -> Writer:
        """Begin a file; what was read from a text table are texts, however they are held here."""
        is_plain = style.like is not None
        fields = [_as_text(field) if is_plain else field for field in schema]
        return _IpcWriter(file, pa.schema(fields, schema.metadata))


def _as_text(field: pa.Field) -> pa.Field:
    return (
        field.with_type(pa.string())
        if pa.types.is_dictionary(field.type) and not field.type.ordered
        else field
    )


class _IpcWriter:
    """A file whose dictionaries only grow: another one for each batch is what the form for files doesn't allow."""

    def __init__(self, file: IO[bytes], schema: pa.Schema) -> None:
        self._schema = pa.schema([_with_wide_codes(field) for field in schema], schema.metadata)
        self._words: dict[int, pa.Array] = {}
        options = pa.ipc.IpcWriteOptions(unify_dictionaries=False, emit_dictionary_deltas=True)
        self._writer = pa.ipc.new_file(pa.PythonFile(file, "w"), self._schema, options=options)

    def prepare(self, clean: CleanPart) -> Any:
        """Give the rows."""
        return clean.table().cast(self._schema)

    def write(self, prepared: Any) -> None:
        """Write rows."""
        for batch in prepared.to_batches():
            columns = [
                self._with_all_words(place, column) if pa.types.is_dictionary(column.type) else column
                for place, column in enumerate(batch.columns)
            ]
            self._writer.write_batch(pa.RecordBatch.from_arrays(columns, schema=self._schema))

    def _with_all_words(self, place: int, column: pa.DictionaryArray) -> pa.DictionaryArray:
        """The same values, by the dictionary of the batches before and what is new in this one behind it."""
        words = self._words.setdefault(place, column.dictionary)
        if words.equals(column.dictionary):
            return column
        places = _look_up(column.dictionary, words)
        is_new = places < 0
        places[is_new] = len(words) + np.arange(is_new.sum())
        new = column.dictionary if is_new.all() else column.dictionary.filter(pa.array(is_new))
        self._words[place] = pa.concat_arrays([words, new])
        kind = column.type
        codes = pa.array(places).take(column.indices).cast(kind.index_type)
        return pa.DictionaryArray.from_arrays(codes, self._words[place], ordered=kind.ordered)

    def close(self) -> None:
        """Write the end."""
        self._writer.close()


def _look_up(sought: pa.Array, words: pa.Array) -> npt.NDArray[np.int64]:
    """Where each stands among the words; -1 for new ones, and for all of a type that Arrow doesn't look up."""
    try:
        places = pc.index_in(sought, words).fill_null(-1)
    except pa.ArrowNotImplementedError:
        return np.full(len(sought), -1)
    return places.to_numpy(zero_copy_only=False).astype(np.int64)  # type: ignore[no-any-return]


def _with_wide_codes(field: pa.Field) -> pa.Field:
    """Codes of 8 or 16 bits may be too few for the dictionaries of all batches together."""
    kind = field.type
    if not pa.types.is_dictionary(kind) or kind.index_type.bit_width >= 32:
        return field
    return field.with_type(pa.dictionary(pa.int32(), kind.value_type, kind.ordered))


def _open(path: Path) -> tuple[pa.Schema, Iterator[pa.RecordBatch]]:
    file = open_for_arrow(path)
    try:
        if file.read(len(_MAGIC)) == _MAGIC:
            reader = pa.ipc.open_file(open_for_arrow(path))
            return reader.schema, (reader.get_batch(at) for at in range(reader.num_record_batches))
        stream = pa.ipc.open_stream(open_for_arrow(path))
        return stream.schema, iter(stream)
    except pa.ArrowInvalid as error:
        raise TableError(
            f"{path.name} is not an Arrow file (or Feather, version 2), or is damaged: {str(error).splitlines()[0]}"
        ) from None


FORMAT: Format = IpcFormat()
