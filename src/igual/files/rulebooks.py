"""Rulebook files: TOML, with the lists and codebooks beside them."""

from __future__ import annotations

import os
import re
import tomllib
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any, ClassVar, NamedTuple

import tomlkit
from pydantic import Field, model_validator

from igual.column import find_lone_surrogate
from igual.errors import OutputError, RulebookError, did_you_mean, error_context
from igual.files.lists import (
    build_codebook,
    build_reference_list,
    load_codebook,
    load_pair_list,
    load_reference_list,
)
from igual.files.outputs import outputs
from igual.files.rulings import load_rulings, rulings_file
from igual.files.sources import existing_file, file_within, to_path
from igual.lists import SHELVES, Codebook, CodeMeaning, Need, PairList, ReferenceList, ShelfName
from igual.rules.base import Rule
from igual.rules.check import Check
from igual.rules.registry import find_rules
from igual.runs.rulebook import Rulebook
from igual.settings import Settings
from igual.text.casing import Style

FORMAT = 1
_LARGEST = 16 << 20
# Tables are made for each part of a key, and of tables within tables without end.
_ENDLESS_KEY = re.compile(r"(?<![\w\-])(?:[\w\-]++[ \t]*+\.[ \t]*+){200}")


class _SourceWords(Settings):
    """A list, codebook or pair list: in a file, or here under the word `inside`."""

    inside: ClassVar[str]
    file: str | None = None

    @model_validator(mode="after")
    def _one_source(self) -> _SourceWords:
        here = getattr(self, self.inside) is not None or bool(getattr(self, "special", ()))
        if sum((self.file is not None, here, getattr(self, "sql", None) is not None)) != 1:
            also = ", or 'sql'" if hasattr(self, "sql") else ""
            raise ValueError(f"give either 'file' or {self.inside!r}{also}")
        return self


class _QueriedWords(_SourceWords):
    """What may also come from a SKOS file in a language, or from a query to a database that the environment names."""

    language: str | None = None
    sql: str | None = None
    database: str | None = None

    @model_validator(mode="after")
    def _belong_together(self) -> _QueriedWords:
        if (self.sql is None) != (self.database is None):
            raise ValueError("'sql' and 'database' belong together: the query, and the name of the database")
        if self.language is not None and self.file is None:
            raise ValueError("'language' is for a SKOS file")
        return self

    def read_with(self) -> dict[str, str]:
        words = ("language", "sql", "database")
        return {word: given for word in words if (given := getattr(self, word)) is not None}


class ListWords(_QueriedWords):
    """A reference list: in a file, from a database, or here.

    Attributes:
        file: The file, named from the rulebook's folder.
        values: The entries, where they stand here.
        aliases: Other spellings of entries.
        attributes: Further columns, one text an entry.
        language: Of the labels of a SKOS file.
        sql: A query that gives the list.
        database: The database that it is put to; its address is in the environment.
    """

    inside: ClassVar[str] = "values"
    values: tuple[str, ...] | None = None
    aliases: dict[str, tuple[str, ...]] = Field(default_factory=dict)
    attributes: dict[str, tuple[str, ...]] = Field(default_factory=dict)

    @model_validator(mode="after")
    def _all_in_the_file(self) -> ListWords:
        if self.values is None and (self.aliases or self.attributes):
            raise ValueError("'aliases' and 'attributes' stand in the file when 'file' is given")
        return self


class _CodeWords(Settings):
    """A code, or a range of them, that means something for some time only."""

    code: str
    label: str
    last: str | None = None
    since: str | None = None
    until: str | None = None


class CodebookWords(_QueriedWords):
    """A codebook: in a file, from a database, or here.

    Attributes:
        file: The file, named from the rulebook's folder.
        labels: Code to label, where they stand here.
        special: Codes that mean something for some time only, and ranges of codes.
        language: Of the labels of a SKOS file.
        sql: A query that gives the codebook.
        database: The database that it is put to; its address is in the environment.
    """

    inside: ClassVar[str] = "labels"
    labels: dict[str, str] | None = None
    special: tuple[_CodeWords, ...] = ()


class PairWords(_SourceWords):
    """A pair list: in a file, or here.

    Attributes:
        file: The file, named from the rulebook's folder.
        pairs: What is found, and what takes its place, where they stand here.
    """

    inside: ClassVar[str] = "pairs"
    pairs: dict[str, str] | None = None


class _FileWords(Settings):
    igual: int
    lists: dict[str, dict[str, Any]] = Field(default_factory=dict)
    codebooks: dict[str, dict[str, Any]] = Field(default_factory=dict)
    pairs: dict[str, dict[str, Any]] = Field(default_factory=dict)
    headers: Style | None = None
    check: tuple[dict[str, Any], ...] = ()
    rule: tuple[dict[str, Any], ...] = ()


