"""Similarity: the cost of the likeliest edits that lead from a value to an entry, for many pairs at once.

The dynamic programme of the edit distance (Wagner and Fischer, 1974), with swapped neighbours as one edit
(optimal string alignment) and a cost for each kind of edit. It runs over anti-diagonals, on which no cell depends
on another, within a band, and for thousands of pairs at a time.
"""

from __future__ import annotations

import contextlib
import importlib
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from types import ModuleType
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from igual.core.matching.kinds import CLASSES, KINDS, LAST, PLACE_OF, Bytes, classes_and_gaps, slips
from igual.core.matching.texts import Ints, Matrix, Texts

Costs = npt.NDArray[np.int16]

# How far two texts may drift apart: pairs whose lengths differ by more are too far.
BAND = 4
FAR = 20_000
# Costs are counted in hundredths of a nat: e to the minus one is 100.
UNIT = 100
_BLOCK = 24_576
# For fewer pairs it doesn't pay to load what is compiled.
_WORTH_LOADING = 20_000
_CENTRE = BAND + 1
_EXTRA, _MISSING, _INSTEAD, _SWAPPED = range(4)


@dataclass(frozen=True, eq=False)
class Prepared:
    """Texts with, for each character, its class and what its absence in the other text costs."""

    texts: Texts
    classes: Bytes
    gap_kinds: Bytes
    # What pairs need of a character in one number: gap cost, class and code point, 16 bits each.
    packed: npt.NDArray[np.uint64]

    def take(self, places: Ints) -> Prepared:
        texts = self.texts.take(places)
        cut = places, slice(texts.characters.shape[1])
        return Prepared(texts, self.classes[cut], self.gap_kinds[cut], self.packed[cut])


class _Block(NamedTuple):
    """Pairs side by side, a row for each character: the values' from first to last, the entries' backwards, so
    that the characters that meet on an anti-diagonal stand in consecutive rows of both."""

    value: Matrix
    value_classes: npt.NDArray[np.intp]
    value_gaps: Costs
    entry: Matrix
    entry_classes: npt.NDArray[np.intp]
    entry_gaps: Costs
    totals: Ints


