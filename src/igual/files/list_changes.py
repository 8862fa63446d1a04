"""New entries and aliases written back to the CSV of a reference list, which otherwise stays as it is."""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping, Sequence
from pathlib import Path

from igual.errors import ListError, did_you_mean
from igual.files.dialects import establish
from igual.files.lists import ALIAS_SEPARATOR, load_reference_list
from igual.files.outputs import outputs
from igual.files.rulings import locked
from igual.files.tables import is_text_ending
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
        text = path.read_bytes().decode(dialect.encoding)
        lines = _records(text)
        header = [cell.lstrip("\ufeff") for cell in next(csv.reader([lines[0]], delimiter=dialect.delimiter))]
        if aliases and "alias" not in header:
            raise ListError(f"{path.name} has no column 'alias'{did_you_mean('alias', header)}")
        end = "\r\n" if lines[0].endswith("\r\n") else "\n"
        rest = {entry: list(dict.fromkeys(given)) for entry, given in aliases.items()}
        for number, line in enumerate(lines[1:], 1):
            cells = next(csv.reader(io.StringIO(line, newline=""), delimiter=dialect.delimiter), [])
            value = cells[header.index("value")] if len(cells) > header.index("value") else ""
            if value in rest:
                cells += [""] * (len(header) - len(cells))
                place = header.index("alias")
                cells[place] = ALIAS_SEPARATOR.join([*filter(None, [cells[place]]), *rest.pop(value)])
                lines[number] = _line(cells, dialect.delimiter, _end_of(line))
        if not lines[-1].endswith(("\n", "\r")):
            lines[-1] += end
        for entry in entries:
            cells = [""] * len(header)
            cells[header.index("value")] = entry
            if entry in rest:
                cells[header.index("alias")] = ALIAS_SEPARATOR.join(rest.pop(entry))
            lines.append(_line(cells, dialect.delimiter, end))
        with outputs() as staged:
            place_for = staged.place(path)
            place_for.write_bytes("".join(lines).encode(dialect.encoding))
            checked = place_for.with_name(f"{place_for.name}{path.suffix}")
            try:
                checked.write_bytes(place_for.read_bytes())
                load_reference_list(checked, dialect.encoding)
            except ListError as error:
                raise ListError(
                    f"with what is to be added, {error}".replace(checked.name, path.name)
                ) from None
            finally:
                checked.unlink(missing_ok=True)


def _records(text: str) -> list[str]:
    """A text table's lines as they stand, a quoted cell's line breaks among them."""
    records, start, is_quoted = [], 0, False
    for place, character in enumerate(text):
        if character == '"':
            is_quoted = not is_quoted
        elif character == "\n" and not is_quoted:
            records.append(text[start : place + 1])
            start = place + 1
    return [*records, text[start:]] if start < len(text) else records


def _end_of(line: str) -> str:
    return line[len(line.rstrip("\r\n")) :]


def _line(cells: Sequence[str], delimiter: str, end: str) -> str:
    text = io.StringIO()
    csv.writer(text, delimiter=delimiter, lineterminator=end).writerow(cells)
    return text.getvalue()
