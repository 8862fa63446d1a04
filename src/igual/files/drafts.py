"""A drafted rulebook on disk: what is uncertain is written but commented out, with what it needs beside it."""

from __future__ import annotations

import os
from collections.abc import Sequence
from pathlib import Path

import pyarrow as pa
import tomlkit

from igual.column import find_lone_surrogate
from igual.errors import OutputError
from igual.files.csv_cells import guarded
from igual.files.formats.text import write_csv
from igual.files.outputs import outputs
from igual.files.rulebooks import format_rule, format_rulebook
from igual.files.sources import to_path
from igual.rules.replace import Replace
from igual.runs.draft import Draft

_HEAD = """\
# Drafted by Igual from what the table shows. Read it from top to bottom: each rule works on what the ones before it
# made.
# Rules that begin with # aren't in force: read their note, and take the # away where they are right.

"""


def save_draft(draft: Draft, path: str | os.PathLike[str]) -> list[str]:
    """Write a draft: the rulebook, its pair lists and its empty codebooks, none of which may be there yet.

    Args:
        draft: The draft.
        path: The rulebook to write (.toml); the other files lie beside it.

    Returns:
        The files that were written.

    Raises:
        OutputError: Where one of the files is there already; none is written then.
        RulebookError: Where the draft has no rule.
    """
    target = to_path(path, OutputError)
    folder = Path(os.path.abspath(target)).parent
    named = _name_columns([*draft.pairs, *draft.codes])
    pairs = {column: f"{target.stem}.{named[column]}.pairs.csv" for column in draft.pairs}
    codes = {column: f"{target.stem}.{named[column]}.codes.csv" for column in draft.codes}
    if find_lone_surrogate([target.name]) is not None:
        raise OutputError(
            f"{target.name!r} holds bytes that are no characters; a rulebook can't name files so"
        )
    for name in (target.name, *pairs.values(), *codes.values()):
        if os.path.lexists(folder / name):
            raise OutputError(f"{folder / name} is there already; a draft overwrites nothing")
    headers = (
        f'# Most column names are written so; to have all of them so:\n# headers = "{draft.headers}"\n\n'
    )
    parts = [_HEAD + (headers if draft.headers else "") + format_rulebook(draft.rulebook, folder)]
    parts += [
        _comment(format_rule(rule.dump_words()))
        for rule in draft.uncertain
        if rule.columns[0] not in pairs or not isinstance(rule, Replace)
    ]
    parts += [_comment(_pair_rule(column, named[column], name)) for column, name in pairs.items()]
    parts += [_comment(_code_rule(column, named[column], name)) for column, name in codes.items()]
    with outputs() as staged:
        staged.place(target).write_text("\n".join(parts), encoding="utf-8", newline="\n")
        for column, name in pairs.items():
            given = draft.pairs[column].pairs
            table = pa.table({"from": list(given), "to": list(given.values())})
            write_csv(guarded(table), staged.place(folder / name))
        for column, name in codes.items():
            listed = draft.codes[column]
            write_csv(
                guarded(pa.table({"code": listed, "label": [""] * len(listed)})), staged.place(folder / name)
            )
    return [str(target.with_name(name)) for name in (target.name, *pairs.values(), *codes.values())]


def _name_columns(columns: Sequence[str]) -> dict[str, str]:
    """Names of columns as parts of files' names and of words in a rulebook, all different."""
    named: dict[str, str] = {}
    for column in columns:
        plain = "".join(one if one.isascii() and one.isalnum() else "_" for one in column)[:40] or "column"
        name, number = plain, 1
        while name in named.values():
            number += 1
            name = f"{plain}_{number}"
        named[column] = name
    return named


def _comment(text: str) -> str:
    return "".join(f"# {line}".rstrip() + "\n" for line in text.splitlines())


def _pair_rule(column: str, name: str, file: str) -> str:
    words = {"column": column, "do": "replace", "pairs": name, "where": "whole"}
    note = f"values that are probably one, in {file}: read them through first"
    return f"[pairs.{name}]\nfile = {_quote(file)}\n\n{format_rule(words | {'note': note})}"


def _code_rule(column: str, name: str, file: str) -> str:
    words = {"column": column, "do": "label", "codebook": name}
    note = f"a column of few short codes: give each its label in {file}"
    return f"[codebooks.{name}]\nfile = {_quote(file)}\n\n{format_rule(words | {'note': note})}"


def _quote(text: str) -> str:
    """A text as TOML has it."""
    return tomlkit.item(text).as_string()
