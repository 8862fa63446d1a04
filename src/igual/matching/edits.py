"""Similarity: the cost of the likeliest edits that lead from a value to an entry, for many pairs at once.

The dynamic programme of the edit distance (Wagner and Fischer, 1974), with swapped neighbours as one edit
(optimal string alignment), three letters in another order likewise, and a cost for each kind of edit. It runs row by
row, within a band, and for thousands of pairs at a time.
"""

from __future__ import annotations

import contextlib
import functools
import importlib
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from types import ModuleType
from typing import Any, NamedTuple

import numpy as np
import numpy.typing as npt

from igual.matching.edit_kinds import CLASSES, EDIT_KINDS, LAST, PLACE_OF, Bytes, classes_and_gaps, slips
from igual.matching.pairs import Ints
from igual.matching.texts import Matrix, Texts

Costs = npt.NDArray[np.int16]
Cells = npt.NDArray[np.int32]
Moves = npt.NDArray[np.int8]
Mask = npt.NDArray[np.bool_]

# How far two texts may drift apart: pairs whose lengths differ by more are too far.
BAND = 4
FAR = 20_000
# Costs are counted in hundredths of a nat: e to the minus one is 100.
UNIT = 100
_BLOCK = 2_048
# For fewer pairs it doesn't pay to load what is compiled.
_WORTH_LOADING = 60_000
# The cells of a row within the band, and the steps in which the least of all cells before any is found.
_WIDTH = 2 * BAND + 1
_STEPS = tuple(1 << power for power in range((_WIDTH - 1).bit_length()))
_EXTRA, _MISSING, _INSTEAD, _SWAPPED = range(4)  # and, from the last one on, as _REORDERINGS has them
_ROWS_BACK, _COLUMNS_BACK = np.array([1, 0, 1, 2, 3, 3]), np.array([0, 1, 1, 2, 3, 3])
_REORDERINGS = np.array([PLACE_OF["swapped"], PLACE_OF["moved"], PLACE_OF["exchanged"]], np.uint8)
# The letters of an entry that one of a value is held against: those of the band and of so many places beside it.
_BESIDE = 2


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
    """Pairs side by side, those with the longest values first: a row for each character, (rows, pairs).

    The characters of the entries begin behind as many empty rows as the band is wide to one side, and one for the place
    before the first: from row `i` on stand those that the value's character `i`, from 1, may stand for.

    Attributes:
        value: The characters of the values.
        value_classes: Their classes, each times the number of classes.
        value_gaps: What it costs that one is extra.
        entry: The characters of the entries, which begin one row later.
        entry_classes: Their classes.
        entry_gaps: What it costs that one is missing.
        entry_before: What it costs that all up to this one are missing.
    """

    value: Matrix
    value_classes: npt.NDArray[np.intp]
    value_gaps: Costs
    entry: Matrix
    entry_classes: npt.NDArray[np.intp]
    entry_gaps: Costs
    entry_before: Cells


class _Reordered(NamedTuple):
    """Cells of a row that letters in another order lead to, (found,) each.

    Attributes:
        cells: Cells and pairs.
        costs: What the cheapest order costs.
        by_order: What each costs, as _REORDERINGS has them; FAR for one that isn't there.
    """

    cells: tuple[Ints, Ints]
    costs: Cells
    by_order: Sequence[Cells]


