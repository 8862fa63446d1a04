"""Codebooks, reference lists and pair lists from the tables that stewards keep, and lists from SKOS."""

from __future__ import annotations

import os
from collections.abc import Mapping, Sequence
from pathlib import Path

import pyarrow as pa

from igual.core import lists as core
from igual.core.codes import Coded
from igual.core.errors import IgualError, ListError, did_you_mean, said_of
from igual.files.skos import SKOS_ENDINGS, read_concepts, write_concepts
from igual.files.sources import existing_file
from igual.files.tables import read_table

ALIAS_SEPARATOR = "|"
Columns = Mapping[str, list[str]]
_FIRST, _LAST, _SINCE, _UNTIL = "code_first", "code_last", "valid_from", "valid_to"


class Codebook(core.Codebook):
    __doc__ = core.Codebook.__doc__

    @classmethod
    def load(
        cls, path: str | os.PathLike[str], *, encoding: str | None = None, language: str | None = None
    ) -> Codebook:
        """Read a codebook from a table file (.csv, .xlsx, .parquet) with the columns `code` and `label`, in order.

        Further columns whose names start with `code` hold other codes of the same label. A range of numbers stands in
        `code_first` and `code_last`; `valid_from` and `valid_to` say on which days a row holds. Other columns are left
        alone. From SKOS (.ttl, .jsonld) notations are the codes and preferred labels the labels, in `language`.
        Raises ListError that names the row (the header is row 1) of a repeated code or a missing label.
        """
        return load_codebook(path, encoding, language)

    @classmethod
    def from_sql(cls, url: str, query: str) -> Codebook:
        """Read a codebook from what a query gives, with columns as for `load`; see `ReferenceList.from_sql`."""
        from igual.files.databases import queried

        return codebook_of(queried(url, query), "the query")


class ReferenceList(core.ReferenceList):
    __doc__ = core.ReferenceList.__doc__

    @classmethod
    def load(
        cls, path: str | os.PathLike[str], *, encoding: str | None = None, language: str | None = None
    ) -> ReferenceList:
        """Read a reference list from a table file with the column `value`, perhaps `alias`, and attributes.

        Several aliases of an entry stand in one cell, parted by `|`. A table file is .csv, .xlsx or .parquet. From SKOS
        (.ttl, .jsonld; wants the extra `skos`) preferred labels are the entries, alternative and hidden ones their
        aliases, in `language` or in none; uri, notation, broader and hidden are attributes. Raises ListError that
        names the row (the header is row 1) of a repeated or blank entry or alias.
        """
        return load_reference_list(path, encoding, language)

    @classmethod
    def from_sql(cls, url: str, query: str) -> ReferenceList:
        """Read a reference list from what a query gives, with columns as for `load`; wants the extra `sql`.

        url: of the database, as SQLAlchemy writes it; it is never printed or kept. The query only reads.
        """
        from igual.files.databases import queried

        return reference_list_of(queried(url, query), "the query")

    def save_skos(self, path: str | os.PathLike[str], *, language: str | None = None) -> None:
        """Write the list as SKOS, Turtle or JSON-LD by the ending of the name (.ttl, .jsonld).

        language: of the labels; None gives them none. What `load` reads from SKOS comes back the same.
        """
        write_concepts(self, path, language)


class PairList(core.PairList):
    __doc__ = core.PairList.__doc__

    @classmethod
    def load(cls, path: str | os.PathLike[str], *, encoding: str | None = None) -> PairList:
        """Read a pair list from a table file with the columns `from` and `to`.

        Other columns are left alone. Raises ListError that names the row (the header is row 1) of a text
        that stands twice or is empty.
        """
        return load_pair_list(path, encoding)


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
    with said_of(name, ListError):
        return PairList(pairs, file=str(path))


