"""What can be wrong with a call or an input, said for the person who can mend it."""

from __future__ import annotations

import contextlib
import difflib
from collections.abc import Iterable, Iterator


class IgualError(Exception):
    """Anything Igual refuses, with a message of one or two lines for a data steward."""


class TableError(IgualError):
    """A table, or one of its columns, is not what was expected."""


class ListError(IgualError):
    """A reference list or a codebook contradicts itself or is incomplete."""


class RulebookError(IgualError):
    """A rulebook, a rule or a condition is not understood."""


class RulingError(IgualError):
    """A ruling, a file of rulings or a sheet of them is not understood, or can't be applied."""


class OutputError(IgualError):
    """A result could not be written where it was asked for."""


class IgualWarning(UserWarning):
    """Something that was not refused, but is worth knowing."""


@contextlib.contextmanager
def said_of(where: str, error: type[IgualError]) -> Iterator[None]:
    """Put what is being read, such as a file or a rule, in front of what is wrong with it."""
    try:
        yield
    except IgualError as found:
        raise error(f"{where}: {found}") from None


def nearest(word: str, choices: Iterable[str]) -> str | None:
    """The choice that `word` was probably meant to be, or None when none is near.

    >>> nearest("specis", ["species", "site"])
    'species'
    """
    by_key = {choice.strip().lower(): choice for choice in choices}
    found = difflib.get_close_matches(word.strip().lower(), by_key, n=1, cutoff=0.6)
    return by_key[found[0]] if found else None


def did_you_mean(word: str, choices: Iterable[str], most: int = 12) -> str:
    """The end of a message: the nearest valid word, or else the valid words themselves.

    >>> did_you_mean("wher", ["where", "nth"])
    "; did you mean 'where'?"
    >>> did_you_mean("x", ["where", "nth"])
    '; there are: where, nth'
    """
    valid = list(choices)
    if (near := nearest(word, valid)) is not None:
        return f"; did you mean {near!r}?"
    more = f" and {len(valid) - most} more" if len(valid) > most else ""
    shown = [
        choice if choice == choice.strip() and any(map(str.isalnum, choice)) else repr(choice)
        for choice in valid[:most]
    ]
    return f"; there are: {', '.join(shown)}{more}" if valid else "; there are none"