def load_rulebook(
    path: str | os.PathLike[str], allow_outside: Iterable[str | os.PathLike[str]] = ()
) -> Rulebook:
    """Read a rulebook; `file` of a list or codebook is taken from the rulebook's folder.

    Args:
        path: The file.
        allow_outside: Folders beside the rulebook's own in which its files may lie.

    Returns:
        The rulebook, with the rulings beside it.

    Raises:
        RulebookError: With one message that names the file, the rule and the nearest valid word.
    """
    existing = existing_file(path, RulebookError)
    if existing.stat().st_size > _LARGEST:
        raise RulebookError(f"{existing.name} is too large to be a rulebook")
    try:
        text = existing.read_bytes().decode("utf-8-sig")
        if _ENDLESS_KEY.search(text):
            raise RulebookError(f"{existing.name}: a word has too many parts with dots between them")
        given = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise RulebookError(
            f"{existing.name} is not valid TOML: {error}{_explain_toml(str(error))}"
        ) from None
    except UnicodeDecodeError as error:
        raise RulebookError(f"{existing.name} is not valid utf-8 at offset {error.start:,}") from None
    except RecursionError:
        raise RulebookError(f"{existing.name} is not valid TOML: it is nested too deeply") from None
    except ValueError:
        # Python makes no number of so many digits of a text.
        raise RulebookError(f"{existing.name} is not valid TOML: a number has too many digits") from None
    with error_context(existing.name, RulebookError):
        folder = _Folder(existing.parent, tuple(allow_outside))
        book = _build(given, folder)
        rulings = rulings_file(existing, folder.allowed)
        return replace(book, rulings=load_rulings(rulings))


class _Folder(NamedTuple):
    """Where a rulebook's files may lie.

    Attributes:
        own: The rulebook's folder.
        allowed: More folders.
    """

    own: Path
    allowed: tuple[str | os.PathLike[str], ...] = ()

    def find(self, name: str) -> Path:
        """Find a file that the rulebook names."""
        return file_within(self.own, name, self.allowed, RulebookError)


def _explain_toml(error: str) -> str:
    """What a steward may do about an error of the TOML reader."""
    if "\\" in error or "escape" in error.lower():
        return r"; a pattern such as \d needs single quotes: '\d+'"
    return ""


def _build(given: dict[str, Any], folder: _Folder) -> Rulebook:
    for word in ("rule", "check"):
        if isinstance(given.get(word), dict):
            raise RulebookError(f"[{word}] is one table; write [[{word}]] for each {word}")
    words = _FileWords(**given)
    if words.igual != FORMAT:
        raise RulebookError(f"it is in format {words.igual}; this version of Igual reads format {FORMAT}")
    by_word = find_rules()
    rules = [_rule(number, rule, by_word) for number, rule in enumerate(words.rule, 1)]
    shelves: dict[str, dict[str, Any]] = {}
    for shelf, read in _READ.items():
        shelves[shelf] = {}
        for name, entry in getattr(words, shelf).items():
            with error_context(f"{SHELVES[shelf]} {name!r}{_users(rules, shelf, name)}", RulebookError):
                shelves[shelf][name] = read(entry, folder)
    checks = []
    for number, check in enumerate(words.check, 1):
        with error_context(f"check {number}", RulebookError):
            checks.append(Check(**check))
    lists, codebooks, pairs = (shelves[shelf] for shelf in ("lists", "codebooks", "pairs"))
    return Rulebook(rules, lists, codebooks, pairs, words.headers, checks)


def _rule(number: int, given: dict[str, Any], by_word: Mapping[str, type[Rule]]) -> Rule:
    if "do" not in given:
        raise RulebookError(f"rule {number}: the word 'do' is missing; there are: {', '.join(by_word)}")
    do = given["do"]
    if not isinstance(do, str) or do not in by_word:
        raise RulebookError(f"rule {number}: no rule does {do!r}{did_you_mean(str(do), by_word)}")
    with error_context(f"rule {number} ({do})", RulebookError):
        return by_word[do](**given)


def _users(rules: Sequence[Rule], shelf: ShelfName, name: str) -> str:
    """Which rules refer to a list or codebook, in brackets."""
    numbers = [str(number) for number, rule in enumerate(rules, 1) if Need(shelf, name) in rule.needs()]
    return f" (rule {' and '.join(numbers)})" if numbers else ""


def _reference_list(given: dict[str, Any], folder: _Folder) -> ReferenceList:
    words = ListWords(**given)
    if words.file is not None:
        reference = load_reference_list(folder.find(words.file), language=words.language)
    elif words.sql is not None:
        reference = build_reference_list(_run_queries(words), "the query")
    else:
        reference = ReferenceList(words.values or (), words.aliases, words.attributes)
    return replace(reference, read_with=words.read_with())


