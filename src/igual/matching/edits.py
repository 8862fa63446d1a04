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

from igual.matching.edit_kinds import CLASSES, EDIT_KINDS, LAST, PLACE_OF, Bytes, classes_and_gaps, slips
from igual.matching.pairs import Ints
from igual.matching.texts import Matrix, Texts

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
_Moves = dict[int, tuple[int, npt.NDArray[np.int8]]]


@dataclass(frozen=True, eq=False)
class Prepared:
    """Texts with, for each character, its class and what its absence in the other text costs.

    Attributes:
        texts: The texts.
        classes: The class of each character, (texts, longest).
        gap_kinds: The kind of edit that its absence in the other text is, (texts, longest).
        packed: What pairs need of a character in one number: gap cost, class and code point, 16 bits each.
    """

    texts: Texts
    classes: Bytes
    gap_kinds: Bytes
    packed: npt.NDArray[np.uint64]

    def take(self, places: Ints) -> Prepared:
        """Choose some of them by position."""
        texts = self.texts.take(places)
        cut = places, slice(texts.characters.shape[1])
        return Prepared(texts, self.classes[cut], self.gap_kinds[cut], self.packed[cut])


class _Block(NamedTuple):
    """Pairs side by side, a row for each character.

    The values stand from first to last, the entries backwards, so that the characters that meet on an anti-diagonal
    stand in consecutive rows of both.
    """

    value: Matrix
    value_classes: npt.NDArray[np.intp]
    value_gaps: Costs
    entry: Matrix
    entry_classes: npt.NDArray[np.intp]
    entry_gaps: Costs
    totals: Ints


class _Cells(NamedTuple):
    """The cells of one anti-diagonal within the band: rows rise by one from cell to cell, columns fall.

    Attributes:
        low: The row less the column of the first cell.
        size: How many cells there are.
        row: The row of the first cell.
        column: The column of the first cell.
    """

    low: int
    size: int
    row: int
    column: int

    def of(self, diagonal: Costs, shift: int, start: int, end: int) -> Costs:
        """The costs on a diagonal of the cells from `start` to `end`, shifted by whole cells, (end - start, pairs)."""
        first = self.low + _CENTRE + shift + 2 * start
        return diagonal[first : first + 2 * (end - start) - 1 : 2]


