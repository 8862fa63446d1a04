"""What can be wrong with a call or an input, in words for the person who can mend it."""

from __future__ import annotations

import contextlib
import difflib
import heapq
from array import array
from collections import Counter, defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from functools import cached_property
from itertools import chain, pairwise
from typing import Self

# How much of what was given is looked at, and told.
_LONGEST, _LONGEST_SPELLING = 1_000, 60
# Among more words than the first, only as many as the second are compared letter by letter.
_MANY, _LIKELY = 1_000, 100


def spell_given(given: object) -> str:
    r"""Spell what was given in the place of something else, in one line of bounded length.

    Args:
        given: Anything; a table spells itself in many lines.

    Returns:
        Its spelling as code.

    Example:
        >>> spell_given("mapel\n"), spell_given([1, 2])
        ("'mapel\\n'", '[1, 2]')
    """
    try:
        lines = repr(given)[:_LONGEST].splitlines()
    except Exception:  # a few objects can't spell themselves
        lines = [type(given).__name__]
    spelled = " ".join(line.strip() for line in lines)
    return spelled if len(spelled) <= _LONGEST_SPELLING else f"{spelled[: _LONGEST_SPELLING - 1]}…"


class IgualError(Exception):
    """Anything that Igual refuses, with a message of one or two lines for a data steward.

    Attributes:
        name: What was asked for, where something of that name was missing; else None.
        available: The names that would have been valid.
    """

    name: str | None = None
    available: tuple[str, ...] = ()

    @classmethod
    def from_missing(cls, owner: str, kind: str, name: str, available: Iterable[str]) -> Self:
        """Build the error for a name that isn't there, with the nearest one that is.

        Args:
            owner: What was searched, such as "the table".
            kind: What was searched for, such as "column".
            name: The name that was asked for.
            available: The names that are there.

        Returns:
            The error, to be raised by the caller.

        Example:
            >>> str(TableError.from_missing("the table", "column", "specis", ["species", "site"]))
            "the table has no column 'specis'; did you mean 'species'?"
        """
        return cls.from_unknown(f"{owner} has no {kind} {name!r}", name, available)

    @classmethod
    def from_unknown(cls, message: str, name: object, available: Iterable[str]) -> Self:
        """Build the error for a word that isn't valid, with the nearest one that is behind its message.

        Args:
            message: What is wrong.
            name: The word.
            available: The valid words.

        Returns:
            The error, to be raised by the caller.

        Example:
            >>> str(RulebookError.from_unknown("no list 'tres'", "tres", ["trees"]))
            "no list 'tres'; did you mean 'trees'?"
        """
        valid = tuple(available)
        error = cls(f"{message}{did_you_mean(name, valid)}")
        error.name, error.available = str(name), valid
        return error

    @classmethod
    def refuse_unknown(cls, setting: str, given: object, words: Iterable[str]) -> None:
        """Raise an error where a setting isn't one of the words that it may be.

        Args:
            setting: The name of the setting.
            given: What was given.
            words: The valid words.

        Example:
            >>> RulebookError.refuse_unknown("sort", "row", ("rows", "value"))
            Traceback (most recent call last):
            igual.errors.RulebookError: 'sort' can't be 'row'; did you mean 'rows'?
        """
        valid = tuple(words)
        if not isinstance(given, str) or given not in valid:
            raise cls.from_unknown(f"{setting!r} can't be {spell_given(given)}", given, valid)

    @classmethod
    def refuse_other(cls, kind: type | tuple[type, ...], takes: str, /, **given: object) -> None:
        """Raise an error where arguments aren't of the kind that they must be.

        Args:
            kind: The class that they must have, or several.
            takes: What that is, in words.
            **given: The arguments.

        Example:
            >>> RulingError.refuse_other(str, "a text", column="species", value=5)
            Traceback (most recent call last):
            igual.errors.RulingError: 'value' takes a text; found 5
        """
        for name, argument in given.items():
            if not isinstance(argument, kind):
                raise cls(f"{name!r} takes {takes}; found {spell_given(argument)}")


class TableError(IgualError):
    """A table, or one of its columns, is not what was expected."""


