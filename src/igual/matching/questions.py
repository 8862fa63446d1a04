"""Open values grouped into questions, so that one answer settles many of them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import NamedTuple, Protocol

from igual.decisions import Cause
from igual.display import to_sentence
from igual.matching.causes import find_causes, join_causes, join_kinds
from igual.matching.reasons import Reasons

# So many values make a kind worth a question of its own, and so many single rulings of one kind that agree.
FEWEST, ENOUGH_RULINGS = 3, 5
# In the place of such a number: it was ruled that the kind matters, and such values are asked singly.
REFUSED = -1
# Page size for values that share no word.
AT_A_LOOK = 8
# Below this score a proposal is a guess, and is asked about singly.
GUESS = 0.5
_EXAMPLES = 3
# A rival that is one part in so many as likely is worth a look.
_NEAR = 4


class WaitingValue(Protocol):
    """A value that needs a decision."""

    @property
    def value(self) -> str:
        """The value."""

    @property
    def rows(self) -> int:
        """How many rows have it."""

    @property
    def proposal(self) -> str:
        """The likeliest entry."""

    @property
    def score(self) -> float:
        """How likely it is meant, 0 to 1."""

    @property
    def reasons(self) -> Reasons:
        """Why it is proposed, and why it isn't settled."""

    @property
    def within(self) -> str:
        """What stands beside it, where that restricts the entries."""

    @property
    def rival(self) -> str:
        """Another entry that is at least a quarter as likely; '' for none."""


class Pair(NamedTuple):
    """A value and the entry proposed for it.

    Attributes:
        value: The value.
        proposal: The entry.
        score: How likely it is meant, 0 to 1.
        rows: How many rows have the value.
        within: What stands beside it, where that restricts the entries.
        rival: Another entry that is at least a quarter as likely; '' for none.
    """

    value: str
    proposal: str
    score: float
    rows: int
    within: str = ""
    rival: str = ""

    @classmethod
    def of(cls, one: WaitingValue) -> Pair:
        """The pair of an open value."""
        return cls(one.value, one.proposal, one.score, one.rows, one.within, one.rival)


def is_rival(score: float, other: float) -> bool:
    """Whether another entry of such a score is worth a look beside the likeliest."""
    return 0 < score <= _NEAR * other


@dataclass(frozen=True)
class Question:
    """Open values that one answer settles.

    Attributes:
        column: The column; '' where values were matched without a table.
        kind: What the values have in common: 'word left out', 'extra word', 'abbreviation', 'word order', 'initials',
            'spelling variant', several of these, or 'single value'.
        cause: The kind of difference that a yes would rule on, for later values too; None where a yes rules on these
            values alone.
        members: The values, the most doubtful first.
    """

    column: str
    kind: str
    cause: Cause | None
    members: Sequence[Pair]

    @property
    def pairs(self) -> Mapping[str, str]:
        """Value to the entry that a yes would settle it for; of one in several contexts the last."""
        return {member.value: member.proposal for member in self.members}

    @property
    def keys(self) -> list[tuple[str, str, str]]:
        """Column, value, and what stands beside it, of each value."""
        return [(self.column, member.value, member.within) for member in self.members]

    @property
    def rows(self) -> int:
        """How many rows a yes would settle."""
        return sum(member.rows for member in self.members)

    @property
    def examples(self) -> Sequence[Pair]:
        """The most doubtful of the values."""
        return self.members[:_EXAMPLES]

    @property
    def text(self) -> str:
        """The question as a sentence."""
        return to_sentence(self)


def group_questions(
    waiting: Iterable[WaitingValue], column: str = "", agreed: Mapping[Cause, int] | None = None
) -> list[Question]:
    """Group open values into questions.

    Args:
        waiting: The open values of one column.
        column: The column.
        agreed: How many single rulings each kind of difference has had, or REFUSED.

    Returns:
        The questions, those that settle most rows first.
    """
    agreed = agreed or {}
    of_cause: dict[Cause, list[Pair]] = {}
    of_kind: dict[str, list[Pair]] = {}
    questions: list[Question] = []
    for one in waiting:
        pair = Pair.of(one)
        causes = find_causes(one.reasons) if one.proposal else ()
        cause = join_causes(causes) if not pair.rival else None
        # What has a rival, or is a guess, a yes to others leaves open.
        if cause is not None and pair.score >= GUESS:
            of_cause.setdefault(cause, []).append(pair)
        elif causes and (cause is not None or pair.score >= GUESS):
            of_kind.setdefault(join_kinds(causes), []).append(pair)
        else:
            questions.append(Question(column, "single value", None, (pair,)))
    for cause, pairs in of_cause.items():
        if agreed.get(cause) == REFUSED:
            questions += [Question(column, "single value", None, (pair,)) for pair in pairs]
        elif len(pairs) >= FEWEST or agreed.get(cause, 0) >= ENOUGH_RULINGS:
            questions.append(Question(column, cause.kind, cause, _doubtful_first(pairs)))
        else:
            of_kind.setdefault(cause.kind, []).extend(pairs)
    for kind, pairs in of_kind.items():
        surest = _doubtful_first(pairs)[::-1]
        for start in range(0, len(surest), AT_A_LOOK):
            some = surest[start : start + AT_A_LOOK][::-1]
            questions.append(Question(column, kind if len(some) > 1 else "single value", None, some))
    return sorted(questions, key=lambda question: (-question.rows, question.kind, question.members[0].value))


def _doubtful_first(pairs: Iterable[Pair]) -> list[Pair]:
    return sorted(pairs, key=lambda pair: (pair.score, pair.value))