class Edits:
    """Costs of edits, prepared for comparing.

    Args:
        costs: What each of EDIT_KINDS costs, in nats; None makes every edit cost 1, with swaps the only other order.
    """

    def __init__(self, costs: Mapping[str, float] | None = None) -> None:
        self._all_alike = costs is None
        if costs is None:
            prices = {"first": 0, "last": 0, "moved": FAR, "exchanged": FAR}
            self._weights = np.array([prices.get(kind, UNIT) for kind in EDIT_KINDS], np.int16)
        else:
            self._weights = np.array([max(round(UNIT * costs[kind]), 1) for kind in EDIT_KINDS], np.int16)
        self._slips = slips()
        substitutions = self._weights[self._slips.substitutions]
        substitutions[LAST:, LAST:] += self._weights[PLACE_OF["last"]]
        self._substitutions = substitutions.ravel()
        self._first = self._weights[PLACE_OF["first"]]
        self._reordered = self._weights[_REORDERINGS]
        self._compiled: ModuleType | None = None

    def __getstate__(self) -> dict[str, Any]:
        # A module can't be pickled; it is loaded again where it pays.
        return {**self.__dict__, "_compiled": None}

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
        packed = np.zeros(classes.shape, np.uint64)
        quarters = _quarters(packed)
        quarters[:, :, 0], quarters[:, :, 1], quarters[:, :, 2] = texts.characters, classes, costs
        return Prepared(texts, classes, gaps, packed)

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
        singles = int(self._first), self._reordered, _REORDERINGS, BAND, FAR
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
            pairs = value_idx[chosen], entry_idx[chosen]
            rows = int(values.texts.lengths[pairs[0]].max())
            moves = np.full((rows + 1, _WIDTH, len(chosen)), _MISSING, np.int8)
            near = self._run_numpy(values, entries, *pairs, moves) < FAR
            pairs = pairs[0][near], pairs[1][near]
            counts_by_kind[chosen[near]] = self._count_walking_back(
                values, entries, *pairs, moves[:, :, near]
            )
        return counts_by_kind

    def _run_numpy(
        self, values: Prepared, entries: Prepared, value_idx: Ints, entry_idx: Ints, moves: Moves | None
    ) -> Costs:
        """Costs of pairs in the order of their values' falling lengths; `moves` takes the move into each cell.

        Each row holds the cells of one character of the values, within the band. What is missing leads from cell to
        cell of a row: of these steps, the least of what leads into any cell before is taken, less what was missing
        until there, plus what is missing until here.
        """
        lengths = values.texts.lengths[value_idx], entries.texts.lengths[entry_idx]
        block = _side_by_side(values, entries, value_idx, entry_idx)
        ends = lengths[1] - lengths[0] + BAND
        # One more cell on the right, so that above the last one stands one that is too far.
        last = np.full((_WIDTH + 1, len(value_idx)), FAR, np.int32)
        last[BAND:_WIDTH] = block.entry_before[BAND:_WIDTH]
        before = before_that = np.full_like(last, FAR)
        same = same_before = np.zeros((_WIDTH + 2 * _BESIDE, len(value_idx)), np.bool_)
        rows, every = len(block.value), np.arange(len(ends))
        reached = np.searchsorted(-lengths[0], -np.arange(rows + 2), "right").tolist()
        result: Costs = last[ends, every].astype(np.int16)
        for row in range(1, rows + 1):
            pairs, longer = reached[row], reached[row + 1]
            equal = block.value[row - 1, :pairs] == block.entry[row - 1 : row - 1 + len(same), :pairs]
            rows_above = last[:, :pairs], before[:_WIDTH, :pairs], before_that[:_WIDTH, :pairs]
            extra, instead = self._steps_into(row, block, rows_above[0], equal)
            reordered = self._reorder(equal, same[:, :pairs], same_before[:, :pairs], *rows_above[1:])
            missing_before = block.entry_before[row : row + _WIDTH, :pairs]
            new = np.full((_WIDTH + 1, pairs), FAR, np.int32)
            cells = np.minimum(extra, instead)
            cells[reordered.cells] = np.minimum(cells[reordered.cells], reordered.costs)
            cells -= missing_before
            for step in _STEPS:
                cells[step:] = np.minimum(cells[step:], cells[:-step])
            np.minimum(cells + missing_before, FAR, out=new[:_WIDTH])
            if moves is not None:
                # Of moves that cost the same, the first one.
                missing = np.full_like(extra, FAR)
                missing[1:] = new[: _WIDTH - 1] + block.entry_gaps[row + 1 : row + _WIDTH, :pairs]
                ways = [new[:_WIDTH] == cost for cost in (extra, missing, instead)]
                order = np.full(extra.shape, _SWAPPED)
                order[reordered.cells] += np.argmin(reordered.by_order, axis=0)
                moves[row, :, :pairs] = np.select(ways, (_EXTRA, _MISSING, _INSTEAD), order)
            last, before, before_that = new, last, before
            same, same_before = equal, same
            result[longer:pairs] = new[ends[longer:pairs], every[longer:pairs]]
        return result

    def _steps_into(self, row: int, block: _Block, last: Cells, equal: Mask) -> tuple[Cells, Cells]:
        """What edits of one character cost that lead from the row above into the cells of one, (cells, pairs) each.

        Args:
            row: The row.
            block: The pairs side by side.
            last: Costs of the cells in the row above.
            equal: Where the value's character is that of the entry, (cells and those beside, pairs).

        Returns:
            With a character of the value extra, and one instead of another.
        """
        pairs = last.shape[1]
        cost = self._substitutions.take(
            block.value_classes[row - 1, :pairs] + block.entry_classes[row : row + _WIDTH, :pairs]
        )
        if row == 1:
            cost[BAND] += self._first
        cost *= ~equal[_BESIDE : _BESIDE + _WIDTH]
        return last[1:] + block.value_gaps[row - 1, :pairs], last[:_WIDTH] + cost

    def _reorder(
        self, equal: Mask, same: Mask, same_before: Mask, before: Cells, before_that: Cells
    ) -> _Reordered:
        """Find letters in another order: two swapped, one moved beyond two, two exchanged around a third.

        Args:
            equal: Where the character of the value in this row is that of the entry, (cells and those beside, pairs).
            same: The same for the row above.
            same_before: The same for the row above that.
            before: Costs of the cells two rows above and two places before, (cells, pairs).
            before_that: The same by three.

        Returns:
            The cells that such letters lead to.
        """

        def is_at(rows_back: int, columns_back: int) -> Mask:
            first = _BESIDE + rows_back - columns_back
            return (equal, same, same_before)[rows_back][first : first + _WIDTH]

        ways = [(is_at(0, 1) & is_at(1, 0), before)]
        if not self._all_alike:
            later, earlier, around = is_at(0, 2), is_at(0, 1), is_at(2, 0)
            moved = (later & is_at(2, 1) & is_at(1, 0)) | (earlier & around & is_at(1, 2))
            ways += [(moved, before_that), (later & around & is_at(1, 1), before_that)]
        found = functools.reduce(np.bitwise_or, [which for which, _ in ways]) & ~is_at(0, 0)
        cells = np.divmod(np.flatnonzero(found), equal.shape[1])
        costs = [
            np.where(which[cells], start[cells] + price, FAR)
            for (which, start), price in zip(ways, self._reordered, strict=False)
        ]
        return _Reordered(cells, functools.reduce(np.minimum, costs), costs)

    def _count_walking_back(
        self, values: Prepared, entries: Prepared, value_idx: Ints, entry_idx: Ints, moves: Moves
    ) -> npt.NDArray[np.int16]:
        """The edits of each pair, counted by kind on the way back from the last cell to the first."""
        lengths = values.texts.lengths[value_idx], entries.texts.lengths[entry_idx]
        pair, i, j, move = _walk_back(*lengths, moves)
        rows, columns = (lengths[side][pair] for side in (0, 1))
        value, entry = (value_idx[pair], i - 1), (entry_idx[pair], j - 1)
        differ = values.texts.characters[value] != entries.texts.characters[entry]
        extra, missing, instead = (move == way for way in (_EXTRA, _MISSING, _INSTEAD))
        kinds = np.select(
            (extra, missing, instead),
            (
                values.gap_kinds[value],
                entries.gap_kinds[entry],
                self._slips.substitutions[values.classes[value], entries.classes[entry]],
            ),
            _REORDERINGS[np.maximum(move - _SWAPPED, 0)],
        )
        changes = extra | missing | (instead & differ)
        first = changes & np.where(missing, j == 1, (i == 1) & (extra | (j == 1)))
        last = changes & np.where(missing, j == columns, (i == rows) & (extra | (j == columns)))
        told = ((kinds, changes | (move >= _SWAPPED)), (PLACE_OF["first"], first), (PLACE_OF["last"], last))
        size = len(value_idx) * len(EDIT_KINDS)
        places = np.concatenate([(pair * len(EDIT_KINDS) + kind)[which] for kind, which in told])
        counts: npt.NDArray[np.int64] = np.bincount(places, minlength=size)
        return counts.reshape(-1, len(EDIT_KINDS)).astype(np.int16)


