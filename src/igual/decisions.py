"""What can be ruled, on a value and on a kind of difference, and what it means."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Literal, NamedTuple

import pyarrow as pa

from igual.column import TEXT
from igual.errors import ListError, NoEntryError, RulingError, did_you_mean
from igual.text.folding import folded_key

KEEP, NOT_LISTED, NEW = "keep as it is", "not in the list", "new entry"
CauseKind = Literal[
    "word left out", "extra word", "abbreviation", "word order", "initials", "spelling variant", "single value"
]  # fmt: skip
CAUSE_KINDS: tuple[CauseKind, ...] = (
    "word left out", "extra word", "abbreviation", "word order", "initials", "spelling variant", "single value",
)  # fmt: skip
# Kinds that are about a short form and a long one, and such as may be about several words at once.
_OF_TWO, OF_SEVERAL = ("abbreviation", "spelling variant"), ("word left out", "extra word")
_STANDS_FOR, _TOGETHER = " = ", " + "
# What may stand in place of an entry.
WORDS = (KEEP, NOT_LISTED, NEW)
_NEW_AS, _ALIAS_OF = "new entry:", "alias of "
COLUMNS = ("column", "value", "ruling", "reason", "by", "on")
# A file with rulings on kinds, or within contexts, has one more for each.
KIND_COLUMN, WITHIN_COLUMN = "kind", "within"
YES, NO, ACCEPT = "yes", "no", "accept"
# Between the parts of a context: a list, where a column is matched to several, and what stands in other columns.
BETWEEN = "; "
Kind = Literal["entry", "alias", "new", "keep", "unlisted", "kind settled", "kind asked"]


class Ruling(NamedTuple):
    """A decision on one value of one column, or on a kind of difference.

    Attributes:
        column: The column that the match writes.
        value: The value, as the match meets it.
        ruling: An entry of the list; 'alias of ' and an entry, which also proposes the value as another spelling of
            it; 'new entry', or 'new entry: ' and how it is spelled; 'keep as it is'; or 'not in the list'.
        reason: Why, in the steward's words.
        by: Who ruled.
        on: The day, such as 2026-05-31.
        kind: '' for a ruling on a value. Else the kind of difference that it is on, such as 'word left out'; the value
            is then the words that it is about, and the ruling 'yes' (such values are settled) or 'no' (they are asked
            singly).
        within: '' for a ruling that counts in all rows. Else what stands in the column that `within` of the rule
            names, such as a town: the ruling counts in such rows alone, and goes before one for all rows. Of a column
            that is matched to several lists the name of the list stands before it, and '; '.
    """

    column: str
    value: str
    ruling: str
    reason: str = ""
    by: str = ""
    on: str = ""
    kind: str = ""
    within: str = ""

    @property
    def author(self) -> str:
        """By whom and when, as messages write it."""
        return " ".join(part for part in (self.by and f"by {self.by}", self.on and f"on {self.on}") if part)


class Cause(NamedTuple):
    """One difference between a value and the entry proposed for it.

    Attributes:
        kind: What kind of difference it is, one of CAUSE_KINDS.
        words: The words that it is about: those left out, the short form and the long one.
    """

    kind: CauseKind
    words: tuple[str, ...] = ()

    @property
    def text(self) -> str:
        """The words as a file of rulings has them."""
        return (_TOGETHER if self.kind in OF_SEVERAL else _STANDS_FOR).join(self.words) or "any"

    @classmethod
    def read(cls, kind: str, text: str) -> Cause | None:
        """Read a cause from a file of rulings.

        Args:
            kind: Its kind.
            text: Its words, as `text` gives them.

        Returns:
            The cause; None for what isn't one.

        Example:
            >>> Cause.read("abbreviation", "hosp = hospital")
            Cause(kind='abbreviation', words=('hosp', 'hospital'))
        """
        for known in CAUSE_KINDS[:-1]:
            if kind == known:
                if known in ("word order", "initials"):
                    return cls(known)
                between = _STANDS_FOR if known in _OF_TWO else _TOGETHER
                words = tuple(word.strip() for word in text.split(between.strip()))
                return cls(known, words) if all(words) and (known in OF_SEVERAL or len(words) == 2) else None
        return None


def check_kind(kind: str, words: str) -> Cause:
    """Read a cause, or say what is wrong with it.

    Args:
        kind: Its kind.
        words: Its words, as a file of rulings has them.

    Returns:
        The cause.

    Raises:
        RulingError: For an unknown kind, or words that don't go with it.
    """
    kinds = CAUSE_KINDS[:-1]
    if kind not in kinds:
        raise RulingError(f"no kind of difference is called {kind!r}{did_you_mean(kind, kinds, most=6)}")
    cause = Cause.read(kind, words)
    if cause is None:
        wanted = "two words such as 'hosp = hospital'" if kind in _OF_TWO else "a word, or several: 'x + y'"
        raise RulingError(f"a ruling on the kind {kind!r} takes {wanted}; found {words!r}")
    return cause


class Decision(NamedTuple):
    """What a ruling means.

    Attributes:
        kind: An entry of the list, an alias of one, a new entry, keep the value, or not in the list; of a ruling on a
            kind of difference whether such values are settled or asked singly.
        text: What the value becomes.
    """

    kind: Kind
    text: str


def interpret_ruling(ruling: str, value: str, entry_of: Mapping[str, str]) -> Decision:
    """Find out what a ruling means for a value.

    Args:
        ruling: The text of the ruling.
        value: The value that it is about.
        entry_of: The accepted spellings of the list, and their entries.

    Returns:
        What becomes of the value.

    Raises:
        NoEntryError: For what is neither an entry nor one of the words.
        ListError: For 'new entry:' with nothing behind it.

    Example:
        >>> interpret_ruling("Keep as it is", "Old oak", {"Oak": "Oak"})
        Decision(kind='keep', text='Old oak')
    """
    stated = ruling.strip()
    if ruling in entry_of or stated in entry_of:
        return Decision("entry", entry_of[ruling if ruling in entry_of else stated])
    lower = stated.casefold()
    if lower == KEEP:
        return Decision("keep", value)
    if lower == NOT_LISTED:
        return Decision("unlisted", value)
    if lower == NEW or lower.startswith(_NEW_AS):
        text = value if lower == NEW else stated[len(_NEW_AS) :].strip()
        if not text:
            raise ListError("'new entry:' needs the spelling of the entry behind it")
        # Once the list has it, it is an entry like any other.
        return Decision("entry", entry_of[text]) if text in entry_of else Decision("new", text)
    if lower.startswith(_ALIAS_OF) and (entry := stated[len(_ALIAS_OF) :].strip()) in entry_of:
        return Decision("alias", entry_of[entry])
    wanted = stated[len(_ALIAS_OF) :].strip() if lower.startswith(_ALIAS_OF) else stated
    raise NoEntryError(wanted)


def join_context(name: str, beside: str) -> str:
    """Write a context: a list, where a column is matched to several, and what stands beside a value.

    Args:
        name: The name of the list, or ''.
        beside: What stands there, or ''.

    Returns:
        The context.
    """
    return BETWEEN.join(part for part in (name, beside) if part)


def fold_contexts(contexts: Iterable[str]) -> list[str]:
    """Set aside case, spaces, accents and punctuation of what stands beside values, as `within` does.

    Args:
        contexts: The texts.

    Returns:
        What they are compared by.
    """
    given = list(contexts)
    if not any(given):
        return given
    folded: list[str] = folded_key(pa.array(given, TEXT)).to_pylist()
    return folded
