"""Why a value is matched as it is: small tuples, which `report/reasons.py` turns into sentences."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from enum import Enum, auto
from typing import NamedTuple

import numpy as np
import numpy.typing as npt
import pyarrow as pa

from igual.matching.alignment import EDITED, SAME, STATED, STEM
from igual.matching.candidates import CandidateSearch
from igual.matching.edit_kinds import EDIT_KINDS, PLACE_OF
from igual.matching.lookups import How
from igual.matching.pairs import Ints
from igual.matching.queries import Queries
from igual.matching.scoring import BY_INITIALS, BY_LETTERS
from igual.matching.words import Words


class Role(Enum):
    """What a reason is in the account of a match.

    Attributes:
        LIKENESS: How two texts are alike.
        FOUND: How an entry was found, or that none was.
        SCORE: Why the score isn't enough.
        DOUBT: What speaks against the match, however high its score is.
    """

    LIKENESS = auto()
    FOUND = auto()
    SCORE = auto()
    DOUBT = auto()


class ReasonKind(NamedTuple):
    """What is known of a kind of reason.

    Attributes:
        role: What it is in the account of a match.
        is_single: Whether only a look at the value itself can tell: no ruling on a kind of difference settles it.
    """

    role: Role
    is_single: bool = False


_ALIKE, _DIFFERING_LETTERS = ReasonKind(Role.LIKENESS), ReasonKind(Role.LIKENESS, is_single=True)
_FOUND, _SCORE = ReasonKind(Role.FOUND), ReasonKind(Role.SCORE)
_DOUBT, _SINGLE_DOUBT = ReasonKind(Role.DOUBT), ReasonKind(Role.DOUBT, is_single=True)
# Every kind of reason there is: a reason of another kind is an error wherever it is met. A doubt is single unless the
# same answer holds for other values with the same difference.
REASON_KINDS: Mapping[str, ReasonKind] = {
    **dict.fromkeys(
        (
            "misspelt", "stands for", "other form", "short for", "other order", "same words in other order",
            "same letters", "extra words", "missing words", "small words extra", "usual words missing", "same words",
            "same beginning", "initials",
        ),
        _ALIKE,
    ),
    **dict.fromkeys(
        (
            "letter doubled", "letter not doubled", "letter extra", "digit extra", "letter missing", "digit missing",
            "letter differs", "digit differs", "letters swapped", "letter moved", "letters exchanged", "letters differ",
        ),
        _DIFFERING_LETTERS,
    ),
    **dict.fromkeys(
        (
            "nothing near", "same", "folded", "alias", "alias folded", "two letters", "ruling on kind", "in the text",
            "nearest only",
        ),
        _FOUND,
    ),
    **dict.fromkeys(("ruling", "several entries"), ReasonKind(Role.FOUND, is_single=True)),
    **dict.fromkeys(("not sure", "rival near"), _SCORE),
    "rival equal": ReasonKind(Role.SCORE, is_single=True),
    **dict.fromkeys(("words may matter", "word tells apart", "ambiguous initials", "own word"), _DOUBT),
    **dict.fromkeys(
        (
            "quantities differ", "marks differ", "numbers differ", "numbers reordered", "units differ", "months differ",
            "days differ", "roman numerals differ", "opposites", "opposite may matter", "negation", "prefix",
            "short words differ", "common part", "very short", "like missing", "case matters", "elsewhere",
            "context missing", "context unknown", "too long", "denied",
        ),
        _SINGLE_DOUBT,
    ),
}  # fmt: skip


class Reason(NamedTuple):
    """One reason.

    Attributes:
        kind: What is the case, such as 'letter missing' or 'numbers differ': a key of REASON_KINDS.
        parts: The texts that it is about, such as the two words that differ.
    """

    kind: str
    parts: tuple[str, ...] = ()

    @property
    def role(self) -> Role:
        """What it is in the account of a match."""
        return REASON_KINDS[self.kind].role

    @property
    def is_single(self) -> bool:
        """Whether only a look at the value itself can tell."""
        return REASON_KINDS[self.kind].is_single


Reasons = tuple[Reason, ...]
_LEFT_OVER = ("extra words", "small words extra", "missing words", "usual words missing")

# What is said of a match that a look-up finds.
OF_LOOK_UP = {
    How.NONE: Reason("nothing near"),
    How.EXACT: Reason("same"),
    How.FOLDED: Reason("folded"),
    How.ALIAS: Reason("alias"),
    How.ALIAS_FOLDED: Reason("alias folded"),
    How.TWO_LETTERS: Reason("two letters"),
    How.RULING: Reason("ruling"),
    How.RULED_KIND: Reason("ruling on kind"),
}
NEAREST_ONLY = Reason("nearest only")
SAME_WORDS, SAME_BEGINNING = Reason("same words"), Reason("same beginning")
# Why a likely match still needs a person: the score, or a rival.
NOT_SURE, RIVAL_EQUAL, RIVAL_NEAR = Reason("not sure"), Reason("rival equal"), Reason("rival near")
CASE_MATTERS = Reason("case matters")
TOO_LONG, VERY_SHORT, AMBIGUOUS_INITIALS, OWN_WORD, LIKE_MISSING_VALUE = (
    Reason("too long"), Reason("very short"), Reason("ambiguous initials"), Reason("own word"), Reason("like missing"),
)  # fmt: skip

_EDITS = len(EDIT_KINDS) - len(("first", "last"))
_SAME_LETTERS, _SEVERAL_LETTERS = "same letters", "letters differ"


def explain_pairs(
    search: CandidateSearch,
    queries: Queries,
    value_idx: Ints,
    entry_idx: Ints,
    reading: npt.NDArray[np.int8],
) -> list[Reasons]:
    """Explain why values are like the spellings proposed for them.

    Args:
        search: The spellings.
        queries: The values.
        value_idx: Positions of values, (pairs,).
        entry_idx: Positions of spellings, (pairs,).
        reading: The reading of each pair: by letters, words or initials, (pairs,).

    Returns:
        The reasons of each pair. The first part of a reason about letters is the spelling.
    """
    spelled = search.spellings.take(pa.array(entry_idx)).to_pylist()
    explained: list[Reasons] = [()] * len(value_idx)
    letters = np.flatnonzero(reading == BY_LETTERS)
    kinds = _name_edits(search, queries, value_idx[letters], entry_idx[letters])
    for pair, (kind, *more) in zip(letters.tolist(), kinds, strict=True):
        explained[pair] = (Reason(kind, (spelled[pair], *more)),)
    initials = np.flatnonzero(reading == BY_INITIALS)
    by_initials = _explain_by_initials(search, queries, value_idx[initials], entry_idx[initials])
    for pair, reason in zip(initials.tolist(), by_initials, strict=True):
        explained[pair] = (reason,)
    words = np.flatnonzero((reading != BY_LETTERS) & (reading != BY_INITIALS))
    if len(words):
        by_words = explain_by_words(search, queries.words, value_idx[words], entry_idx[words])
        for pair, reasons in zip(words.tolist(), by_words, strict=True):
            explained[pair] = reasons
    return explained


def _explain_by_initials(
    search: CandidateSearch, queries: Queries, value_idx: Ints, entry_idx: Ints
) -> list[Reason]:
    """Say which of values and spellings are the initials of the other: the reason of each pair."""
    is_shorter = search.forms.letters.lengths[entry_idx] < queries.forms.letters.lengths[value_idx]
    spellings = search.spellings.take(pa.array(entry_idx)).to_pylist()
    keys = queries.forms.word_keys.take(pa.array(value_idx)).to_pylist()
    return [
        Reason("short for", (spelling, key)) if shorter else Reason("initials", (spelling,))
        for shorter, spelling, key in zip(is_shorter.tolist(), spellings, keys, strict=True)
    ]


def _name_edits(
    search: CandidateSearch, queries: Queries, value_idx: Ints, entry_idx: Ints
) -> list[tuple[str, ...]]:
    """What the edits between letters are: a kind, and how many there are where there are several."""
    counts = search.edits.counts(queries.letters, search.letters, value_idx, entry_idx)[:, :_EDITS]
    totals = counts.sum(axis=1)
    only = np.where(totals == 1, counts.argmax(axis=1), -1)
    named = {PLACE_OF[kind]: (_name_edit(kind),) for kind in EDIT_KINDS[:_EDITS]}
    return [
        named.get(kind) or ((_SEVERAL_LETTERS, str(total)) if total else (_SAME_LETTERS,))
        for total, kind in zip(totals.tolist(), only.tolist(), strict=True)
    ]


def _name_edit(kind: str) -> str:
    """The kind of an edit as a steward would see it: whether it costs much is of no interest."""
    named = {
        "extra doubled": "letter doubled",
        "missing doubled": "letter not doubled",
        "extra digit": "digit extra",
        "missing digit": "digit missing",
        "instead: digits": "digit differs",
        "swapped": "letters swapped",
        "moved": "letter moved",
        "exchanged": "letters exchanged",
    }
    if kind in named:
        return named[kind]
    side, _, _ = kind.partition(" ")
    return {"extra": "letter extra", "missing": "letter missing"}.get(side, "letter differs")


def explain_by_words(
    search: CandidateSearch, values: Words, value_idx: Ints, entry_idx: Ints
) -> list[Reasons]:
    """Explain by their words why values are like spellings.

    Args:
        search: The spellings.
        values: The words of the values.
        value_idx: Positions of values, (pairs,).
        entry_idx: Positions of spellings, (pairs,).

    Returns:
        The reasons of each pair.
    """
    wording = search.wording
    compared = wording.align(values, value_idx, entry_idx)
    left_over, aligned = wording.list_left_over(values, len(value_idx), compared), compared.aligned
    explained: list[list[Reason]] = [[] for _ in value_idx]
    last: dict[int, int] = {}
    crossed: set[int] = set()
    columns = (aligned.pair, aligned.value_word, aligned.entry_word, aligned.how, aligned.is_longer)
    for pair, value_word, entry_word, how, is_longer in zip(
        *(column.tolist() for column in columns), strict=True
    ):
        if entry_word < last.get(pair, -1):
            crossed.add(pair)
        last[pair] = entry_word
        if how != SAME:
            word = values.texts_of(int(value_idx[pair]))[value_word]
            entry = wording.entries.texts_of(int(entry_idx[pair]))[entry_word]
            kind = {EDITED: "misspelt", STATED: "stands for", STEM: "other form"}.get(how, "short for")
            explained[pair].append(Reason(kind, (entry, word) if is_longer else (word, entry)))
    for pair, initials in wording.name_initials(values, compared):
        explained[pair].append(Reason("short for", initials))
    for pair, left in enumerate(left_over):
        reasons = explained[pair]
        if pair in crossed:
            others = bool(reasons or any(left))
            reasons.insert(0, Reason("other order" if others else "same words in other order"))
        reasons += [Reason(kind, tuple(some)) for kind, some in zip(_LEFT_OVER, left, strict=True) if some]
        if not reasons:
            reasons.append(SAME_WORDS)
    return [tuple(reasons) for reasons in explained]


def list_kinds(reasons: Iterable[Reason]) -> list[str]:
    """List the kinds of reasons, for programs that only sort by them.

    Args:
        reasons: The reasons.

    Returns:
        Their kinds, in order.
    """
    return [reason.kind for reason in reasons]


def spelled_alike(names: Sequence[str]) -> Reason:
    """Give the reason why a look-up is open: several entries have such a spelling.

    Args:
        names: The entries.

    Returns:
        The reason.
    """
    return Reason("several entries", tuple(names))
