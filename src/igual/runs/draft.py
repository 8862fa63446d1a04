"""A first rulebook, drafted from what a table shows: rules in the order in which people work, each with its why."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import MIXED, TEXT, TEXTS, Column, Counts, Mask
from igual.display import Displayed
from igual.errors import RulebookError
from igual.lists import Codebook, PairList, ReferenceList, Shelf, ShelfName
from igual.looking.drafting import DraftEvidence, Suggestion, suggest_rules
from igual.looking.headers import find_header_style
from igual.matching.lookalikes import group_lookalikes
from igual.rules.base import Rule
from igual.rules.blanks import Blanks
from igual.rules.characters import Characters
from igual.rules.label import Label
from igual.rules.match import Match
from igual.rules.replace import Replace
from igual.rules.rewriters import Rewriter
from igual.rules.spacing import Spacing
from igual.runs.rulebook import Rulebook
from igual.runs.together import PreparedRule
from igual.runs.trail import ColumnTrail
from igual.text.arrays import has_pattern
from igual.text.blanks import is_blank
from igual.text.casing import Style
from igual.text.patterns import LETTER

if TYPE_CHECKING:
    import pandas as pd

# From which share of the rows on a list or codebook is a column's.
_LISTED, _LABELLED = 0.5, 0.8
# Columns of no more distinct values than this are looked through for lookalikes.
_MOST_VALUES = 3_000
# Codes: so many distinct values at most, of so many characters, in so many rows at least.
_MOST_CODES, _LONGEST_CODE, _FEWEST_ROWS = 12, 3, 20
_EXAMPLES = 3
# Texts of more characters on average are free text.
_FREE_TEXT = 30
# So many columns are looked through for lookalikes, which takes a few hundredths of a second each.
_MAX_SEARCHED = 200
# Values of which a third or more are digits are no spellings; so many unknown values are looked at for near misses.
_MOST_DIGITS, _MOST_NEAR = 3, 200


class Drafted(NamedTuple):
    """A rule of a draft.

    Attributes:
        rule: The rule; its note says why it is there.
        evidence: The same as parts.
        is_certain: Whether it is in force; others are written into the rulebook as comments.
        rows: How many rows it changes.
        examples: Some values before and after it, most rows first.
    """

    rule: Rule
    evidence: DraftEvidence
    is_certain: bool
    rows: int
    examples: tuple[tuple[str | None, str | None], ...] = ()


class NotUsed(NamedTuple):
    """A list or codebook that was given, and that knows too little of every column.

    Attributes:
        shelf: 'lists' or 'codebooks'.
        name: Its name.
        column: The column of which it knows most; '' where it knows none.
        share: Of the column's rows, 0 to 1.
        value: A value of the column that it doesn't know, one that comes near an entry or code if there is any.
        near: The entry or code that this comes near to; '' for none.
    """

    shelf: ShelfName
    name: str
    column: str = ""
    share: float = 0.0
    value: str = ""
    near: str = ""

    @property
    def needed(self) -> float:
        """The share of a column's rows that it would have to know."""
        return _LISTED if self.shelf == "lists" else _LABELLED