def load_codebook(
    path: str | os.PathLike[str], encoding: str | None = None, language: str | None = None
) -> Codebook:
    """See `Codebook.load`."""
    if Path(path).suffix.lower() in SKOS_ENDINGS:
        found = read_concepts(path, language)
        notations = found.attributes.get("notation", [None] * len(found.values))
        codes = {code: label for code, label in zip(notations, found.values, strict=True) if code}
        with said_of(Path(path).name, ListError):
            return Codebook(codes, file=str(path))
    columns, name = _columns(path, encoding)
    return codebook_of(columns, name, str(path))


def codebook_of(columns: Columns, name: str, file: str | None = None) -> Codebook:
    """A codebook of columns of texts. name: what messages call where they come from."""
    bounds = (_FIRST, _LAST)
    code_columns = [title for title in columns if title.startswith("code") and title not in bounds]
    ranged = all(title in columns for title in bounds)
    _needs(columns, ("label",) if ranged else ("code", "label"), name)
    labels: dict[str, str] = {}
    special: list[Coded] = []
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
            raise ListError(f"{name}, row {row}: a range of codes wants both {_FIRST!r} and {_LAST!r}")
        with said_of(f"{name}, row {row}", ListError):
            if first:
                special.append(Coded(first, label, last, since or None, until or None))
                core.Codebook({}, special[-1:])
            for code in dict.fromkeys(codes):
                if since or until:
                    special.append(Coded(code, label, None, since or None, until or None))
                    core.Codebook({}, special[-1:])
                elif code in rows:
                    raise ListError(f"code {code!r} stands in row {rows[code]} already")
                else:
                    labels[code], rows[code] = label, row
    with said_of(name, ListError):
        return Codebook(labels, tuple(special), file=file)


def load_reference_list(
    path: str | os.PathLike[str], encoding: str | None = None, language: str | None = None
) -> ReferenceList:
    """See `ReferenceList.load`."""
    if Path(path).suffix.lower() in SKOS_ENDINGS:
        found = read_concepts(path, language)
        return ReferenceList(found.values, found.aliases, found.attributes, file=str(path))
    columns, name = _columns(path, encoding)
    return reference_list_of(columns, name, str(path))


def reference_list_of(columns: Columns, name: str, file: str | None = None) -> ReferenceList:
    """A reference list of columns of texts. name: what messages call where they come from."""
    _needs(columns, ("value",), name)
    values: list[str] = []
    aliases: dict[str, Sequence[str]] = {}
    rows: dict[str, int] = {}
    kept: list[int] = []
    for place, value in enumerate(columns["value"]):
        row = place + 2
        if not any(column[place].strip() for column in columns.values()):
            continue
        if not value.strip():
            raise ListError(f"{name}, row {row}: there is no value")
        if value in rows:
            raise ListError(f"{name}, row {row}: value {value!r} stands in row {rows[value]} already")
        rows[value] = row
        values.append(value)
        kept.append(place)
        given = columns["alias"][place] if "alias" in columns else ""
        aliases[value] = [alias.strip() for alias in given.split(ALIAS_SEPARATOR) if alias.strip()]
    attributes = {
        title: [column[place] for place in kept]
        for title, column in columns.items()
        if title not in ("value", "alias")
    }
    with said_of(name, ListError):
        return ReferenceList(values, aliases, attributes, file=file)


def _columns(path: str | os.PathLike[str], encoding: str | None) -> tuple[Columns, str]:
    found = existing_file(path, ListError)
    try:
        table = read_table(found, encoding).table
    except IgualError as error:
        raise ListError(str(error)) from None
    names = table.column_names
    if len(set(names)) < len(names):
        twice = next(title for title in names if names.count(title) > 1)
        raise ListError(f"{found.name} has the column {twice!r} twice")
    return texts_of(table), found.name


def texts_of(table: pa.Table) -> dict[str, list[str]]:
    """The columns of a table as texts, nothing as an empty one."""
    return {title: [_text(cell) for cell in table[title].to_pylist()] for title in table.column_names}


def _needs(columns: Columns, needed: Sequence[str], name: str) -> None:
    for title in needed:
        if title not in columns:
            raise ListError(f"{name} has no column {title!r}{did_you_mean(title, columns)}")


def _text(cell: object) -> str:
    return "" if cell is None else str(cell)
