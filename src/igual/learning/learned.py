"""Rules learned from examples, as results: best first, with what they make of every value."""

from __future__ import annotations

import os
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import to_mask
from igual.display import Displayed
from igual.errors import RulebookError
from igual.learning.building import ChainBuilder, Chained
from igual.learning.columns import SEPARATOR
from igual.learning.examples import INSTEAD, Combined
from igual.learning.inference import Inferred, infer, list_unmatched_values, shape_of
from igual.learning.search import Stop
from igual.rules.base import Rule
from igual.rules.blanks import Blanks
from igual.runs.rulebook import Rulebook
from igual.text.arrays import differs
from igual.text.blanks import is_blank

if TYPE_CHECKING:
    import pandas as pd

Places = np.ndarray[Any, np.dtype[np.int64]]


@dataclass(frozen=True, repr=False)
class Learned(Displayed):
    """Rules learned from examples; it prints well.

    Attributes:
        rules: Candidates, best first, each with its rules, its score and a sentence.
        ask: The position of the row whose answer would tell most; None when all candidates that are worth a thought
            agree on every row.
        unexplained: Positions of the rows that no candidate takes further, (rows,) at most.
        breaks: The position of an example that no rule explains together with the others; None where there is none.
        combined: The distinct values.
        wanted: What was wanted of some of them, by position among the distinct values.
        target: The column that the rules write.
        was_stopped: Whether the search was interrupted, so that there may be better rules.
        give_back: Turns what becomes of the distinct values into what came in; None: a list.
    """

    rules: Sequence[Chained]
    ask: int | None
    unexplained: Sequence[int]
    breaks: int | None
    combined: Combined
    wanted: Mapping[int, str | None]
    target: str
    was_stopped: bool = False
    give_back: Callable[[pa.Array], Any] | None = None

    @property
    def values(self) -> Any:
        """What the best candidate makes of every row, (rows,): of the kind of the column that came in, or a list."""
        best = self.rules[0].values if self.rules else self.combined.cells[0]
        return (
            best.take(pa.array(self.combined.codes)).to_pylist()
            if self.give_back is None
            else self.give_back(best)
        )

    def raw_at(self, row: int) -> str | None:
        """The raw value in a row; of several columns all, with a separator between."""
        text: str | None = self.combined.texts[int(self.combined.codes[row])].as_py()
        return text

    @property
    def unexplained_rows(self) -> int:
        """How many rows no candidate takes further, counted as the table has them."""
        places = np.unique(self.combined.codes[list(self.unexplained)])
        return int(self.combined.rows[places].sum())

    @property
    def table(self) -> pd.DataFrame:
        """DataFrame with value, rows, wanted, best, and what the next candidates make of it: next, third."""
        return self._frame("table")

    def rulebook(self, note: str | None = None) -> Rulebook:
        """Make a rulebook of the best rules.

        Args:
            note: Why the rules are there; it goes with the first of them.

        Returns:
            The rulebook.

        Raises:
            RulebookError: Where nothing was learned, or nothing needs a rule.
        """
        if not self.rules or not self.rules[0].rules:
            raise RulebookError("there is no rule to put into a rulebook")
        first, *others = self.rules[0].rules
        return Rulebook([first.model_copy(update={"note": note}) if note else first, *others])

    def save(self, path: str | os.PathLike[str]) -> None:
        """Write the best rules as a rulebook.

        Args:
            path: The file (.toml).

        Raises:
            OutputError: Where it can't be written.
            RulebookError: Where nothing was learned.
        """
        self.rulebook().save(path)


