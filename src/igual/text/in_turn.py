"""Texts replaced by others pair after pair, each acting on what the ones before it made."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterable, Mapping, Sequence
from functools import cached_property
from typing import NamedTuple

import numpy as np
import pyarrow as pa

from igual.column import TEXT, Mask
from igual.pieces import in_pieces
from igual.text.arrays import count_allowed, differs, refuse_large_column, refuse_long_texts
from igual.text.finding import FoundTexts, take_leftmost
from igual.text.folding import casefold
from igual.text.packed import Offsets, mark, pack, splice, unpack
from igual.text.replacing import Replaced, Replacing, refuse_growth

# Whether what an earlier pair puts in is changed by a later one: (earlier, later).
IsChanged = Callable[[int, int], bool]


# So many patterns are looked for at once, to find out whether any of them is there.
_PATTERNS_AT_ONCE = 64
# Where one of them is, they are looked for again in so many parts.
_PATTERN_PARTS = 8
# So many pairs of pairs are looked through for those of which one changes what the other has put in.
_MAX_MEETING = 1_000
# Few values are worked on text by text, where the pairs to try on them are no more than so many together.
_FEW_TRIES = 2_000_000


class _Changes(NamedTuple):
    """Which pairs changed which values.

    Attributes:
        values: Positions of values, (changes,).
        pairs: Positions of the pairs that changed them, (changes,).
    """

    values: Offsets
    pairs: Offsets


class ReplacingInTurn(Replacing):
    """Pairs that act one after another, prepared as `Replacing` is.

    No pair is tried on every value. In each round all values are looked at together, and each is changed by the
    first of the pairs that stand in it, of those behind the one that changed it last: there are as many rounds as
    pairs change one value.
    """

    @cached_property
    def _listed(self) -> list[tuple[str, str]]:
        return list(self._pairs.items())

    def replace(self, values: pa.Array, beside: Mapping[str, pa.Array] | None = None) -> Replaced:
        """Replace pair after pair.

        Args:
            values: Texts, (values,).
            beside: Ignored.
        """
        if self._is_plain and len(values) * len(self._pairs) <= _FEW_TRIES:
            pieces = [self._replace_few(values)]
        else:
            pieces = in_pieces(
                values, lambda start, size: self._replace_piece(values.slice(start, size), start)
            )
        changes = _join([made for _, made in pieces])
        used = mark(len(self._pairs), changes.pairs)
        feeding = self._list_feeding(used)
        again = _list_changed_again(list(self._pairs), changes, feeding, self._is_changed)
        return Replaced(pa.concat_arrays([made for made, _ in pieces]), used, again)

    @property
    def _is_plain(self) -> bool:
        """Whether pairs act wherever their text stands, as Python's own replacing does."""
        return self._where == "anywhere" and self._nth is None and not self._ignore_case

    def _replace_few(self, values: pa.Array) -> tuple[pa.Array, _Changes]:
        """Pair after pair, text by text: rounds over few texts cost more than the texts."""
        made, changed, whole, allowed = [], [], 0, count_allowed(values)
        for place, text in enumerate(values.to_pylist()):
            for pair, (sought, given) in enumerate(self._listed if text is not None else ()):
                if sought in text:
                    refuse_long_texts(pa.array([len(text) + text.count(sought) * len(given)]), values)
                    new = text.replace(sought, given)
                    if new != text:
                        changed.append((place, pair))
                    text = new
            made.append(text)
            whole += len(text or "")
            if whole > allowed:
                refuse_large_column(pa.array([whole]), values)
        where = np.array(changed, np.int64).reshape(-1, 2)
        return pa.array(made, TEXT), _Changes(where[:, 0], where[:, 1])

    def _replace_piece(self, values: pa.Array, start: int) -> tuple[pa.Array, _Changes]:
        """Round after round; what no further pair stands in is done with."""
        active, next_pair = np.arange(len(values)), np.zeros(len(values), np.int64)
        done: list[tuple[Offsets, pa.Array]] = []
        changes = [_Changes(active[:0], active[:0])]
        while len(active):
            made, which = self._replace_next(values, next_pair)
            is_changed = differs(values, made)
            changes.append(_Changes(active[is_changed] + start, which[is_changed]))
            goes_on = which >= 0
            done.append((active[~goes_on], made.filter(pa.array(~goes_on))))
            active, next_pair, values = active[goes_on], which[goes_on] + 1, made.filter(pa.array(goes_on))
        places = np.concatenate([places for places, _ in done]) if done else active
        joined = pa.concat_arrays([values.cast(TEXT), *(made for _, made in done)])
        return joined.take(pa.array(np.argsort(places))), _join(changes)

    def _replace_next(self, values: pa.Array, next_pair: Offsets) -> tuple[pa.Array, Offsets]:
        """The values once the next pair has acted on each, and which that is; -1: none stands in it."""
        packed = unpack(values)
        found = self._read(values, packed)
        refuse_growth(values, self._pairs, self._ignore_case, in_turn=True)
        hits = found.place(self._finder.find_all(found.packed, found.accept(self._where)))
        hits = hits.where(hits.which >= next_pair[hits.owners])
        hits = self._keep_first_pair(hits, len(packed.data))
        which = np.full(len(values), -1, np.int64)
        which[hits.owners] = hits.which
        texts, given = self._give(hits, packed, None)
        return pack(splice(packed, hits.starts, hits.stops, texts, given, hits.owners), values), which

    def _keep_first_pair(self, hits: FoundTexts, size: int) -> FoundTexts:
        """Of what was found in each text only the first pair that acts there, in the places where it does."""
        groups = hits.owners * len(self._pairs) + hits.which
        order = np.lexsort((hits.starts, groups))
        hits, groups = hits.where(order), groups[order]
        # Each pair in each text for itself: that another pair's place is overlapped is of no matter.
        apart = np.cumsum(np.diff(groups, prepend=groups[:1]) > 0) * (size + 1)
        spread = hits._replace(
            starts=hits.starts + apart, stops=hits.stops + apart, which=np.arange(len(groups))
        )
        hits = self._keep_nth(hits.where(take_leftmost(spread).which))
        begins = np.diff(hits.owners, prepend=-1) > 0
        return hits.where(hits.which == hits.which[begins][np.cumsum(begins) - 1])

    def _replace_alone(self, pair: int, text: str) -> str:
        """What one pair makes of one text."""
        sought, given = self._listed[pair]
        one = Replacing({sought: given}, self._where, self._nth, self._ignore_case, self._keep_case)
        replaced: str = one.replace(pa.array([text], TEXT)).values[0].as_py()
        return replaced

    def _list_feeding(self, used: Mask) -> list[tuple[int, int]]:
        """Pairs of pairs where what the later one looks for may stand in what the earlier one puts in."""
        earlier = np.flatnonzero(used)
        outputs = pa.array([self._givens[pair] for pair in earlier.tolist()], TEXT)
        hits = self._finder.find_all(unpack(casefold(outputs) if self._ignore_case else outputs))
        found = {*zip(earlier[hits.owners].tolist(), hits.which.tolist(), strict=True)}
        return [(one, other) for one, other in found if one < other and used[other]]

    def _is_changed(self, earlier: int, later: int) -> bool:
        made = self._givens[earlier]
        if self._is_plain:
            sought, given = self._listed[later]
            return made.replace(sought, given) != made
        return self._replace_alone(later, made) != made


