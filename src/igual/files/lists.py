"""Codebooks, reference lists and pair lists from the tables that stewards keep, and lists from SKOS."""

from __future__ import annotations

import os
from collections import Counter
from collections.abc import Mapping, Sequence
from typing import Any

import pyarrow as pa

from igual.column import Column
from igual.engines import open_table
from igual.errors import IgualError, ListError, TableError, error_context
from igual.files.skos import SKOS_ENDINGS, read_concepts
from igual.files.sources import existing_file, to_path
from igual.files.tables import read_table
from igual.lists import Codebook, CodeMeaning, PairList, ReferenceList
from igual.lists.codes import check_codes
from igual.text.cells import read_cells
from igual.text.plain_types import decode_dictionary, join_chunks

ALIAS_SEPARATOR = "|"
Columns = Mapping[str, list[str]]
# What columns hold that must be there.
_HELD = {
    "value": "the entries", "code": "the codes", "label": "the labels", "from": "what is sought",
    "to": "what is put in its place",
}  # fmt: skip
_FIRST, _LAST, _SINCE, _UNTIL = "code_first", "code_last", "valid_from", "valid_to"


def load_pair_list(path: str | os.PathLike[str], encoding: str | None = None) -> PairList:
    """See `PairList.load`."""
    columns, name = _columns(path, encoding)
    _needs(columns, ("from", "to"), name)
    pairs: dict[str, str] = {}
    rows: dict[str, int] = {}
    for row, (sought, given) in enumerate(zip(columns["from"], columns["to"], strict=True), 2):
        if not sought and not given:
            continue
        if not sought:
            raise ListError(f"{name}, row {row}: there is no text to look for")
        if sought in rows:
            raise ListError(f"{name}, row {row}: {sought!r} stands in row {rows[sought]} already")
        pairs[sought], rows[sought] = given, row
    with error_context(name, ListError):
        return PairList(pairs, file=str(path))


def load_codebook(
    path: str | os.PathLike[str], encoding: str | None = None, language: str | None = None
) -> Codebook:
    """See `Codebook.load`."""
    if to_path(path, ListError).suffix.lower() in SKOS_ENDINGS:
        concepts = read_concepts(path, language)
        notations = concepts.attributes.get("notation", [None] * len(concepts.values))
        codes = {code: label for code, label in zip(notations, concepts.values, strict=True) if code}
        with error_context(to_path(path).name, ListError):
            return Codebook(codes, file=str(path))
    columns, name = _columns(path, encoding)
    return build_codebook(columns, name, str(path))


def build_codebook(columns: Columns, name: str, file: str | None = None) -> Codebook:
    """A codebook of columns of texts. name: what messages call where they come from."""
    bounds = (_FIRST, _LAST)
    code_columns = [title for title in columns if title.startswith("code") and title not in bounds]
    ranged = all(title in columns for title in bounds)
    _needs(columns, ("label",) if ranged else ("code", "label"), name)
    labels: dict[str, str] = {}
    special: list[CodeMeaning] = []
    rows: dict[str, int] = {}

    def cell(title: str, place: int) -> str:
        return columns[title][place] if title in columns else ""

    for place, label in enumerate(columns["label"]):
        row = place + 2
        codes = [code for title in code_columns if (code := cell(title, place)).strip()]
        first, last, since, until = (cell(title, place).strip() for title in (_FIRST, _LAST, _SINCE, _UNTIL))
        if not (codes or label.strip() or first or last):
            continue  # an empty line, as spreadsheets leave them
        if not (codes or first or last):
            raise ListError(f"{name}, row {row}: label {label!r} has no code")
        if not label.strip():
            raise ListError(f"{name}, row {row}: code {(codes or [first])[0]!r} has no label")
        if bool(first) != bool(last):
            raise ListError(f"{name}, row {row}: a range of codes needs both {_FIRST!r} and {_LAST!r}")
        limits = since or None, until or None
        meanings = [CodeMeaning(first, label, last, *limits)] if first else []
        if since or until:
            meanings += [CodeMeaning(code, label, None, *limits) for code in dict.fromkeys(codes)]
        else:
            for code in dict.fromkeys(codes):
                if code in rows:
                    raise ListError(f"{name}, row {row}: code {code!r} stands in row {rows[code]} already")
                labels[code], rows[code] = label, row
        if meanings:
            with error_context(f"{name}, row {row}", ListError):
                check_codes(meanings)
            special += meanings
    with error_context(name, ListError):
        return Codebook(labels, tuple(special), file=file)