@dataclass(frozen=True, repr=False)
class Draft(Displayed):
    """A first rulebook for a table; it prints well.

    Attributes:
        drafted: The rules, in order.
        lists: The reference lists that they use.
        codebooks: The codebooks that they use.
        pairs: Pair lists from lookalikes, to be read through.
        codes: Columns of codes without a codebook: the codes of each, most rows first.
        headers: The style that most column names have, where others have another: to be decided on.
        not_used: The lists and codebooks that were given and that no rule uses, with the reason.
    """

    drafted: Sequence[Drafted]
    lists: Mapping[str, ReferenceList] = field(default_factory=dict)
    codebooks: Mapping[str, Codebook] = field(default_factory=dict)
    pairs: Mapping[str, PairList] = field(default_factory=dict)
    codes: Mapping[str, Sequence[str]] = field(default_factory=dict)
    headers: Style | None = None
    not_used: Sequence[NotUsed] = ()

    @property
    def table(self) -> pd.DataFrame:
        """DataFrame with certain, rows, column, do, note."""
        return self._frame("table")

    def save(self, path: str | os.PathLike[str]) -> list[str]:
        """Write the rulebook, and beside it what it needs: pair lists to read through, empty codebooks to fill in.

        What is uncertain is written but commented out.

        Args:
            path: The rulebook to write (.toml).

        Returns:
            The files that were written.

        Raises:
            OutputError: Where one of the files is there already.
            RulebookError: Where there is nothing to put right.
        """
        from igual.files.drafts import save_draft

        return save_draft(self, path)

    @property
    def rules(self) -> list[Rule]:
        """The rules that are in force."""
        return [one.rule for one in self.drafted if one.is_certain]

    @property
    def uncertain(self) -> list[Rule]:
        """The rules that a steward has to decide on."""
        return [one.rule for one in self.drafted if not one.is_certain]

    @property
    def rulebook(self) -> Rulebook:
        """The rules that are in force as a rulebook, with the lists and codebooks that they use.

        Raises:
            RulebookError: Where there is nothing to put right.
        """
        if not self.rules:
            raise RulebookError("there is nothing to draft: no rule is needed for certain")
        used = {need.name for rule in self.rules for need in rule.needs()}
        return Rulebook(
            self.rules,
            {name: kept for name, kept in self.lists.items() if name in used},
            {name: kept for name, kept in self.codebooks.items() if name in used},
        )


def draft_rules(
    columns: Iterable[tuple[str, Column]],
    format_evidence: Callable[[DraftEvidence], str],
    lists: Mapping[str, ReferenceList] | None = None,
    codebooks: Mapping[str, Codebook] | None = None,
) -> Draft:
    """Draft a rulebook for the columns of a table.

    Args:
        columns: Names and encoded columns.
        format_evidence: Makes the note of a rule of what speaks for it.
        lists: Reference lists to try on every column.
        codebooks: Codebooks to try on every column.

    Returns:
        The draft.
    """
    drafting = _Drafting(Shelf({} if lists is None else lists, {} if codebooks is None else codebooks))
    names = []
    for name, column in columns:
        names.append(name)
        if column.kind in (TEXTS, MIXED):
            drafting.look_at(name, column)
    draft = drafting.finish()
    noted = [
        one._replace(rule=one.rule.model_copy(update={"note": format_evidence(one.evidence)}))
        for one in draft.drafted
    ]
    return replace(draft, drafted=noted, headers=find_header_style(names))


def _mean_length(trail: ColumnTrail) -> float:
    """The characters of a column's values on average, by rows."""
    said = ~is_blank(trail.values)
    lengths = pc.utf8_length(trail.values).fill_null(0).to_numpy(zero_copy_only=False)
    return float(np.average(lengths[said], weights=trail.rows[said])) if said.any() else 0.0