def substituted_in_turn(
    values: pa.Array,
    pairs: Mapping[str, str],
    one: Callable[[pa.Array, str, str], pa.Array],
    find_any: Callable[[pa.Array, Sequence[str]], Mask],
) -> Replaced:
    """Replace pattern after pattern in the given order, each acting on what the ones before it made.

    Args:
        values: Texts, (values,).
        pairs: Patterns to look for, and what is put in their places.
        one: Replaces one pattern by its text.
        find_any: Tells in which texts one of some patterns is found.
    """
    listed = list(pairs.items())
    changes = [_Changes(np.zeros(0, np.int64), np.zeros(0, np.int64))]

    def replace_one(values: pa.Array, pair: int) -> pa.Array:
        new = one(values, *listed[pair])
        changed = np.flatnonzero(differs(values, new))
        changes.append(_Changes(changed, np.full(len(changed), pair)))
        return new

    def replace_some(values: pa.Array, start: int, stop: int) -> pa.Array:
        """Patterns of a range, cut until those are left that are found in some value."""
        if stop - start == 1:
            return replace_one(values, start)
        if not find_any(values, [sought for sought, _ in listed[start:stop]]).any():
            return values
        return replace_range(values, start, stop, -(-(stop - start) // _PATTERN_PARTS))

    def replace_range(values: pa.Array, start: int, stop: int, size: int) -> pa.Array:
        for first in range(start, stop, size):
            values = replace_some(values, first, min(first + size, stop))
        return values

    values = replace_range(values, 0, len(listed), _PATTERNS_AT_ONCE)

    def is_changed(earlier: int, later: int) -> bool:
        output = pa.array([listed[earlier][1]], TEXT)
        return bool(differs(output, one(output, *listed[later]))[0])

    joined = _join(changes)
    used = mark(len(listed), joined.pairs)
    both = _list_meeting(joined)
    return Replaced(values, used, _list_changed_again(list(pairs), joined, both, is_changed))


def _list_meeting(changes: _Changes) -> list[tuple[int, int]]:
    """Pairs of pairs that have changed one value, of very many only the first."""
    order = np.lexsort((changes.pairs, changes.values))
    starts = np.flatnonzero(np.diff(changes.values[order], prepend=-1))
    meeting: set[tuple[int, int]] = set()
    for some in np.split(changes.pairs[order], starts[1:]):
        meeting.update(itertools.islice(itertools.combinations(some.tolist(), 2), _MAX_MEETING))
        if len(meeting) >= _MAX_MEETING:
            break
    return sorted(meeting)[:_MAX_MEETING]


def _join(changes: Sequence[_Changes]) -> _Changes:
    return _Changes(*(np.concatenate(column) for column in zip(*changes, strict=True)))


def _list_changed_again(
    sought: Sequence[str], changes: _Changes, feeding: Iterable[tuple[int, int]], is_changed: IsChanged
) -> tuple[tuple[str, str, int], ...]:
    """Where what an earlier pair put in holds what a later one looks for, and both have changed a value.

    Args:
        sought: What the pairs look for, (pairs,).
        changes: What they changed.
        feeding: Pairs of pairs that come into question.
        is_changed: Tells whether one is meant.
    """
    order = np.lexsort((changes.values, changes.pairs))
    bounds = np.searchsorted(changes.pairs[order], np.arange(len(sought) + 1))
    touched = np.split(changes.values[order], bounds[1:-1])
    found = []
    for earlier, later in sorted(feeding, key=lambda both: both[::-1]):
        values = len(np.intersect1d(touched[earlier], touched[later], assume_unique=True))
        if values and is_changed(earlier, later):
            found.append((sought[earlier], sought[later], values))
    return tuple(found)
