"""Rulebook files: TOML, with the lists and codebooks beside them."""

from __future__ import annotations

import os
import tomllib
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any, ClassVar, TypeVar

import tomlkit
from pydantic import Field, model_validator

from igual.core import lists as core
from igual.core.checks import Check
from igual.core.errors import RulebookError, did_you_mean, said_of
from igual.core.rulebook import SHELVES, Rulebook
from igual.core.rules import KINDS, Rule
from igual.core.text.casing import Style
from igual.core.words import Worded
from igual.files.lists import (
    Codebook,
    PairList,
    ReferenceList,
    load_codebook,
    load_pair_list,
    load_reference_list,
)
from igual.files.outputs import outputs
from igual.files.rulings import load_rulings, rulings_file
from igual.files.sources import existing_file

FORMAT = 1
_LARGEST = 16 << 20


class _SourceWords(Worded):
    """A list, codebook or pair list: in a file, or here under the word `inside`."""

    inside: ClassVar[str]
    file: str | None = None

    @model_validator(mode="after")
    def _one_source(self) -> _SourceWords:
        if (self.file is None) == (getattr(self, self.inside) is None):
            raise ValueError(f"give either 'file' or {self.inside!r}")
        return self


class _ListWords(_SourceWords):
    inside: ClassVar[str] = "values"
    values: tuple[str, ...] | None = None
    aliases: dict[str, tuple[str, ...]] = Field(default_factory=dict)
    attributes: dict[str, tuple[str, ...]] = Field(default_factory=dict)

    @model_validator(mode="after")
    def _all_in_the_file(self) -> _ListWords:
        if self.file is not None and (self.aliases or self.attributes):
            raise ValueError("'aliases' and 'attributes' stand in the file when 'file' is given")
        return self


class _CodebookWords(_SourceWords):
    inside: ClassVar[str] = "labels"
    labels: dict[str, str] | None = None


class _PairWords(_SourceWords):
    inside: ClassVar[str] = "pairs"
    pairs: dict[str, str] | None = None


class _FileWords(Worded):
    igual: int
    lists: dict[str, dict[str, Any]] = Field(default_factory=dict)
    codebooks: dict[str, dict[str, Any]] = Field(default_factory=dict)
    pairs: dict[str, dict[str, Any]] = Field(default_factory=dict)
    headers: Style | None = None
    check: tuple[dict[str, Any], ...] = ()
    rule: tuple[dict[str, Any], ...] = Field(min_length=1)


Book = TypeVar("Book", bound=Rulebook)


def load_rulebook(
    path: str | os.PathLike[str], kind: type[Book], rules: Sequence[type[Rule]] = KINDS
) -> Book:
    """Read a rulebook as one of a `kind`; `file` of a list or codebook is taken from the rulebook's folder.

    Raises RulebookError with one message that names the file, the rule and the nearest valid word.
    """
    found = existing_file(path, RulebookError)
    if found.stat().st_size > _LARGEST:
        raise RulebookError(f"{found.name} is too large to be a rulebook")
    try:
        given = tomllib.loads(found.read_bytes().decode("utf-8-sig"))
    except tomllib.TOMLDecodeError as error:
        raise RulebookError(f"{found.name} is not valid TOML: {error}") from None
    except UnicodeDecodeError as error:
        raise RulebookError(f"{found.name} is not valid utf-8 at offset {error.start:,}") from None
    except RecursionError:
        raise RulebookError(f"{found.name} is not valid TOML: it is nested too deeply") from None
    with said_of(found.name, RulebookError):
        book = _built(given, found.parent, kind, {rule.model_fields["do"].default: rule for rule in rules})
        return replace(book, rulings=load_rulings(rulings_file(found)))


def _built(given: dict[str, Any], folder: Path, kind: type[Book], by_word: Mapping[str, type[Rule]]) -> Book:
    words = _FileWords(**given)
    if words.igual != FORMAT:
        raise RulebookError(f"it is in format {words.igual}; this version of Igual reads format {FORMAT}")
    rules = [_rule(number, rule, by_word) for number, rule in enumerate(words.rule, 1)]
    shelves: dict[str, dict[str, Any]] = {}
    for shelf, read in _READ.items():
        shelves[shelf] = {}
        for name, entry in getattr(words, shelf).items():
            with said_of(f"{SHELVES[shelf]} {name!r}{_users(rules, shelf, name)}", RulebookError):
                shelves[shelf][name] = read(entry, folder)
    checks = []
    for number, check in enumerate(words.check, 1):
        with said_of(f"check {number}", RulebookError):
            checks.append(Check(**check))
    lists, codebooks, pairs = (shelves[shelf] for shelf in ("lists", "codebooks", "pairs"))
    return kind(rules, lists, codebooks, pairs, words.headers, checks)