def load_reference_list(
    path: str | os.PathLike[str], encoding: str | None = None, language: str | None = None
) -> ReferenceList:
    """See `ReferenceList.load`."""
    if to_path(path, ListError).suffix.lower() in SKOS_ENDINGS:
        concepts = read_concepts(path, language)
        return ReferenceList(concepts.values, concepts.aliases, concepts.attributes, file=str(path))
    columns, name = _columns(path, encoding)
    return build_reference_list(columns, name, str(path))


def build_reference_list(columns: Columns, name: str, file: str | None = None) -> ReferenceList:
    """A reference list of columns of texts. name: what messages call where they come from."""
    _needs(columns, ("value",), name)
    values: list[str] = []
    aliases: dict[str, Sequence[str]] = {}
    rows: dict[str, int] = {}
    kept: list[int] = []
    given_aliases = columns.get("alias")
    for place, value in enumerate(columns["value"]):
        row = place + 2
        if not value.strip():
            if not any(column[place].strip() for column in columns.values()):
                continue
            raise ListError(f"{name}, row {row}: there is no value")
        if value in rows:
            raise ListError(f"{name}, row {row}: value {value!r} stands in row {rows[value]} already")
        rows[value] = row
        values.append(value)
        kept.append(place)
        if given := given_aliases[place] if given_aliases else "":
            aliases[value] = tuple(filter(None, map(str.strip, given.split(ALIAS_SEPARATOR))))
    attributes = {
        title: [column[place] for place in kept]
        for title, column in columns.items()
        if title not in ("value", "alias")
    }
    with error_context(name, ListError):
        return ReferenceList(values, aliases, attributes, file=file)


def read_reference_table(table: Any) -> ReferenceList:
    """Read a reference list from a table in memory, with columns as for `ReferenceList.load`.

    Args:
        table: A table of any kind whose rows are held.

    Returns:
        The list.

    Raises:
        ListError: As for `ReferenceList.load`.
    """
    try:
        source = open_table(table)
        columns = {name: _list_texts(source.column(name)) for name in source.names}
    except TableError as error:
        raise ListError(str(error)) from None
    if len(columns) < len(source.names):
        twice = next(name for name, times in Counter(source.names).items() if times > 1)
        raise ListError(f"the table has the column {twice!r} twice")
    return build_reference_list(columns, "the table")


def _list_texts(column: Column) -> list[str]:
    texts: list[str] = column.decode(column.values.fill_null("")).to_pylist()
    return texts


def query_codebook(url: str, query: str) -> Codebook:
    """Read a codebook from what a query gives; see `Codebook.from_sql`."""
    from igual.files.queries import run_query

    return build_codebook(run_query(url, query), "the query")


def query_reference_list(url: str, query: str) -> ReferenceList:
    """Read a reference list from what a query gives; see `ReferenceList.from_sql`."""
    from igual.files.queries import run_query

    return build_reference_list(run_query(url, query), "the query")


def _columns(path: str | os.PathLike[str], encoding: str | None) -> tuple[Columns, str]:
    existing = existing_file(path, ListError)
    try:
        table = read_table(existing, encoding)
    except IgualError as error:
        raise ListError(str(error)) from None
    names = table.column_names
    if twice := [title for title, times in Counter(names).items() if times > 1]:
        raise ListError(f"{existing.name} has the column {twice[0]!r} twice")
    return texts_of(table), existing.name


def texts_of(table: pa.Table) -> dict[str, list[str]]:
    """The columns of a table as texts, nothing as an empty one."""
    return {title: _read_texts(table[title]) for title in table.column_names}


def _needs(columns: Columns, needed: Sequence[str], name: str) -> None:
    for title in needed:
        if title not in columns:
            error = ListError.from_missing(name, "column", title, columns)
            error.args = (f"{error} (the column of {_HELD[title]} is called {title!r})",)
            raise error


def _read_texts(column: pa.ChunkedArray) -> list[str]:
    """The cells as the values of a table are read: a code that is 1.0 in a column of numbers is 1."""
    cells = join_chunks(column)
    if pa.types.is_dictionary(cells.type):
        cells = decode_dictionary(cells)
    texts: list[str] = read_cells(cells).values.fill_null("").to_pylist()
    return texts
