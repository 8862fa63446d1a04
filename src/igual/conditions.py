"""Which values are meant: one vocabulary for rules, counts, tallies and checks."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING, Any, TypeAlias, Union

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from pydantic import Field, field_validator, model_validator

from igual.column import TEXT, Mask, to_mask
from igual.lists import ReferenceList
from igual.settings import Settings, Several, Value
from igual.text.arrays import has_pattern
from igual.text.blanks import is_blank
from igual.text.folding import casefold
from igual.text.patterns import checked_pattern, checked_sought
from igual.text.reading import dates, limit, numbers
from igual.text.replacing import find_first

Limit = int | float | str
_COMPARED = ("above", "at_least", "below", "at_most")

if TYPE_CHECKING:
    # A condition may also be given as a dict of its words; it is checked and turned into a Condition.
    ConditionLike: TypeAlias = Union["Condition", Mapping[str, Any]]  # noqa: UP007
else:
    ConditionLike = Union["Condition"]


class Condition(Settings):
    """Values that meet every word that is given.

    A missing value meets no word but `blank` and `not`. Without any word every value is meant.

    Attributes:
        equals: The value is this text.
        contains: The value contains this text.
        starts: The value starts with this text.
        ends: The value ends with this text.
        word: The value contains this text, with no letter or digit beside it.
        one_of: The value equals one of several texts.
        like: A text with wildcards: `*` for any characters, `?` for one.
        pattern: A regular expression that must be found (RE2 syntax, which always ends).
        above: A number or a date (`2024-05-31`) that the value must be above. Values that are no plain number or
            date don't meet it, and are reported as unread.
        at_least: The same, with the limit included.
        below: A number or a date that the value must be below.
        at_most: The same, with the limit included.
        between: Two such limits, both included.
        length: How many characters, or the minimum and the maximum.
        in_list: The name of a reference list that has the value as an entry or alias.
        blank: True for values that are missing, empty, or nothing but spaces; false for all others.
        ignore_case: Compare with case set aside (Unicode case folding).
        column: The column that is meant, where it isn't the rule's own.
        not_: A condition that must not hold; in a rulebook file `not`.
        all: Conditions that must all hold.
        any: Conditions of which one must hold.

    Example:
        >>> Condition(contains="maple", ignore_case=True).mask(pa.array(["Norway Maple", "oak", None])).tolist()
        [True, False, False]
    """

    equals: Value | None = None
    contains: Value | None = None
    starts: Value | None = None
    ends: Value | None = None
    word: Value | None = Field(default=None, min_length=1)
    one_of: Several[Value] | None = None
    like: str | None = None
    pattern: str | None = None
    above: Limit | None = None
    at_least: Limit | None = None
    below: Limit | None = None
    at_most: Limit | None = None
    between: tuple[Limit, Limit] | None = None
    length: int | tuple[int, int] | None = None
    in_list: str | None = None
    blank: bool | None = None
    ignore_case: bool = False
    column: str | None = None
    not_: ConditionLike | None = Field(default=None, validation_alias="not", serialization_alias="not")
    all: tuple[ConditionLike, ...] | None = None
    any: tuple[ConditionLike, ...] | None = None

    @field_validator("word", "like")
    @classmethod
    def _text_is_short(cls, given: str | None) -> str | None:
        return checked_sought(given) if given is not None else None

    @field_validator("pattern")
    @classmethod
    def _pattern_is_sound(cls, given: str | None) -> str | None:
        return checked_pattern(given) if given is not None else None

    @model_validator(mode="after")
    def _limits_are_sound(self) -> Condition:
        kinds = {limit(given)[1] for given in self._limits().values()}
        if len(kinds) > 1:
            raise ValueError("the limits are numbers and dates; give one kind")
        return self

    def _limits(self) -> dict[str, Limit]:
        given = {word: getattr(self, word) for word in _COMPARED}
        if self.between is not None:
            given["between from"], given["between to"] = self.between
        return {word: stated for word, stated in given.items() if stated is not None}

    def _inner(self) -> list[Condition]:
        given = [*([self.not_] if self.not_ else []), *(self.all or ()), *(self.any or ())]
        return [as_condition(inner) for inner in given]

    def columns(self) -> set[str]:
        """The columns it names, here or in a condition within."""
        own = {self.column} if self.column is not None else set()
        return own.union(*(inner.columns() for inner in self._inner()))

    def lists(self) -> set[str]:
        """The reference lists it names."""
        own = {self.in_list} if self.in_list is not None else set()
        return own.union(*(inner.lists() for inner in self._inner()))

    def mask(
        self,
        values: pa.Array,
        beside: Mapping[str, pa.Array] | None = None,
        lists: Mapping[str, ReferenceList] | None = None,
    ) -> Mask:
        """Find out which values meet the condition.

        Args:
            values: Distinct texts, (distinct,).
            beside: Texts of other columns that stand beside them, each (distinct,).
            lists: Reference lists by name.

        Returns:
            A flag for each value, (distinct,).
        """
        own = values if self.column is None else (beside or {}).get(self.column, values)
        mask = self._own_mask(own.cast(TEXT), lists or {})
        if self.not_ is not None:
            mask &= ~as_condition(self.not_).mask(values, beside, lists)
        for inner in self.all or ():
            mask &= as_condition(inner).mask(values, beside, lists)
        if self.any is not None:
            masks = [as_condition(inner).mask(values, beside, lists) for inner in self.any]
            mask &= np.logical_or.reduce(masks)
        return mask

    def unread(self, values: pa.Array) -> Mask:
        """Find values that can't be compared with the limits, since they are no plain numbers (or dates).

        Args:
            values: Distinct texts, (distinct,).

        Returns:
            A flag for each value, (distinct,); none is set where the condition has no limits.
        """
        limits = self._limits()
        if not limits or self.column is not None:
            return np.zeros(len(values), np.bool_)
        strange: Mask = np.isnan(self._read(values.cast(TEXT))) & ~is_blank(values.cast(TEXT))
        return strange

    def _read(self, values: pa.Array) -> np.ndarray[Any, np.dtype[np.float64]]:
        _, is_date = limit(next(iter(self._limits().values())))
        return dates(values) if is_date else numbers(values)

    def _own_mask(self, values: pa.Array, lists: Mapping[str, ReferenceList]) -> Mask:
        mask = np.ones(len(values), np.bool_)
        if self.blank is not None:
            mask &= is_blank(values) == self.blank
        compared = casefold(values) if self.ignore_case else values
        tests: list[tuple[str | None, Callable[[pa.Array, str], pa.Array]]] = [
            (self.equals, pc.equal),
            (self.contains, pc.match_substring),
            (self.starts, pc.starts_with),
            (self.ends, pc.ends_with),
        ]
        for text, test in tests:
            if text is not None:
                mask &= to_mask(test(compared, self._compared(text)))
        if self.word is not None:
            mask &= to_mask(find_first(compared, [self._compared(self.word)], "word").is_valid())
        if self.one_of is not None:
            mask &= self._is_among(compared, self.one_of)
        if self.in_list is not None:
            mask &= self._is_among(compared, lists[self.in_list].entry_of)
        if self.like is not None:
            mask &= has_pattern(compared, _wildcards(self._compared(self.like)))
        if self.pattern is not None:
            mask &= has_pattern(values, f"(?i){self.pattern}" if self.ignore_case else self.pattern)
        mask &= self._measured(values)
        return mask

    def _measured(self, values: pa.Array) -> Mask:
        """The words that compare lengths, numbers and dates."""
        mask = np.ones(len(values), np.bool_)
        if self.length is not None:
            minimum, maximum = (self.length, self.length) if isinstance(self.length, int) else self.length
            lengths = pc.utf8_length(values).fill_null(-1).to_numpy(zero_copy_only=False)
            mask &= (lengths >= max(minimum, 0)) & (lengths <= maximum)
        if limits := self._limits():
            read = self._read(values)
            for word, stated in limits.items():
                mask &= np.asarray(_COMPARISONS[word](read, limit(stated)[0]), np.bool_)
        return mask

    def _is_among(self, compared: pa.Array, texts: Any) -> Mask:
        accepted = pa.array([self._compared(text) for text in texts], TEXT)
        return to_mask(pc.is_in(compared, accepted)) & ~to_mask(compared.is_null())

    def _compared(self, text: str) -> str:
        return text.casefold() if self.ignore_case else text


if not TYPE_CHECKING:
    ConditionLike = Condition

_COMPARISONS: Mapping[str, Callable[[Any, float], Any]] = {
    "above": np.greater,
    "at_least": np.greater_equal,
    "below": np.less,
    "at_most": np.less_equal,
    "between from": np.greater_equal,
    "between to": np.less_equal,
}


def _wildcards(like: str) -> str:
    """A text with wildcards as a pattern for the whole value."""
    body = "".join({"*": ".*", "?": "."}.get(c, re.escape(c)) for c in like)
    return f"(?s)^{body}$"


def as_condition(given: ConditionLike) -> Condition:
    """Give a condition that may have been stated as a dict as what it has become.

    Args:
        given: The condition; models have turned dicts into conditions already.

    Returns:
        The condition.
    """
    if isinstance(given, Condition):
        return given
    return Condition(**given)