def _walk_back(rows: Ints, columns: Ints, moves: Moves) -> tuple[Ints, Ints, Ints, npt.NDArray[np.int8]]:
    """Follow the moves from the last cell of each pair to the first: of each step the pair, row, column and move."""
    i, j = rows.copy(), columns.copy()
    steps = []
    for diagonal in range(int((i + j).max(initial=0)), 0, -1):
        pair = np.flatnonzero(i + j == diagonal)
        row, column = i[pair], j[pair]
        move = moves[row, column - row + BAND, pair]
        steps.append((pair, row, column, move))
        i[pair] -= _ROWS_BACK[move]
        j[pair] -= _COLUMNS_BACK[move]
    nothing = np.zeros(0, np.int64)
    pair, row, column, move = (
        np.concatenate(some)
        for some in zip((nothing, nothing, nothing, nothing.astype(np.int8)), *steps, strict=True)
    )
    return pair, row, column, move


def _blocks(values: Prepared, entries: Prepared, value_idx: Ints, entry_idx: Ints) -> Iterator[Ints]:
    """Pairs that aren't too far apart, in blocks of alike values, the longest first."""
    lengths = values.texts.lengths[value_idx], entries.texts.lengths[entry_idx]
    near = np.flatnonzero(np.abs(lengths[0] - lengths[1]) <= BAND)
    order = near[np.argsort(-lengths[0][near], kind="stable")]
    for start in range(0, len(order), _BLOCK):
        yield order[start : start + _BLOCK]


