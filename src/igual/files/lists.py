"""Codebooks and reference lists from the CSV files that stewards keep."""

from __future__ import annotations

import os
from collections.abc import Mapping, Sequence

from igual.core import lists as core
from igual.core.errors import IgualError, ListError, did_you_mean, said_of
from igual.files.sources import existing_file
from igual.files.tables import read_table

ALIAS_SEPARATOR = "|"


class Codebook(core.Codebook):
    __doc__ = core.Codebook.__doc__

    @classmethod
    def load(cls, path: str | os.PathLike[str], *, encoding: str | None = None) -> Codebook:
        """Read a codebook from a table file with the columns `code` and `label`, in order.

        Other columns are left alone. Raises ListError that names the row (the header is row 1) of a
        repeated code or a missing label.
        """
        return load_codebook(path, encoding)


class ReferenceList(core.ReferenceList):
    __doc__ = core.ReferenceList.__doc__

    @classmethod
    def load(cls, path: str | os.PathLike[str], *, encoding: str | None = None) -> ReferenceList:
        """Read a reference list from a table file with the column `value`, perhaps `alias`, and attributes.

        Several aliases of an entry stand in one cell, parted by `|`. Raises ListError that names the row
        (the header is row 1) of a repeated or blank entry or alias.
        """
        return load_reference_list(path, encoding)


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
    columns, name = _columns(path, ("from", "to"), encoding)
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


def load_codebook(path: str | os.PathLike[str], encoding: str | None = None) -> Codebook:
    """See `Codebook.load`."""
    columns, name = _columns(path, ("code", "label"), encoding)
    labels: dict[str, str] = {}
    rows: dict[str, int] = {}
    for row, (code, label) in enumerate(zip(columns["code"], columns["label"], strict=True), 2):
        if not code.strip() and not label.strip():
            continue  # an empty line, as spreadsheets leave them
        if not code.strip():
            raise ListError(f"{name}, row {row}: label {label!r} has no code")
        if not label.strip():
            raise ListError(f"{name}, row {row}: code {code!r} has no label")
        if code in rows:
            raise ListError(f"{name}, row {row}: code {code!r} stands in row {rows[code]} already")
        labels[code], rows[code] = label, row
    with said_of(name, ListError):
        return Codebook(labels, file=str(path))


def load_reference_list(path: str | os.PathLike[str], encoding: str | None = None) -> ReferenceList:
    """See `ReferenceList.load`."""
    columns, name = _columns(path, ("value",), encoding)
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
        return ReferenceList(values, aliases, attributes, file=str(path))


def _columns(
    path: str | os.PathLike[str], needed: Sequence[str], encoding: str | None
) -> tuple[Mapping[str, list[str]], str]:
    found = existing_file(path, ListError)
    try:
        table = read_table(found, encoding).table
    except IgualError as error:
        raise ListError(str(error)) from None
    names = table.column_names
    for title in needed:
        if title not in names:
            raise ListError(f"{found.name} has no column {title!r}{did_you_mean(title, names)}")
    if len(set(names)) < len(names):
        twice = next(title for title in names if names.count(title) > 1)
        raise ListError(f"{found.name} has the column {twice!r} twice")
    texts = {title: [_text(cell) for cell in table[title].to_pylist()] for title in names}
    return texts, found.name


def _text(cell: object) -> str:
    return "" if cell is None else str(cell)