def _rule(number: int, given: dict[str, Any], by_word: Mapping[str, type[Rule]]) -> Rule:
    if "do" not in given:
        raise RulebookError(f"rule {number}: the word 'do' is missing; there are: {', '.join(by_word)}")
    do = given["do"]
    if not isinstance(do, str) or do not in by_word:
        raise RulebookError(f"rule {number}: no rule does {do!r}{did_you_mean(str(do), by_word)}")
    with said_of(f"rule {number} ({do})", RulebookError):
        return by_word[do](**given)


def _users(rules: Sequence[Rule], kind: str, name: str) -> str:
    """Which rules refer to a list or codebook, in brackets."""
    numbers = [str(number) for number, rule in enumerate(rules, 1) if (kind, name) in rule.needs()]
    return f" (rule {' and '.join(numbers)})" if numbers else ""


def _reference_list(given: dict[str, Any], folder: Path) -> ReferenceList:
    words = _ListWords(**given)
    if words.file is not None:
        return load_reference_list(folder / words.file)
    return ReferenceList(words.values or (), words.aliases, words.attributes)


def _codebook(given: dict[str, Any], folder: Path) -> Codebook:
    words = _CodebookWords(**given)
    return load_codebook(folder / words.file) if words.file is not None else Codebook(words.labels or {})


def _pair_list(given: dict[str, Any], folder: Path) -> PairList:
    words = _PairWords(**given)
    return load_pair_list(folder / words.file) if words.file is not None else PairList(words.pairs or {})


_READ: Mapping[str, Callable[[dict[str, Any], Path], Any]] = {
    "lists": _reference_list,
    "codebooks": _codebook,
    "pairs": _pair_list,
}


def save_rulebook(book: Rulebook, path: str | os.PathLike[str]) -> None:
    """Write a rulebook; lists and codebooks that come from files are named, others are written out in it."""
    folder = Path(path).resolve().parent
    document = tomlkit.document()
    document.add("igual", tomlkit.item(FORMAT))
    if book.headers is not None:
        document.add("headers", tomlkit.item(book.headers))
    for kind in SHELVES:
        for name, entry in getattr(book, kind).items():
            document.setdefault(kind, tomlkit.table(is_super_table=True))[name] = _source(entry, folder)
    rules = tomlkit.aot()
    for rule in book.rules:
        table = tomlkit.table()
        for word, given in rule.words().items():
            table.add(word, _inline(given))
        rules.append(table)
    document.add("rule", rules)
    checks = tomlkit.aot()
    for check in book.checks:
        table = tomlkit.table()
        for word, given in check.model_dump(exclude_defaults=True, mode="json", by_alias=True).items():
            table.add(word, _inline(given))
        checks.append(table)
    if book.checks:
        document.add("check", checks)
    with outputs() as staged:
        staged.place(path).write_text(tomlkit.dumps(document), encoding="utf-8", newline="\n")


def _source(entry: core.Codebook | core.ReferenceList | core.PairList, folder: Path) -> Any:
    table = tomlkit.table()
    if entry.file is not None:
        named = Path(os.path.relpath(Path(entry.file).resolve(), folder)).as_posix()
        table.add("file", named)
    elif isinstance(entry, core.Codebook):
        table.add("labels", _inline(dict(entry.labels)))
    elif isinstance(entry, core.PairList):
        table.add("pairs", _inline(dict(entry.pairs)))
    else:
        table.add("values", list(entry.values))
        for word in ("aliases", "attributes"):
            if given := getattr(entry, word):
                table.add(word, _inline({name: list(texts) for name, texts in given.items()}))
    return table


def _inline(given: Any) -> Any:
    if isinstance(given, dict):
        inline = tomlkit.inline_table()
        inline.update(given)
        return inline
    return given
