"""Arrow IPC (.arrow, .feather): files and streams of record batches."""

from __future__ import annotations

import contextlib
import shutil
import tempfile
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import IO, Any, NoReturn

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from igual.errors import OutputError, TableError
from igual.files.formats.base import (
    BatchPart,
    CleanPart,
    Format,
    OpenedTable,
    ReadOptions,
    TablePart,
    TextStyle,
    Writer,
    cast_rows,
    join_batches,
)
from igual.files.outputs import folder_of
from igual.files.sources import Readable, open_for_arrow
from igual.text.plain_types import holds_type, spell_out

_MAGIC = b"ARROW1"
# So often a file is written anew, at most, for dictionaries that were empty.
_MOST_OFTEN = 4


class _CodesTooNarrowError(Exception):
    """The dictionaries of all batches together have more words than codes of their width can tell apart."""


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
    """A file whose dictionaries only grow: another one for each batch is what the form for files doesn't allow.

    Codes keep their width as long as it is enough for the dictionaries of all batches together. Where it isn't, or
    where a dictionary was empty, which Arrow lets no more grow, what was written is written anew.
    """

    def __init__(self, file: IO[bytes], schema: pa.Schema) -> None:
        self._file = file
        self._words: dict[int, pa.Array] = {}
        self._written_anew = 0
        self._begin(schema)

    def _begin(self, schema: pa.Schema) -> None:
        self._schema = schema
        options = pa.ipc.IpcWriteOptions(unify_dictionaries=False, emit_dictionary_deltas=True)
        self._writer = pa.ipc.new_file(pa.PythonFile(self._file, "w"), schema, options=options)

    def prepare(self, clean: CleanPart) -> Any:
        """Give the rows."""
        return cast_rows(clean.table(), self._schema)

    def write(self, prepared: Any) -> None:
        """Write rows."""
        for batch in prepared.to_batches():
            try:
                self._write(batch)
            except _CodesTooNarrowError:
                self._write_anew(
                    pa.schema([*map(_with_wide_codes, self._schema)], self._schema.metadata), batch
                )
            except (pa.ArrowInvalid, pa.ArrowNotImplementedError) as error:
                if self._written_anew > _MOST_OFTEN:
                    self._refuse_words(error)
                self._write_anew(self._schema, batch)

    def _write_anew(self, schema: pa.Schema, batch: pa.RecordBatch) -> None:
        self._written_anew += 1
        if self._written_anew == _MOST_OFTEN:
            # A missing word is one that others can stand behind.
            for place, words in self._words.items():
                if not len(words) and not _has_inner_words(schema.field(place).type):
                    self._words[place] = pa.nulls(1, words.type)
        self._writer.close()
        self._file.flush()
        path = Path(self._file.name)
        with path.open("rb") as written, tempfile.TemporaryFile(dir=folder_of(path)) as kept:
            shutil.copyfileobj(written, kept)
            self._file.seek(0)
            self._file.truncate()
            self._begin(schema)
            reader = pa.ipc.open_file(pa.PythonFile(kept, "r"))
            try:
                for at in range(reader.num_record_batches):
                    self._write(reader.get_batch(at))
                self._write(batch)
            except (pa.ArrowInvalid, pa.ArrowNotImplementedError) as error:
                self._refuse_words(error)

    def _write(self, batch: pa.RecordBatch) -> None:
        # What was prepared before codes got wider has narrow ones.
        rows = cast_rows(pa.Table.from_batches([batch]), self._schema)
        columns = [self._with_all_words(place, column.chunk(0)) for place, column in enumerate(rows.columns)]
        self._writer.write_batch(pa.RecordBatch.from_arrays(columns, schema=self._schema))

    def _refuse_words(self, error: Exception) -> NoReturn:
        for field in self._schema:
            if _has_inner_words(field.type):
                raise OutputError(
                    f"the dictionaries inside column {field.name!r} can't be joined for an Arrow file "
                    f"({str(error).splitlines()[0]}); write Parquet"
                ) from None
        raise error

    def _with_all_words(self, place: int, column: pa.Array) -> pa.Array:
        """The same values, by the dictionary of the batches before and what is new in this one behind it."""
        kind = column.type
        if not pa.types.is_dictionary(kind):
            return self._with_inner_words(place, column) if _has_inner_words(kind) else column
        words = self._words.setdefault(place, column.dictionary)
        if words.equals(column.dictionary):
            return column
        places = _look_up(column.dictionary, words)
        is_new = places < 0
        places[is_new] = len(words) + np.arange(is_new.sum())
        new = column.dictionary if is_new.all() else column.dictionary.filter(pa.array(is_new))
        if len(words) + len(new) > np.iinfo(kind.index_type.to_pandas_dtype()).max + 1:
            raise _CodesTooNarrowError
        self._words[place] = pa.concat_arrays([words, new])
        codes = pa.array(places).take(column.indices).cast(kind.index_type)
        return pa.DictionaryArray.from_arrays(codes, self._words[place], ordered=kind.ordered)

    def _with_inner_words(self, place: int, column: pa.Array) -> pa.Array:
        """The same for dictionaries inside structs and lists, as far as Arrow can do it."""
        if holds_type(column.type, pa.types.is_float16):
            # Arrow joins words of half a float to other words than they were.
            return column
        before = self._words.get(place)
        joined = _join_inner(before, column)
        if joined is None:
            # Arrow joins no dictionaries with missing words; texts that are cast have none.
            with contextlib.suppress(pa.ArrowInvalid, pa.ArrowNotImplementedError):
                joined = _join_inner(before, spell_out(column).cast(column.type))
        column = column if joined is None else joined
        self._words[place] = column[:0]
        return column

    def close(self) -> None:
        """Write the end."""
        self._writer.close()


def _join_inner(before: pa.Array | None, column: pa.Array) -> pa.Array | None:
    """The column by the dictionaries of what came before and what is new; None where Arrow can't join them."""
    with contextlib.suppress(pa.ArrowInvalid, pa.ArrowNotImplementedError):
        chunks = [column[:0] if before is None else before, column]
        return pa.chunked_array(chunks).unify_dictionaries().chunk(1)
    return None


def _look_up(sought: pa.Array, words: pa.Array) -> npt.NDArray[np.int64]:
    """Where each stands among the words; -1 for new ones, and for all of a type that Arrow doesn't look up."""
    try:
        places = pc.index_in(sought, words).fill_null(-1)
    except pa.ArrowNotImplementedError:
        return np.full(len(sought), -1)
    return places.to_numpy(zero_copy_only=False).astype(np.int64)  # type: ignore[no-any-return]


def _has_inner_words(kind: pa.DataType) -> bool:
    inner = kind.value_type if pa.types.is_dictionary(kind) else kind
    return holds_type(inner, pa.types.is_dictionary)


def _with_wide_codes(field: pa.Field) -> pa.Field:
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