class ListError(IgualError):
    """A reference list or a codebook contradicts itself or is incomplete."""


class NoEntryError(ListError):
    """A ruling names what is no entry of the list.

    Args:
        wanted: What it names.
    """

    def __init__(self, wanted: str) -> None:
        super().__init__(f"{wanted!r} is not an entry of the list")
        self.wanted = wanted


class RulebookError(IgualError):
    """A rulebook, a rule or a condition is not understood."""


class RulingError(IgualError):
    """A ruling, a file of rulings or a sheet of them is not understood, or can't be applied."""


class OutputError(IgualError):
    """A result could not be written where it was asked for."""


class IgualWarning(UserWarning):
    """Something that was not refused, but is worth knowing."""


@contextlib.contextmanager
def error_context(where: str, error: type[IgualError]) -> Iterator[None]:
    """Put what is being read, such as a file or a rule, in front of the message of any error within.

    Args:
        where: The text to put in front.
        error: The class of the error that comes out.

    Yields:
        Nothing.
    """
    try:
        yield
    except IgualError as cause:
        raised = error(f"{where}: {cause}")
        raised.name, raised.available = cause.name, cause.available
        raise raised from None


class NearestWord:
    """Finds the word that was probably meant, among words of which there may be very many.

    Args:
        words: The valid words.

    Example:
        >>> NearestWord(["species", "site"]).find("specis")
        'species'
    """

    def __init__(self, words: Iterable[str]) -> None:
        self.words = list(words)
        self._by_key = {word.strip().lower(): word for word in self.words}

    def find(self, word: str) -> str | None:
        """Find the word nearest to one.

        Args:
            word: What was written.

        Returns:
            The nearest word, or None when none is near.
        """
        key = word.strip().lower()
        close = difflib.get_close_matches(key, self._list_likely(key), n=1, cutoff=0.6)
        return self._by_key[close[0]] if close else None

    def _list_likely(self, key: str) -> Iterable[str]:
        """All words, or of very many those that share most pairs of letters: the comparison itself is slow."""
        if len(self._by_key) <= _MANY:
            return self._by_key
        keys, places = self._places
        shared = Counter(chain.from_iterable(places.get(pair, ()) for pair in _pair_letters(key)))
        # Of words that share as many the first, whatever the order in which the pairs came.
        likely = heapq.nsmallest(_LIKELY, shared, key=lambda place: (-shared[place], place))
        return [keys[place] for place in likely]

    @cached_property
    def _places(self) -> tuple[Sequence[str], Mapping[tuple[str, str], Sequence[int]]]:
        """The words that are compared, and where each pair of letters stands among them."""
        keys = list(self._by_key)
        places: defaultdict[tuple[str, str], array[int]] = defaultdict(lambda: array("q"))
        for place, key in enumerate(keys):
            for pair in _pair_letters(key):
                places[pair].append(place)
        return keys, places


def _pair_letters(text: str) -> set[tuple[str, str]]:
    padded = f" {text[:_LONGEST]} "
    return set(pairwise(padded))


def did_you_mean(word: object, choices: Iterable[str] | NearestWord, most: int = 12) -> str:
    """Write the end of a message: the nearest valid word, or else the valid words themselves.

    Args:
        word: What was written.
        choices: The valid words; as a `NearestWord` where more than one is looked for among them.
        most: How many valid words to list at most.

    Returns:
        A text that starts with a semicolon.

    Example:
        >>> did_you_mean("wher", ["where", "nth"])
        "; did you mean 'where'?"
        >>> did_you_mean("x", ["where", "nth"])
        '; there are: where, nth'
    """
    nearest = choices if isinstance(choices, NearestWord) else NearestWord(choices)
    valid = nearest.words
    if (near := nearest.find(str(word))) is not None:
        return f"; did you mean {near!r}?"
    more = f" and {len(valid) - most} more" if len(valid) > most else ""
    listed = [
        choice
        if choice == choice.strip() and choice.isprintable() and any(map(str.isalnum, choice))
        else repr(choice)
        for choice in valid[:most]
    ]
    return f"; there are: {', '.join(listed)}{more}" if valid else "; there are none"