def learn_rules(
    combined: Combined, wanted: Mapping[int, str | None], into: str | None = None, stop: Stop | None = None
) -> Learned:
    """Learn rules from examples.

    Args:
        combined: The distinct values.
        wanted: What is wanted of some, by position; blank where there is to be no value.
        into: The new column that the rules are to write; None: the column itself.
        stop: Whether to come back with what there is by now.

    Returns:
        What was learned.
    """
    stop = stop or Stop()
    target = into or (combined.names[0] if len(combined.names) == 1 else "learned")
    texts = combined.texts
    blank = is_blank(texts) if len(combined.names) == 1 else np.zeros(len(texts), np.bool_)
    emptied = [place for place, text in wanted.items() if not blank[place] and not (text or "").strip()]
    fills = [text for place, text in wanted.items() if blank[place] and (text or "").strip()]
    left = np.flatnonzero(~blank & ~np.isin(np.arange(len(texts)), emptied))
    examples = {
        int(np.searchsorted(left, place)): text.replace(SEPARATOR, INSTEAD)
        for place, text in wanted.items()
        if not blank[place] and place not in emptied and text is not None
    }
    inferred = infer(texts.take(pa.array(left)), examples, stop)
    builder = ChainBuilder(combined, target, _find_blank_rules(combined, emptied, fills, target))
    chains = builder.run_all(inferred.beliefs, wanted)
    said = {place: text for place, text in wanted.items() if text is not None and place in left}
    if not chains and said:
        chains = builder.list_pairs(said)
    elif not wanted:
        chains = []
    ask = int(left[inferred.ask]) if inferred.ask is not None else builder.find_difference(chains, wanted)
    if ask is None and chains and wanted:
        ask = _find_unshown(chains[0], combined, wanted)
    breaks = None if inferred.breaks is None else int(left[inferred.breaks])
    first = builder.first_rows()
    return Learned(
        chains,
        None if ask is None else int(first[ask]),
        _list_unexplained(inferred, chains, left, wanted, combined),
        None if breaks is None else int(first[breaks]),
        combined,
        dict(wanted),
        target,
        stop.is_set,
    )


def _find_unshown(chain: Chained, combined: Combined, wanted: Mapping[int, str | None]) -> int | None:
    """Find a value that the best rule treats in a way that no example shows: it is asked about, however sure that is.

    Such are values that the rule empties, values that it changes though no example has their shape, and values of which
    it makes one and the same text.

    Returns:
        The position of the one in most rows; None where there is none.
    """
    texts = combined.texts
    is_answered = np.zeros(len(texts), np.bool_)
    is_answered[list(wanted)] = True
    is_changed = differs(chain.values, texts) & ~is_answered
    shapes = shape_of(texts)
    shown = pc.is_in(shapes, shapes.take(pa.array(sorted(wanted))))
    is_unshown = is_blank(chain.values) & ~is_blank(texts)
    is_unshown |= ~to_mask(shown)
    made = chain.values.filter(pa.array(is_changed))
    outputs = made.unique().to_pylist()
    if len(outputs) == 1 and outputs[0] in wanted.values():
        is_unshown[:] = True
    places = np.flatnonzero(is_changed & is_unshown)
    return int(places[np.argmax(combined.rows[places])]) if len(places) else None


def _find_blank_rules(
    combined: Combined, emptied: Sequence[int], fills: Sequence[str | None], target: str
) -> tuple[tuple[Rule, ...], tuple[Rule, ...]]:
    """Rules for texts that mean nothing, before all others, and for what is missing, behind them."""
    texts = tuple(dict.fromkeys(str(combined.cells[0][place].as_py()) for place in emptied))
    name = combined.names[0]
    before = (
        (Blanks(column=name, texts=texts, ignore_case=False),) if texts and len(combined.names) == 1 else ()
    )
    behind = (Blanks(column=target, fill=fills[0]),) if fills else ()
    return before, behind


def _list_unexplained(
    inferred: Inferred,
    chains: Sequence[Chained],
    left: Places,
    wanted: Mapping[int, str | None],
    combined: Combined,
) -> list[int]:
    """The rows of the values that no chain takes further; what a chain changes was taken, and examples are answered."""
    is_open = np.zeros(len(combined.texts), np.bool_)
    is_open[left] = bool(inferred.beliefs)
    is_open[list(wanted)] = False
    for chain in chains if len(combined.names) == 1 else ():
        is_open &= is_blank(chain.values) | ~differs(chain.values, combined.texts)
    places = np.flatnonzero(is_open)
    missed = places[list_unmatched_values(combined.texts.take(pa.array(places)), inferred.beliefs)]
    return np.flatnonzero(np.isin(combined.codes, missed)).tolist()
