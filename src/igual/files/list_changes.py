"""New entries and aliases written back to the CSV of a reference list, which otherwise stays as it is."""

from __future__ import annotations

import contextlib
import csv
import io
from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import NamedTuple

import pyarrow as pa

from igual.errors import IgualError, ListError, did_you_mean
from igual.files.csv_rows import encode_csv
from igual.files.dialects import Dialect, establish
from igual.files.formats.text import read_csv
from igual.files.lists import ALIAS_SEPARATOR, build_reference_list, load_reference_list, texts_of
from igual.files.outputs import Outputs, outputs
from igual.files.quotes import csv_of_any_size
from igual.files.rulings import locked
from igual.files.tables import is_text_ending
from igual.lists import ReferenceList
from igual.report.wording import format_count, quote_value
from igual.runs.review import list_additions
from igual.runs.rulebook import Rulebook


class ListAdditions(NamedTuple):
    """What rulings propose for a list.

    Attributes:
        name: Of the list.
        file: Its file; None where it isn't kept in a text table.
        entries: New entries.
        aliases: Entry to new aliases.
        unfit: Aliases that a cell of aliases can't hold.
    """

    name: str
    file: Path | None
    entries: Sequence[str]
    aliases: Mapping[str, Sequence[str]]
    unfit: Sequence[str]


def find_additions(book: Rulebook) -> list[ListAdditions]:
    """Find what the rulings propose for the lists.

    Args:
        book: The rulebook.

    Returns:
        The additions to each list that has any.
    """
    wanted: dict[str, tuple[list[str], dict[str, list[str]]]] = {}
    for column in book.matched_columns():
        entries, aliases = list_additions(book.rulings, book, column)
        name = next(iter(book.lists_of(column)))
        known = wanted.setdefault(name, ([], {}))
        known[0].extend(entry for entry in entries if entry not in known[0])
        for entry, given in aliases.items():
            known[1].setdefault(entry, []).extend(given)
    additions = []
    for name, (entries, aliases) in wanted.items():
        if not entries and not aliases:
            continue
        file = book.lists[name].file
        is_kept = file is not None and is_text_ending(Path(file).suffix)
        unfit = [alias for given in aliases.values() for alias in given if not _fits_a_cell(alias)]
        fit = {entry: [alias for alias in given if _fits_a_cell(alias)] for entry, given in aliases.items()}
        fit = {entry: given for entry, given in fit.items() if given}
        additions.append(ListAdditions(name, Path(file) if file and is_kept else None, entries, fit, unfit))
    return additions


def with_additions(book: Rulebook, additions: Sequence[ListAdditions]) -> Rulebook:
    """Give a rulebook with the lists as they will be, to see what comes of it.

    Args:
        book: The rulebook.
        additions: What is added to its lists.

    Returns:
        The rulebook.
    """
    lists = dict(book.lists)
    for one in additions:
        known = lists[one.name]
        aliases = {
            entry: [*known.aliases.get(entry, ()), *one.aliases.get(entry, ())] for entry in known.values
        }
        aliases |= {entry: list(one.aliases.get(entry, ())) for entry in one.entries}
        attributes = {name: [*cells, *[None] * len(one.entries)] for name, cells in known.attributes.items()}
        lists[one.name] = replace(
            known, values=[*known.values, *one.entries], aliases=aliases, attributes=attributes
        )
    return replace(book, lists=lists)


def add_to_list_files(additions: Sequence[ListAdditions]) -> list[str]:
    """Write what the rulings propose to the lists' files, all of them or none.

    Args:
        additions: What is added.

    Returns:
        A line to say for each list. What can't be written (a list that isn't kept in a text table, an alias that a cell
        of aliases can't hold) is said, too.

    Raises:
        ListError: Where a list would contradict itself; then no list is changed.
    """
    said = []
    with contextlib.ExitStack() as stack:
        kept = [one for one in additions if one.file is not None and (one.entries or one.aliases)]
        # In one order, so that two reviews never wait for each other.
        for path in sorted({one.file.resolve() for one in kept if one.file is not None}):
            stack.enter_context(locked(path))
        staged = stack.enter_context(outputs())
        for one in additions:
            if one.file is None:
                aliases = [f"{alias} (for {entry})" for entry, some in one.aliases.items() for alias in some]
                named = ", ".join([*one.entries, *aliases])
                said.append(f"list {one.name!r} isn't kept in a CSV file; add there yourself: {named}")
                continue
            if one.unfit:
                said.append(
                    f"{one.file}: can't be kept among aliases: {', '.join(map(quote_value, one.unfit))}"
                )
            if one.entries or one.aliases:
                _add_to_list_file(staged, one.file, one.entries, one.aliases)
                number = sum(len(set(given)) for given in one.aliases.values())
                new = (
                    format_count(len(one.entries), "new entry", "new entries"),
                    format_count(number, "new alias", "new aliases"),
                )
                said.append(f"{one.file}: {' and '.join(new)}")
    return said or ["The rulings propose nothing that the lists don't have."]


def _fits_a_cell(alias: str) -> bool:
    """Whether an alias comes back as it is from a cell that holds several."""
    return ALIAS_SEPARATOR not in alias and alias == alias.strip()


def _add_to_list_file(
    staged: Outputs, path: Path, entries: Sequence[str], aliases: Mapping[str, Sequence[str]]
) -> None:
    """Add entries at the end of a list's file and aliases to their entries' rows; all other lines stay.

    Raises:
        ListError: Where aliases are to be added and the file has no column for them, and where the list would
            contradict itself; then nothing is changed.
    """
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
