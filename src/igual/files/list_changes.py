"""New entries and aliases written back to the CSV of a reference list, which otherwise stays as it is."""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping, Sequence
from pathlib import Path

import pyarrow as pa

from igual.errors import IgualError, ListError, did_you_mean
from igual.files.csv_rows import encode_csv
from igual.files.dialects import Dialect, establish
from igual.files.formats.text import read_csv
from igual.files.lists import ALIAS_SEPARATOR, build_reference_list, load_reference_list, texts_of
from igual.files.outputs import outputs
from igual.files.quotes import csv_of_any_size
from igual.files.rulings import locked
from igual.files.tables import is_text_ending
from igual.lists import ReferenceList
from igual.report.wording import format_count, quote_value
from igual.runs.review import list_additions
from igual.runs.rulebook import Rulebook


def add_to_list_files(book: Rulebook) -> list[str]:
    """Write what the rulings propose to the lists' files; gives a line to say for each list that has any.

    What can't be written (a list that isn't kept in a text table, an alias that a cell of aliases can't hold) is
    said, too.

    Raises:
        ListError: Where a list would contradict itself.
    """
    wanted: dict[str, tuple[list[str], dict[str, list[str]]]] = {}
    for column in book.matched_columns():
        entries, aliases = list_additions(book.rulings, book, column)
        name = next(iter(book.lists_of(column)))
        known = wanted.setdefault(name, ([], {}))
        known[0].extend(entry for entry in entries if entry not in known[0])
        for entry, given in aliases.items():
            known[1].setdefault(entry, []).extend(given)
    said = []
    for name, (entries, aliases) in wanted.items():
        if not entries and not aliases:
            continue
        file = book.lists[name].file
        if file is None or not is_text_ending(Path(file).suffix):
            said.append(
                f"list {name!r} isn't kept in a CSV file; add there yourself: "
                + ", ".join([*entries, *(f"{a} (for {e})" for e, some in aliases.items() for a in some)])
            )
            continue
        unfit = [alias for given in aliases.values() for alias in given if not _fits_a_cell(alias)]
        if unfit:
            said.append(f"{file}: can't be kept among aliases: {', '.join(map(quote_value, unfit))}")
        fit = {entry: [alias for alias in given if _fits_a_cell(alias)] for entry, given in aliases.items()}
        aliases = {entry: given for entry, given in fit.items() if given}
        if not entries and not aliases:
            continue
        add_to_list_file(Path(file), entries, aliases)
        number = sum(len(set(given)) for given in aliases.values())
        new = (
            format_count(len(entries), "new entry", "new entries"),
            format_count(number, "new alias", "new aliases"),
        )
        said.append(f"{file}: {' and '.join(new)}")
    return said or ["The rulings propose nothing that the lists don't have."]


def _fits_a_cell(alias: str) -> bool:
    """Whether an alias comes back as it is from a cell that holds several."""
    return ALIAS_SEPARATOR not in alias and alias == alias.strip()


def add_to_list_file(path: Path, entries: Sequence[str], aliases: Mapping[str, Sequence[str]]) -> None:
    """Add entries at the end of a list's file and aliases to their entries' rows; all other lines stay.

    Raises:
        ListError: Where aliases are to be added and the file has no column for them, and where the list would
            contradict itself; then nothing is changed.
    """
    with locked(path):
        dialect = establish(path)
        known = load_reference_list(path)
        text = path.read_bytes().decode(dialect.encoding)
        mark = "\ufeff" if text.startswith("\ufeff") else ""
        lines = _split_records(text.removeprefix(mark), dialect)
        end = "\r\n" if dialect.line_end == "\r\n" else "\n"
        rest = {entry: list(dict.fromkeys(given)) for entry, given in aliases.items()}
        if rest and "alias" not in dialect.header:
            raise ListError(f"{path.name} has no column 'alias'{did_you_mean('alias', dialect.header)}")
        value_at = dialect.header.index("value")
        alias_at = dialect.header.index("alias") if "alias" in dialect.header else None
        for number, (line, cells) in enumerate(lines):
            if (
                alias_at is not None
                and number > dialect.skipped_lines
                and len(cells) > value_at
                and cells[value_at] in rest
            ):
                padded = cells + [""] * (len(dialect.header) - len(cells))
                given = [*filter(None, [padded[alias_at]]), *rest.pop(cells[value_at])]
                padded[alias_at] = ALIAS_SEPARATOR.join(given)
                lines[number] = (_write_row(padded, dialect, line[len(line.rstrip("\r\n")) :]), padded)
        made = [line for line, _ in lines]
        if made and not made[-1].endswith(("\n", "\r")):
            made[-1] += end
        for entry in entries:
            cells = [""] * len(dialect.header)
            cells[value_at] = entry
            if alias_at is not None and entry in rest:
                cells[alias_at] = ALIAS_SEPARATOR.join(rest.pop(entry))
            made.append(_write_row(cells, dialect, end))
        try:
            content = f"{mark}{''.join(made)}".encode(dialect.encoding)
        except UnicodeEncodeError as error:
            lacking = quote_value(error.object[error.start])
            raise ListError(
                f"{path.name} is {dialect.encoding}, which has no {lacking}; save it as UTF-8 first"
            ) from None
        with outputs() as staged:
            place = staged.place(path)
            place.write_bytes(content)
            _check_change(path, place, dialect, known, entries, aliases)


def _check_change(
    path: Path,
    place: Path,
    dialect: Dialect,
    known: ReferenceList,
    entries: Sequence[str],
    aliases: Mapping[str, Sequence[str]],
) -> None:
    """Raise ListError unless what would be written reads back as the old list and the change."""
    try:
        now = build_reference_list(texts_of(read_csv(place, dialect)[0]), path.name)
    except IgualError as error:
        raise ListError(f"with what is to be added, {error}".replace(place.name, path.name)) from None
    values = [*known.values, *entries]
    wanted = {
        value: [*dict.fromkeys([*known.aliases.get(value, ()), *aliases.get(value, ())])] for value in values
    }
    kept = all(
        list(column) == [*known.attributes[name], *[""] * len(entries)]
        for name, column in now.attributes.items()
    )
    if list(now.values) != values or {v: list(now.aliases.get(v, ())) for v in values} != wanted or not kept:
        raise ListError(
            f"{path.name} can't be changed so that everything else in it stays; add there yourself: "
            + ", ".join(
                map(quote_value, [*entries, *(alias for given in aliases.values() for alias in given)])
            )
        )


def _split_records(text: str, dialect: Dialect) -> list[tuple[str, list[str]]]:
    """A text table's rows as they stand, line breaks in quoted cells among them, and their cells."""
    physical = io.StringIO(text, newline="").readlines()
    reader = csv.reader(physical, delimiter=dialect.delimiter)
    records, done = [], 0
    with csv_of_any_size():
        for cells in reader:
            records.append(("".join(physical[done : reader.line_num]), cells))
            done = reader.line_num
    return records


def _write_row(cells: Sequence[str], dialect: Dialect, end: str) -> str:
    """A row as it stands in the file, with cells quoted where they must be."""
    names = [str(place) for place in range(len(cells))]
    table = pa.table([pa.array([cell]) for cell in cells], names=names)
    _, row = b"".join(encode_csv(table, dialect.delimiter)).decode().split("\n", 1)
    return row.removesuffix("\n") + end