def _cells_on(diagonal: int, rows: int, columns: int) -> _Cells | None:
    """The cells (i, j) with i + j the diagonal, within the band and both texts; None where there are none."""
    low = max(-BAND, -diagonal, diagonal - 2 * columns)
    high = min(BAND, diagonal, 2 * rows - diagonal)
    low, high = low + (low - diagonal) % 2, high - (high - diagonal) % 2
    if low > high:
        return None
    return _Cells(low, (high - low) // 2 + 1, (diagonal + low) // 2, (diagonal - low) // 2)


class Edits:
    """Costs of edits, prepared for comparing.

    Args:
        costs: What each of EDIT_KINDS costs, in nats; None makes every edit cost 1.
    """

    def __init__(self, costs: Mapping[str, float] | None = None) -> None:
        self._all_alike = costs is None
        if costs is None:
            self._weights = np.array(
                [0 if kind in ("first", "last") else UNIT for kind in EDIT_KINDS], np.int16
            )
        else:
            self._weights = np.array([max(round(UNIT * costs[kind]), 1) for kind in EDIT_KINDS], np.int16)
        self._slips = slips()
        substitutions = self._weights[self._slips.substitutions]
        substitutions[LAST:, LAST:] += self._weights[PLACE_OF["last"]]
        self._substitutions = substitutions.ravel()
        self._first = self._weights[PLACE_OF["first"]]
        self._swap = self._weights[PLACE_OF["swapped"]]
        self._compiled: ModuleType | None = None

    def values(self, texts: Texts) -> Prepared:
        """Prepare the texts of values."""
        return self._prepare(texts, "extra")

    def entries(self, texts: Texts) -> Prepared:
        """Prepare the texts of entries."""
        return self._prepare(texts, "missing")

    def _prepare(self, texts: Texts, side: str) -> Prepared:
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

    def load_compiled(self) -> None:
        """Load what is compiled, where Numba is installed."""
        with contextlib.suppress(ImportError):
            self._compiled = importlib.import_module("igual.matching.compiled")

    def _run_compiled(
        self,
        values: Prepared,
        entries: Prepared,
        value_idx: Ints,
        entry_idx: Ints,
        counts: npt.NDArray[np.int16],
    ) -> Costs:
        """The cost of each pair; its edits go into `counts`, unless it has no rows."""
        costs = np.full(len(value_idx), FAR, np.int16)
        sides = [(side.packed, side.texts.lengths, side.gap_kinds) for side in (values, entries)]
        weights = self._substitutions.reshape(CLASSES, CLASSES), self._slips.substitutions
        singles = int(self._first), int(self._swap), PLACE_OF["swapped"], BAND, FAR
        assert self._compiled is not None
        self._compiled.programme(
            *sides[0], *sides[1], value_idx, entry_idx, *weights, *singles, costs, counts
        )
        return costs

    def costs(self, values: Prepared, entries: Prepared, value_idx: Ints, entry_idx: Ints) -> Costs:
        """Compute the cost of pairs of a value and an entry.

        Args:
            values: Prepared values.
            entries: Prepared entries.
            value_idx: Positions of values, (pairs,).
            entry_idx: Positions of entries, (pairs,).

        Returns:
            The cost of each pair in hundredths, (pairs,); FAR for what is too far.
        """
        if len(value_idx) >= _WORTH_LOADING:
            self.load_compiled()
        if self._compiled is not None:
            return self._run_compiled(
                values, entries, value_idx, entry_idx, np.zeros((0, len(EDIT_KINDS)), np.int16)
            )
        costs = np.full(len(value_idx), FAR, np.int16)
        for chosen in _blocks(values, entries, value_idx, entry_idx):
            costs[chosen] = self._run_numpy(values, entries, value_idx[chosen], entry_idx[chosen], None)
        return costs

    def counts(
        self, values: Prepared, entries: Prepared, value_idx: Ints, entry_idx: Ints
    ) -> npt.NDArray[np.int16]:
        """How many edits of each kind the cheapest way has, (pairs, kinds)."""
        counts_by_kind = np.zeros((len(value_idx), len(EDIT_KINDS)), np.int16)
        if self._compiled is not None:
            self._run_compiled(values, entries, value_idx, entry_idx, counts_by_kind)
            return counts_by_kind
        for chosen in _blocks(values, entries, value_idx, entry_idx):
            moves: _Moves = {}
            self._run_numpy(values, entries, value_idx[chosen], entry_idx[chosen], moves)
            counts_by_kind[chosen] = self._count_walking_back(
                values, entries, value_idx[chosen], entry_idx[chosen], moves
            )
        return counts_by_kind

    def _run_numpy(
        self, values: Prepared, entries: Prepared, value_idx: Ints, entry_idx: Ints, moves: _Moves | None
    ) -> Costs:
        """Costs of pairs in the order of falling total length; `moves` takes the move into each cell."""
        lengths = values.texts.lengths[value_idx], entries.texts.lengths[entry_idx]
        block = _side_by_side(values, entries, value_idx, entry_idx)
        most = int(block.totals[0])
        unfinished = np.searchsorted(-block.totals, -np.arange(most + 1), "right")
        ring = [np.full((2 * BAND + 3, len(value_idx)), FAR, np.int16) for _ in range(5)]
        ring[0][_CENTRE] = 0
        result = np.where(block.totals == 0, np.int16(0), np.int16(FAR))
        ends = lengths[0] - lengths[1] + _CENTRE
        for diagonal in range(1, most + 1):
            pairs = int(unfinished[diagonal])
            now, *earlier = (ring[(diagonal - back) % 5][:, :pairs] for back in (0, 1, 2, 4))
            now[:] = FAR
            cells = _cells_on(diagonal, len(block.value), len(block.entry))
            if cells is None:
                continue
            new = np.full((cells.size, pairs), FAR, np.int16)
            move = None if moves is None else np.zeros((cells.size, pairs), np.int8)
            for kind, start, end, cost in self._steps_into(cells, block, *earlier):
                if move is not None:
                    move[start:end][cost < new[start:end]] = kind
                np.minimum(new[start:end], cost, out=new[start:end])
            cells.of(now, 0, 0, cells.size)[:] = np.minimum(new, FAR)
            if moves is not None and move is not None:
                moves[diagonal] = cells.low, move
            finished = np.flatnonzero(block.totals[:pairs] == diagonal)
            result[finished] = now[ends[finished], finished]
        return result

    def _steps_into(
        self, cells: _Cells, block: _Block, last: Costs, before: Costs, swapped: Costs
    ) -> Iterator[tuple[int, int, int, Costs]]:
        """The edits that lead into the cells of a diagonal: kind, first and last cell, and costs, (cells, pairs).

        Args:
            cells: The cells of the diagonal.
            block: The pairs side by side.
            last: Costs on the diagonal one, two and four before.
            before: Costs on the diagonal one, two and four before.
            swapped: Costs on the diagonal one, two and four before.
        """
        count, row, column, pairs = cells.size, cells.row, cells.column, last.shape[1]
        entry_row = len(block.entry) - column  # where the entry's character of this column stands
        start = 1 if row == 0 else 0
        end = count - 1 if column - count + 1 == 0 else count
        if start < count:
            gaps = block.value_gaps[row - 1 + start : row - 1 + count, :pairs]
            yield _EXTRA, start, count, cells.of(last, -1, start, count) + gaps
        if end > 0:
            gaps = block.entry_gaps[entry_row : entry_row + end, :pairs]
            yield _MISSING, 0, end, cells.of(last, 1, 0, end) + gaps
        if start < end:
            of_value = slice(row - 1 + start, row - 1 + end), slice(pairs)
            of_entry = slice(entry_row + start, entry_row + end), slice(pairs)
            classes = block.value_classes[of_value] + block.entry_classes[of_entry]
            cost = self._substitutions.take(classes, mode="clip")
            if row + column == 2:
                cost += self._first
            cost *= block.value[of_value] != block.entry[of_entry]
            yield _INSTEAD, start, end, cells.of(before, 0, start, end) + cost
        start, end = max(2 - row, 0), count - max(2 - (column - count + 1), 0)
        if start < end:
            value, value_before = (
                block.value[row - back + start : row - back + end, :pairs] for back in (1, 2)
            )
            entry, entry_before = (
                block.entry[entry_row + k + start : entry_row + k + end, :pairs] for k in (0, 1)
            )
            crossed = (value == entry_before) & (value_before == entry)
            yield (
                _SWAPPED,
                start,
                end,
                np.where(crossed, cells.of(swapped, 0, start, end) + self._swap, np.int16(FAR)),
            )

    def _count_walking_back(
        self,
        values: Prepared,
        entries: Prepared,
        value_idx: Ints,
        entry_idx: Ints,
        moves: _Moves,
    ) -> npt.NDArray[np.int16]:
        """The edits of each pair, counted by kind on the way back from the last cell to the first."""
        counts = np.zeros((len(value_idx), len(EDIT_KINDS)), np.int16)
        i, j = values.texts.lengths[value_idx], entries.texts.lengths[entry_idx]
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
                    counts[pairs, values.gap_kinds[value_idx[pairs], a - 1]] += 1
                elif kind == _MISSING:
                    counts[pairs, entries.gap_kinds[entry_idx[pairs], b - 1]] += 1
                elif kind == _INSTEAD:
                    differ = (
                        values.texts.characters[value_idx[pairs], a - 1]
                        != entries.texts.characters[entry_idx[pairs], b - 1]
                    )
                    first, last = differ & first & (b == 1), differ & last & (b == ends[1][pairs])
                    classes = (
                        values.classes[value_idx[pairs], a - 1],
                        entries.classes[entry_idx[pairs], b - 1],
                    )
                    counts[pairs[differ], self._slips.substitutions[classes][differ]] += 1
                else:
                    counts[pairs, PLACE_OF["swapped"]] += 1
                    first = last = np.zeros(len(pairs), np.bool_)
                counts[pairs[first], PLACE_OF["first"]] += 1
                counts[pairs[last], PLACE_OF["last"]] += 1
                i[pairs] -= 0 if kind == _MISSING else 2 if kind == _SWAPPED else 1
                j[pairs] -= 0 if kind == _EXTRA else 2 if kind == _SWAPPED else 1
        return counts


def _blocks(values: Prepared, entries: Prepared, value_idx: Ints, entry_idx: Ints) -> Iterator[Ints]:
    """Pairs that aren't too far apart, in blocks of alike total length, longest first."""
    lengths = values.texts.lengths[value_idx], entries.texts.lengths[entry_idx]
    near = np.flatnonzero(np.abs(lengths[0] - lengths[1]) <= BAND)
    order = near[np.argsort(-(lengths[0] + lengths[1])[near], kind="stable")]
    for start in range(0, len(order), _BLOCK):
        yield order[start : start + _BLOCK]


def _side_by_side(values: Prepared, entries: Prepared, value_idx: Ints, entry_idx: Ints) -> _Block:
    lengths = values.texts.lengths[value_idx], entries.texts.lengths[entry_idx]
    rows, columns = int(lengths[0].max()), int(lengths[1].max())

    value, value_classes, value_gaps = _unpacked(np.ascontiguousarray(values.packed[value_idx, :rows].T))
    entry, entry_classes, entry_gaps = _unpacked(
        np.ascontiguousarray(entries.packed[entry_idx, :columns].T[::-1])
    )
    totals = lengths[0] + lengths[1]
    return _Block(value, value_classes * CLASSES, value_gaps, entry, entry_classes, entry_gaps, totals)


def _unpacked(packed: npt.NDArray[np.uint64]) -> tuple[Matrix, npt.NDArray[np.intp], Costs]:
    quarters = packed.view(np.uint16).reshape(*packed.shape, 4)
    if not np.little_endian:
        quarters = quarters[:, :, ::-1]
    characters, classes, gaps = (np.ascontiguousarray(quarters[:, :, part]) for part in range(3))
    return characters, classes.astype(np.intp), gaps.view(np.int16)