def _codebook(given: dict[str, Any], folder: _Folder) -> Codebook:
    words = CodebookWords(**given)
    if words.file is not None:
        codebook = load_codebook(folder.find(words.file), language=words.language)
    elif words.sql is not None:
        codebook = build_codebook(_run_queries(words), "the query")
    else:
        codebook = Codebook(
            words.labels or {}, tuple(CodeMeaning(**one.model_dump()) for one in words.special)
        )
    return replace(codebook, read_with=words.read_with())


def _run_queries(words: _QueriedWords) -> dict[str, list[str]]:
    from igual.files.queries import run_query, url_of

    return run_query(url_of(words.database or ""), words.sql or "")


def _pair_list(given: dict[str, Any], folder: _Folder) -> PairList:
    words = PairWords(**given)
    return load_pair_list(folder.find(words.file)) if words.file is not None else PairList(words.pairs or {})


_READ: Mapping[ShelfName, Callable[[dict[str, Any], _Folder], Any]] = {
    "lists": _reference_list,
    "codebooks": _codebook,
    "pairs": _pair_list,
}


def save_rulebook(book: Rulebook, path: str | os.PathLike[str]) -> None:
    """Write a rulebook; lists and codebooks that come from files are named, others are written out in it."""
    with outputs() as staged:
        text = format_rulebook(book, Path(os.path.abspath(to_path(path, OutputError))).parent)
        if find_lone_surrogate([text]) is not None:
            raise OutputError(
                f"{path}: the name of a list's file holds bytes that are no characters; rename the file"
            )
        staged.place(path).write_text(text, encoding="utf-8", newline="\n")


def format_rulebook(book: Rulebook, folder: Path) -> str:
    """Write a rulebook as TOML.

    Args:
        book: The rulebook.
        folder: Where its file is to lie; the files of its lists are named from there.

    Returns:
        The text.
    """
    head = {"igual": FORMAT} if book.headers is None else {"igual": FORMAT, "headers": book.headers}
    sections = ["".join(_lines(head))]
    for kind in SHELVES:
        for name, entry in getattr(book, kind).items():
            sections.append(_section(f"{kind}.{_key(name)}", _source(entry, folder)))
    sections += [format_rule(rule.dump_words()) for rule in book.rules]
    checks = (check.model_dump(exclude_defaults=True, mode="json", by_alias=True) for check in book.checks)
    sections += [_section("check", words, is_one_of_several=True) for words in checks]
    return "\n".join(sections)


def format_rule(words: Mapping[str, Any]) -> str:
    """Write one rule as TOML.

    Args:
        words: The rule as `dump_words` gives it.

    Returns:
        The text.
    """
    return _section("rule", words, is_one_of_several=True)


def _section(name: str, words: Mapping[str, Any], *, is_one_of_several: bool = False) -> str:
    """A table of TOML; what is a list of tables in it, as bands are, stands beneath."""
    below = {
        word: given
        for word, given in words.items()
        if isinstance(given, list) and given and isinstance(given[0], dict)
    }
    own = {word: given for word, given in words.items() if word not in below}
    inner = [(f"{name}.{_key(word)}", one) for word, several in below.items() for one in several]
    sections = [_section(heading, one, is_one_of_several=True) for heading, one in inner]
    if own or not below:
        head = f"[[{name}]]\n" if is_one_of_several else f"[{name}]\n"
        sections.insert(0, "".join([head, *_lines(own)]))
    return "\n".join(sections)


def _lines(words: Mapping[str, Any]) -> Iterator[str]:
    for word, given in words.items():
        yield f"{_key(word)} = {_value(given)}\n"


def _key(name: str) -> str:
    return tomlkit.key(name).as_string()


def _value(given: Any) -> str:
    """A value in one line; tables and arrays of TOML Kit itself take time by the square of their length."""
    if isinstance(given, Mapping):
        return f"{{{', '.join(f'{_key(name)} = {_value(one)}' for name, one in given.items())}}}"
    if isinstance(given, list | tuple):
        return f"[{', '.join(map(_value, given))}]"
    return str(tomlkit.item(given).as_string())


def _source(entry: Codebook | ReferenceList | PairList, folder: Path) -> dict[str, Any]:
    table: dict[str, Any] = {**getattr(entry, "read_with", {})}
    if entry.file is not None:
        table["file"] = Path(os.path.relpath(os.path.abspath(entry.file), folder)).as_posix()
    elif "sql" in table:
        pass
    elif isinstance(entry, Codebook):
        if entry.labels:
            table["labels"] = entry.labels
        if entry.special:
            table["special"] = [
                {word: said for word, said in one._asdict().items() if said} for one in entry.special
            ]
    elif isinstance(entry, PairList):
        table["pairs"] = entry.pairs
    else:
        table["values"] = entry.values
        for name, texts in entry.attributes.items():
            if None in texts:
                told = f"attribute {name!r} of {entry.values[texts.index(None)]!r} is missing"
                raise OutputError(
                    f"{told}, for which TOML has nothing: give '', or load the list from a file"
                )
        table |= {word: given for word in ("aliases", "attributes") if (given := getattr(entry, word))}
    return table