class _Drafting:
    """Rules that were found so far, and what each column is by now."""

    def __init__(self, shelf: Shelf) -> None:
        self._shelf = shelf
        self._spaced: list[tuple[str, Drafted]] = []
        self._drafted: list[Drafted] = []
        self._pairs: dict[str, PairList] = {}
        self._codes: dict[str, list[str]] = {}
        self._searched = 0
        # Lists and codebooks that have a column's values, be there anything to put right or not.
        self._fitting: set[tuple[ShelfName, str]] = set()
        # What looks values up is prepared once, for all columns.
        self._prepared: dict[tuple[ShelfName, str, str], Rewriter] = {}
        self._nearest: dict[tuple[ShelfName, str], NotUsed] = {}
        known = [
            *(text for one in shelf.lists.values() for text in one.entry_of),
            *(code for one in shelf.codebooks.values() for code in one.labels),
        ]
        self._known = pa.array(sorted(set(known)), TEXT)

    def look_at(self, name: str, column: Column) -> None:
        """Draft the rules of a column: lists and codebooks first, then what its values ask for."""
        raw = ColumnTrail.begin(name, column)
        trail, spaced = self._apply(
            raw, Suggestion(Spacing(column=name), DraftEvidence("odd spaces"), is_certain=True)
        )
        if spaced.rows and _mean_length(trail) > _FREE_TEXT:
            self._drafted.append(spaced._replace(evidence=DraftEvidence("free text"), is_certain=False))
            trail = raw
        elif spaced.rows and not spaced.is_certain:
            self._drafted.append(spaced)
            trail = raw
        elif spaced.rows:
            self._spaced.append((name, spaced))
        candidates = self._candidates(trail)
        for suggestion in suggest_rules(name, trail.values, trail.rows):
            # Where a list or codebook has the values, nothing but it says how they are written.
            if not candidates or isinstance(suggestion.rule, Blanks | Characters):
                trail = self._add(trail, suggestion)
        if not self._look_up(trail, candidates or self._candidates(trail)):
            self._look_for_codes(trail)

    def _apply(self, trail: ColumnTrail, suggestion: Suggestion) -> tuple[ColumnTrail, Drafted]:
        """Apply a rule; gives the column then, and the rule with what it changes."""
        rule, evidence, is_certain, *_ = suggestion
        (made,) = trail.apply(PreparedRule(1, rule, self._prepare(rule), self._shelf))
        stage = made.stages[-1]
        # What was blank and is missing now tells nothing.
        changed = np.flatnonzero(stage.changed & ~is_blank(stage.before))
        before = stage.before.take(pa.array(changed))
        if not isinstance(rule, Match | Label) and pc.any(pc.is_in(before, self._known)).as_py():
            # A value that a list or codebook knows is changed by these alone.
            is_certain = False
        some = pa.array(changed[np.argsort(-stage.rows[changed], kind="stable")][:_EXAMPLES])
        examples = zip(stage.before.take(some).to_pylist(), stage.after.take(some).to_pylist(), strict=True)
        drafted = Drafted(rule, evidence, is_certain, int(stage.rows[stage.changed].sum()), tuple(examples))
        return made.merge(), drafted

    def _prepare(self, rule: Rule) -> Rewriter:
        if not isinstance(rule, Match | Label):
            return rule.rewriter(self._shelf)
        ways = ",".join(rule.ways) if isinstance(rule, Match) else ""
        need = rule.needs()[0]
        key = need.shelf, need.name, ways
        if key not in self._prepared:
            self._prepared[key] = rule.rewriter(self._shelf)
        return self._prepared[key]

    def _add(self, trail: ColumnTrail, suggestion: Suggestion) -> ColumnTrail:
        made, drafted = self._apply(trail, suggestion)
        if drafted.rows or suggestion.is_reading:
            self._drafted.append(drafted)
        return made if drafted.rows and drafted.is_certain else trail

    def _share(self, trail: ColumnTrail, rule: Rule) -> float:
        """The share of a column's rows that a rule knows, 0 to 1; the best share of each list is kept with why."""
        said = ~is_blank(trail.values)
        if not said.any():
            return 0.0
        rewriter = self._prepare(rule)
        result = rewriter.rewrite(trail.values, {})
        unknown: Mask = (
            result.details.unknown if result.details.unknown is not None else np.ones(len(said), np.bool_)
        )
        share = float(trail.rows[said & ~unknown].sum() / trail.rows[said].sum())
        need = rule.needs()[0]
        key = need.shelf, need.name
        best = self._nearest.get(key)
        if best is None or share > best.share or (share == best.share and not best.near):
            missing = np.flatnonzero(said & unknown)
            order = missing[np.argsort(-trail.rows[missing], kind="stable")][:_MOST_NEAR]
            values = trail.values.take(pa.array(order))
            near = {miss.position: miss.entries[0] for miss in rewriter.near_misses(values, rewriter.entries)}
            place = min(near, default=0)
            value = values[place].as_py() if len(values) else ""
            self._nearest[key] = NotUsed(*key, trail.name, share, value, near.get(place, ""))
        return share

    def _candidates(self, trail: ColumnTrail) -> list[Suggestion]:
        """Lists and codebooks that know much of a column, those that know most first."""
        suggestions: list[Suggestion] = []
        for name in self._shelf.lists:
            share = self._share(trail, Match(column=trail.name, list=name, by=("exact", "folded")))
            if share >= _LISTED:
                rule: Rule = Match(column=trail.name, list=name)
                suggestions.append(Suggestion(rule, DraftEvidence("entries of a list", share, (name,)), True))
        for name in self._shelf.codebooks:
            share = self._share(trail, Label(column=trail.name, codebook=name))
            if share >= _LABELLED:
                rule = Label(column=trail.name, codebook=name)
                suggestions.append(
                    Suggestion(rule, DraftEvidence("codes of a codebook", share, (name,)), True)
                )
        return sorted(suggestions, key=lambda one: -one.evidence.share)

    def _look_up(self, trail: ColumnTrail, candidates: Sequence[Suggestion]) -> bool:
        """Use the list or codebook that knows most of a column; of several that know as much, none for certain."""
        if not candidates:
            return False
        best = candidates[0]
        is_only = len(candidates) == 1 or candidates[1].evidence.share < best.evidence.share
        need = best.rule.needs()[0]
        self._fitting.add((need.shelf, need.name))
        self._add(trail, best._replace(is_certain=is_only))
        return True

    def _look_for_codes(self, trail: ColumnTrail) -> None:
        """Look for codes without a codebook, and for lookalikes."""
        said = ~is_blank(trail.values)
        values, rows = trail.values.filter(pa.array(said)), trail.rows[said]
        lengths = pc.utf8_length(values).to_numpy(zero_copy_only=False)
        if 1 < len(values) <= _MOST_CODES and lengths.max() <= _LONGEST_CODE and rows.sum() >= _FEWEST_ROWS:
            order = np.argsort(-rows, kind="stable")
            self._codes[trail.name] = values.take(pa.array(order)).to_pylist()
            return
        # What is mostly digits, such as dates with names of months, is no spelling of something else.
        digits = pc.count_substring_regex(values, r"\d").to_numpy(zero_copy_only=False)
        is_text = has_pattern(values, rf"[{LETTER}]{{3}}") & (digits * _MOST_DIGITS < lengths)
        if 1 < is_text.sum() <= _MOST_VALUES and self._searched < _MAX_SEARCHED:
            self._searched += 1
            self._suggest_lookalikes(trail.name, values.filter(pa.array(is_text)), rows[is_text])

    def _suggest_lookalikes(self, name: str, values: pa.Array, rows: Counts) -> None:
        members = group_lookalikes(values, rows)
        known = {*self._known.to_pylist()}
        pairs = {
            one.value: one.proposal for one in members if one.value != one.proposal and one.value not in known
        }
        if not pairs:
            return
        some = tuple(pairs.items())[:_EXAMPLES]
        self._pairs[name] = PairList(pairs)
        changed = sum(one.rows for one in members if one.value in pairs)
        rule = Replace(column=name, pairs=pairs, where="whole")
        evidence = DraftEvidence(
            "lookalikes", examples=tuple(text for pair in some for text in pair), number=len(pairs)
        )
        self._drafted.append(Drafted(rule, evidence, False, changed, some))

    def finish(self) -> Draft:
        """The draft, spaces first."""
        drafted: list[Drafted] = []
        if self._spaced:
            names = tuple(name for name, _ in self._spaced)
            rows = sum(one.rows for _, one in self._spaced)
            examples = tuple(example for _, one in self._spaced for example in one.examples[:1])[:_EXAMPLES]
            rule = Spacing(columns=names) if len(names) > 1 else Spacing(column=names[0])
            drafted.append(Drafted(rule, DraftEvidence("odd spaces", number=rows), True, rows, examples))
        used = {(need.shelf, need.name) for one in self._drafted for need in one.rule.needs()}
        lists = {name: kept for name, kept in self._shelf.lists.items() if ("lists", name) in used}
        codebooks = {
            name: kept for name, kept in self._shelf.codebooks.items() if ("codebooks", name) in used
        }
        given: list[tuple[ShelfName, str]] = [("lists", name) for name in self._shelf.lists]
        given += [("codebooks", name) for name in self._shelf.codebooks]
        nearest = {key: one for key, one in self._nearest.items() if one.share or one.near}
        not_used = [nearest.get(key, NotUsed(*key)) for key in given if key not in self._fitting]
        return Draft(
            [*drafted, *self._drafted], lists, codebooks, self._pairs, self._codes, not_used=not_used
        )