class Edits:
    """Costs of edits, ready for comparing.

    costs: what each of KINDS costs, in nats; 1 for every edit where it is left out.
    """

    def __init__(self, costs: Mapping[str, float] | None = None) -> None:
        self._all_alike = costs is None
        if costs is None:
            self._weights = np.array([0 if kind in ("first", "last") else UNIT for kind in KINDS], np.int16)
        else:
            self._weights = np.array([max(round(UNIT * costs[kind]), 1) for kind in KINDS], np.int16)
        self._slips = slips()
        substitutions = self._weights[self._slips.substitutions]
        substitutions[LAST:, LAST:] += self._weights[PLACE_OF["last"]]
        self._substitutions = substitutions.ravel()
        self._first = self._weights[PLACE_OF["first"]]
        self._swap = self._weights[PLACE_OF["swapped"]]
        self._compiled: ModuleType | None = None

    def values(self, texts: Texts) -> Prepared:
        return self._prepared(texts, "extra")

    def entries(self, texts: Texts) -> Prepared:
        return self._prepared(texts, "missing")

    def _prepared(self, texts: Texts, side: str) -> Prepared:
        if self._all_alike:
            # No character's class matters.
            classes = gaps = np.zeros(texts.characters.shape, np.uint8)
        else:
            classes, gaps = classes_and_gaps(texts, self._slips, side)
        costs = self._weights[gaps]
        costs[:, 0] += self._first
        filled = np.flatnonzero(texts.lengths)
        costs[filled, texts.lengths[filled] - 1] += self._weights[PLACE_OF["last"]]
        packed = costs.astype(np.uint64) << np.uint64(32) | classes.astype(np.uint64) << np.uint64(16)
        return Prepared(texts, classes, gaps, packed | texts.characters)

    def make_ready(self) -> None:
        """Load what is compiled, where Numba is installed."""
        with contextlib.suppress(ImportError):
            self._compiled = importlib.import_module("igual.core.matching.compiled")

    def _run_compiled(
        self, values: Prepared, entries: Prepared, one: Ints, other: Ints, counts: npt.NDArray[np.int16]
    ) -> Costs:
        """The cost of each pair; its edits go into `counts`, unless it has no rows."""
        found = np.full(len(one), FAR, np.int16)
        sides = [(side.packed, side.texts.lengths, side.gap_kinds) for side in (values, entries)]
        weights = self._substitutions.reshape(CLASSES, CLASSES), self._slips.substitutions
        singles = int(self._first), int(self._swap), PLACE_OF["swapped"], BAND, FAR
        assert self._compiled is not None
        self._compiled.programme(*sides[0], *sides[1], one, other, *weights, *singles, found, counts)
        return found

    def costs(self, values: Prepared, entries: Prepared, one: Ints, other: Ints) -> Costs:
        """The cost of each pair of a value and an entry, (pairs,), in hundredths; FAR for what is too far.

        one, other: places in values and entries, (pairs,).
        """
        if len(one) >= _WORTH_LOADING:
            self.make_ready()
        if self._compiled is not None:
            return self._run_compiled(values, entries, one, other, np.zeros((0, len(KINDS)), np.int16))
        found = np.full(len(one), FAR, np.int16)
        for chosen in _blocks(values, entries, one, other):
            found[chosen] = self._programme(values, entries, one[chosen], other[chosen], None)
        return found

    def counts(self, values: Prepared, entries: Prepared, one: Ints, other: Ints) -> npt.NDArray[np.int16]:
        """How many edits of each kind the cheapest way has, (pairs, kinds)."""
        found = np.zeros((len(one), len(KINDS)), np.int16)
        if self._compiled is not None:
            self._run_compiled(values, entries, one, other, found)
            return found
        for chosen in _blocks(values, entries, one, other):
            moves: dict[int, tuple[int, npt.NDArray[np.int8]]] = {}
            self._programme(values, entries, one[chosen], other[chosen], moves)
            found[chosen] = self._walked(values, entries, one[chosen], other[chosen], moves)
        return found

    def _programme(
        self,
        values: Prepared,
        entries: Prepared,
        one: Ints,
        other: Ints,
        moves: dict[int, tuple[int, npt.NDArray[np.int8]]] | None,
    ) -> Costs:
        """Costs of pairs in the order of falling total length; `moves` takes the move into each cell."""
        lengths = values.texts.lengths[one], entries.texts.lengths[other]
        block = _side_by_side(values, entries, one, other)
        rows, columns, most = len(block.value), len(block.entry), int(block.totals[0])
        still = np.searchsorted(-block.totals, -np.arange(most + 1), "right")
        ring = [np.full((2 * BAND + 3, len(one)), FAR, np.int16) for _ in range(5)]
        ring[0][_CENTRE] = 0
        result = np.where(block.totals == 0, np.int16(0), np.int16(FAR))
        ends = lengths[0] - lengths[1] + _CENTRE
        for diagonal in range(1, most + 1):
            pairs = int(still[diagonal])
            now, last, before, swapped = (ring[(diagonal - back) % 5][:, :pairs] for back in (0, 1, 2, 4))
            now[:] = FAR
            low = max(-BAND, -diagonal, diagonal - 2 * columns)
            high = min(BAND, diagonal, 2 * rows - diagonal)
            low, high = low + (low - diagonal) % 2, high - (high - diagonal) % 2
            if low > high:
                continue
            # Cells (i, j) with i + j the diagonal: i rises by one from cell to cell, j falls.
            i, j = (diagonal + low) // 2, (diagonal - low) // 2
            cells = (high - low) // 2 + 1
            new = np.full((cells, pairs), FAR, np.int16)
            move = None if moves is None else np.zeros((cells, pairs), np.int8)

            def reached(
                start: int,
                end: int,
                step: Costs,
                kind: int,
                new: Costs = new,
                move: npt.NDArray[np.int8] | None = move,
            ) -> None:
                if move is not None:
                    move[start:end][step < new[start:end]] = kind
                np.minimum(new[start:end], step, out=new[start:end])

            def cells_of(ring_of: Costs, shift: int, start: int, end: int, low: int = low) -> Costs:
                first = low + _CENTRE + shift + 2 * start
                return ring_of[first : first + 2 * (end - start) - 1 : 2]

            b = columns - j  # where the entry's j-th character stands
            start, end = (1 if i == 0 else 0), (cells - 1 if j - cells + 1 == 0 else cells)
            if start < cells:
                step = (
                    cells_of(last, -1, start, cells) + block.value_gaps[i - 1 + start : i - 1 + cells, :pairs]
                )
                reached(start, cells, step, _EXTRA)
            if end > 0:
                step = cells_of(last, 1, 0, end) + block.entry_gaps[b : b + end, :pairs]
                reached(0, end, step, _MISSING)
            if start < end:
                here = slice(i - 1 + start, i - 1 + end), slice(b + start, b + end)
                index = block.value_classes[here[0], :pairs] + block.entry_classes[here[1], :pairs]
                cost = self._substitutions.take(index, mode="clip")
                if diagonal == 2:
                    cost += self._first
                cost *= block.value[here[0], :pairs] != block.entry[here[1], :pairs]
                reached(start, end, cells_of(before, 0, start, end) + cost, _INSTEAD)
            start, end = max(2 - i, 0), cells - max(2 - (j - cells + 1), 0)
            if start < end:
                mine, mine_before = (
                    block.value[i - back + start : i - back + end, :pairs] for back in (1, 2)
                )
                theirs, theirs_before = (block.entry[b + k + start : b + k + end, :pairs] for k in (0, 1))
                crossed = (mine == theirs_before) & (mine_before == theirs)
                step = np.where(crossed, cells_of(swapped, 0, start, end) + self._swap, np.int16(FAR))
                reached(start, end, step, _SWAPPED)
            cells_of(now, 0, 0, cells)[:] = np.minimum(new, FAR)
            if moves is not None and move is not None:
                moves[diagonal] = low, move
            done = np.flatnonzero(block.totals[:pairs] == diagonal)
            result[done] = now[ends[done], done]
        return result

    def _walked(
        self,
        values: Prepared,
        entries: Prepared,
        one: Ints,
        other: Ints,
        moves: Mapping[int, tuple[int, npt.NDArray[np.int8]]],
    ) -> npt.NDArray[np.int16]:
        """The edits of each pair, counted by kind on the way back from the last cell to the first."""
        counts = np.zeros((len(one), len(KINDS)), np.int16)
        i, j = values.texts.lengths[one], entries.texts.lengths[other]
        ends = i.copy(), j.copy()
        for diagonal in range(int((i + j).max(initial=0)), 0, -1):
            at = np.flatnonzero(i + j == diagonal)
            if not len(at) or diagonal not in moves:
                continue
            low, move = moves[diagonal]
            taken = move[(i[at] - j[at] - low) // 2, at]
            for kind in (_EXTRA, _MISSING, _INSTEAD, _SWAPPED):
                pairs = at[taken == kind]
                a, b = i[pairs], j[pairs]
                first, last = (
                    (a == 1, a == ends[0][pairs]) if kind != _MISSING else (b == 1, b == ends[1][pairs])
                )
                if kind == _EXTRA:
                    counts[pairs, values.gap_kinds[one[pairs], a - 1]] += 1
                elif kind == _MISSING:
                    counts[pairs, entries.gap_kinds[other[pairs], b - 1]] += 1
                elif kind == _INSTEAD:
                    differ = (
                        values.texts.characters[one[pairs], a - 1]
                        != entries.texts.characters[other[pairs], b - 1]
                    )
                    first, last = differ & first & (b == 1), differ & last & (b == ends[1][pairs])
                    classes = values.classes[one[pairs], a - 1], entries.classes[other[pairs], b - 1]
                    counts[pairs[differ], self._slips.substitutions[classes][differ]] += 1
                else:
                    counts[pairs, PLACE_OF["swapped"]] += 1
                    first = last = np.zeros(len(pairs), np.bool_)
                counts[pairs[first], PLACE_OF["first"]] += 1
                counts[pairs[last], PLACE_OF["last"]] += 1
                i[pairs] -= 0 if kind == _MISSING else 2 if kind == _SWAPPED else 1
                j[pairs] -= 0 if kind == _EXTRA else 2 if kind == _SWAPPED else 1
        return counts


def _blocks(values: Prepared, entries: Prepared, one: Ints, other: Ints) -> Iterator[Ints]:
    """Pairs that aren't too far apart, in blocks of alike total length, longest first."""
    lengths = values.texts.lengths[one], entries.texts.lengths[other]
    near = np.flatnonzero(np.abs(lengths[0] - lengths[1]) <= BAND)
    order = near[np.argsort(-(lengths[0] + lengths[1])[near], kind="stable")]
    for start in range(0, len(order), _BLOCK):
        yield order[start : start + _BLOCK]


def _side_by_side(values: Prepared, entries: Prepared, one: Ints, other: Ints) -> _Block:
    lengths = values.texts.lengths[one], entries.texts.lengths[other]
    rows, columns = int(lengths[0].max()), int(lengths[1].max())

    value, value_classes, value_gaps = _unpacked(np.ascontiguousarray(values.packed[one, :rows].T))
    entry, entry_classes, entry_gaps = _unpacked(
        np.ascontiguousarray(entries.packed[other, :columns].T[::-1])
    )
    totals = lengths[0] + lengths[1]
    return _Block(value, value_classes * CLASSES, value_gaps, entry, entry_classes, entry_gaps, totals)


def _unpacked(packed: npt.NDArray[np.uint64]) -> tuple[Matrix, npt.NDArray[np.intp], Costs]:
    quarters = packed.view(np.uint16).reshape(*packed.shape, 4)
    if not np.little_endian:
        quarters = quarters[:, :, ::-1]
    characters, classes, gaps = (np.ascontiguousarray(quarters[:, :, part]) for part in range(3))
    return characters, classes.astype(np.intp), gaps.view(np.int16)