def _side_by_side(values: Prepared, entries: Prepared, value_idx: Ints, entry_idx: Ints) -> _Block:
    rows = int(values.texts.lengths[value_idx].max())
    columns = int(entries.texts.lengths[entry_idx].max())
    value, value_classes, value_gaps = _unpacked(np.ascontiguousarray(values.packed[value_idx, :rows].T))
    padded = np.zeros((1 + rows + _WIDTH + _BESIDE, len(entry_idx)), np.uint64)
    padded[BAND + 2 : BAND + 2 + columns] = entries.packed[entry_idx, :columns].T
    entry, entry_classes, entry_gaps = _unpacked(padded)
    classes, gaps = entry_classes[1:], entry_gaps[1:]
    entry_before = np.cumsum(gaps, axis=0, dtype=np.int32)
    return _Block(value, value_classes * CLASSES, value_gaps, entry, classes, gaps, entry_before)


def _quarters(packed: npt.NDArray[np.uint64]) -> npt.NDArray[np.uint16]:
    """The same as four numbers of 16 bits each, the lowest first, (texts, longest, 4)."""
    quarters = packed.view(np.uint16).reshape(*packed.shape, 4)
    return quarters if np.little_endian else quarters[:, :, ::-1]


def _unpacked(packed: npt.NDArray[np.uint64]) -> tuple[Matrix, npt.NDArray[np.intp], Costs]:
    quarters = _quarters(packed)
    characters, classes, gaps = (np.ascontiguousarray(quarters[:, :, part]) for part in range(3))
    return characters, classes.astype(np.intp), gaps.view(np.int16)
