"""The rule `match`."""

from __future__ import annotations

import builtins
import contextlib
from collections.abc import Collection, Iterable, Mapping, Sequence
from copy import copy
from typing import Any, ClassVar, Literal

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from pydantic import Field, field_validator, model_validator

from igual.column import TEXT, Mask, to_mask
from igual.decisions import NEW, Cause, Decision, Ruling, check_kind, fold_contexts, interpret_ruling
from igual.errors import ListError, RulebookError
from igual.lists import ReferenceList, Shelf
from igual.matching.index import MatchIndex
from igual.matching.kinds import count_agreed, explain_kinds, settle_kinds
from igual.matching.lookups import How
from igual.matching.matched import OPEN, SETTLED, UNKNOWN, Matched
from igual.matching.matcher import WAYS, By, match_values
from igual.matching.pairs import Ints
from igual.matching.questions import REFUSED
from igual.matching.reasons import Reason
from igual.matching.scope import Scope
from igual.matching.thresholds import DEFAULTS, Thresholds
from igual.matching.vocabulary import Vocabulary
from igual.rules.contexts import Context, Contexts, join_contexts
from igual.rules.lookup import ListRule, Otherwise, fill_unknown, unknown_among
from igual.rules.rewriters import Details, NearMiss, Note, Rewriter, Rewritten
from igual.rulings import Rulings
from igual.settings import Several
from igual.text.folding import folded_key

_Decided = dict[int, tuple[Ruling, Decision]]


class Match(ListRule):
    """Put the entry of a reference list in the place of a value that means it.

    What stewards have ruled on single values (see `Rulings`) wins over every other way to match; where the rule
    folds, values that differ from a ruled one only in case and the like follow it, unless it is to stay as it is.
    Missing values and blanks stay as they are. Open values stay too, until somebody rules on them; where an
    attribute is given, what becomes of them is what `otherwise` says.

    Attributes:
        list: The name of the reference list. Its aliases count as spellings of their entries.
        by: The ways to match: `exact`; `folded`, which sets aside case, spacing, accents and punctuation (but for
            marks between digits and marks that tell things apart, as in C#); and `fuzzy`, by likeness. Exact comes
            before folded, entries before aliases, likeness last.
        settle: Minimum score to accept a match without review, 0 to 1.
        ask: Minimum probability that some entry is meant, 0 to 1, for a value to need a decision (to be open) rather
            than to be unknown.
        margin: How clear the best entry must be for a match to be settled: its lead over the second best, as a share
            of the scores of all entries that come into question, 0 to 1.
        give: An attribute of the list (a code, a rate) to put instead of the entry.
        case_sensitive: Nothing that differs in case is settled.
        abbreviations: What short forms stand for, beside those that Igual knows.
        opposites: Groups of words that exclude each other, beside those that Igual knows.
        small_words: Words that may be left out, beside those that Igual knows.
        within: An attribute of the list, and the column that must have the same in a row, such as
            `{ town = "town" }`: only districts of that town may be meant. Case, spaces, accents and punctuation are set
            aside. Where the column says nothing, or what no entry has, any entry may be meant, and none is settled. A
            ruling on a value counts in rows whose context the ruled entry fits.
        otherwise: What becomes of a value that isn't in the list: `flag` (keep it, and warn), `keep`, `blank` (an
            empty text), or `{ text = "…" }`. Whatever is chosen, it is listed as unknown, with its rows.

    Example:
        >>> import igual
        >>> from igual.rules import Match
        >>> trees = {"trees": igual.ReferenceList(["Norway maple", "Common oak"])}
        >>> Match(list="trees").on(["NORWAY-MAPLE", "Oak, comon", "banana"], lists=trees)
        ['Norway maple', 'Common oak', 'banana']
    """

    takes_numbers: ClassVar[bool] = True

    do: Literal["match"] = "match"
    by: Several[By] | By = WAYS
    settle: float = Field(default=DEFAULTS.settle, ge=0, le=1)
    ask: float = Field(default=DEFAULTS.ask, ge=0, le=1)
    margin: float = Field(default=DEFAULTS.margin, ge=0, le=1)
    give: str | None = None
    case_sensitive: bool = False
    abbreviations: Mapping[str, Several[str] | str] = Field(default_factory=dict)
    opposites: Several[Several[str]] = ()
    small_words: Several[str] = ()
    within: Mapping[str, str] = Field(default_factory=dict)
    otherwise: Otherwise = "flag"

    @field_validator("by", mode="before")
    @classmethod
    def _one_or_several(cls, given: Any) -> Any:
        if isinstance(given, str):
            return (given,)
        if isinstance(given, list | tuple) and not given:
            raise ValueError("'by' needs at least one way to match")
        return given

    @property
    def takes_rulings(self) -> bool:
        """Whether stewards can rule on its values."""
        return True

    @property
    def ways(self) -> tuple[By, ...]:
        """The ways of `by`, however many were given."""
        return (self.by,) if isinstance(self.by, str) else tuple(self.by)

    @model_validator(mode="after")
    def _words_are_words(self) -> Match:
        Vocabulary.extended(self.opposites, self.abbreviations, self.small_words)
        return self

    @property
    def thresholds(self) -> Thresholds:
        """When a likely match is accepted."""
        return Thresholds(self.settle, self.ask, self.margin, self.case_sensitive)

    def rewriter(self, shelf: Shelf) -> Rewriter:
        """Prepare the rule for work."""
        return _Rewriter(self, shelf.lists[self.list])

    def reads(self) -> set[str]:
        """List the columns that the rule looks at besides its own."""
        return super().reads() | set(self.within.values())

    def list_attributes(self) -> builtins.list[str]:
        """List the attributes that it takes from the reference list."""
        return [*([self.give] if self.give is not None else []), *self.within]

    def list_contexts(self, shelf: Shelf) -> Collection[str] | None:
        """List what the attributes of `within` are, of all entries; none in a new version that lacks one."""
        if not self.within:
            return None
        held = shelf.lists[self.list].attributes
        some = [pa.array(held[name], TEXT) for name in self.within if name in held]
        return set(join_contexts(some).to_pylist()) if len(some) == len(self.within) else ()

    def with_rulings(self, rewriter: Rewriter, rulings: Rulings, column: str) -> Rewriter:
        """Give the prepared rule what was ruled on the values of a column."""
        if not isinstance(rewriter, _Rewriter):
            return rewriter
        return rewriter.with_rulings(rulings.of_contexts(column), rulings.of_kinds(column))


class _Rewriter:
    works_in_pieces = False

    def __init__(self, rule: Match, reference: ReferenceList) -> None:
        self._rule = rule
        self._reference = reference
        for name in rule.list_attributes():
            if name not in reference.attributes:
                owner = f"list {rule.list!r}"
                raise RulebookError.from_missing(owner, "attribute", name, reference.attributes)
        self._contexts = Contexts([(name, reference.attributes[name]) for name in rule.within])
        vocabulary = Vocabulary.extended(rule.opposites, rule.abbreviations, rule.small_words)
        groups = self._contexts.groups if rule.within else None
        self._index = MatchIndex(reference, vocabulary=vocabulary, groups=groups)
        self._thresholds = rule.thresholds
        self.entries: Sequence[str] = self._index.names
        self._rulings: Mapping[tuple[str, str], Ruling] = {}
        # A reason for each kind of difference that was ruled not to matter, and those that were ruled to matter.
        self._kinds: Mapping[Cause, Reason] = {}
        self._refused: Collection[Cause] = ()
        self._replacements = self._index.entries
        if rule.give is not None:
            self._replacements = pa.array(reference.attributes[rule.give], TEXT)

    def with_rulings(
        self, rulings: Mapping[tuple[str, str], Ruling], of_kinds: Mapping[tuple[str, str], Ruling]
    ) -> _Rewriter:
        """Give the same with what was ruled on the values of a column; the index is shared."""
        ruled = copy(self)
        ruled._rulings = {**_new_spellings(rulings.values()), **rulings}
        ruled._kinds = explain_kinds(of_kinds)
        ruled._refused = [
            cause for cause in (check_kind(*about) for about in of_kinds) if cause not in ruled._kinds
        ]
        return ruled

    def rewrite(self, values: pa.Array, beside: Mapping[str, pa.Array]) -> Rewritten:
        is_query = unknown_among(values, np.zeros(len(values), np.bool_))
        queries = values if is_query.all() else values.filter(pa.array(is_query))
        # The column itself doesn't stand beside itself.
        columns = [
            beside.get(column, values).filter(pa.array(is_query)) for column in self._rule.within.values()
        ]
        context = self._contexts.read(columns) if columns else None
        decided, notes = self._find_decided(queries, context)
        notes += (*self._find_contradictions(queries, decided), *self._name_contested())
        matched = self._match_within(queries, decided, context) if context else self._match(queries, decided)
        matched.count_agreed = self._count_agreed
        positions = np.full(len(values), -1, np.int64)
        positions[is_query] = np.where(matched.status == SETTLED, matched.entry, -1)
        unknown, is_open = is_query.copy(), is_query.copy()
        unknown[is_query], is_open[is_query] = matched.status == UNKNOWN, matched.status == OPEN
        replacements = self._replacements.take(pa.array(positions, mask=positions < 0))
        known = positions >= 0
        # What is kept, or is to be an entry, is no entry yet.
        apart = [query for query, (_, decision) in decided.items() if decision.kind in ("keep", "new")]
        if apart:
            is_apart = np.zeros(len(values), np.bool_)
            is_apart[np.flatnonzero(is_query)[apart]] = True
            texts = pa.array([decided[query][1].text for query in apart], TEXT)
            replacements = pc.replace_with_mask(replacements, pa.array(is_apart), texts)
            known = known | is_apart
        without = unknown | is_open if self._rule.give is not None else unknown
        new = fill_unknown(values, replacements, known, without, self._rule.otherwise)
        used = np.isin(np.arange(len(self.entries)), positions)
        details = Details(unknown, used, open=is_open, matched=matched, notes=notes, was_matched=is_query)
        return Rewritten(new, details)

    def _find_decided(self, values: pa.Array, context: Context | None) -> tuple[_Decided, tuple[Note, ...]]:
        """Values on which there are rulings, in order, and notes on rulings that can't be applied."""
        if not self._rulings:
            return {}, ()
        decided: _Decided = {}
        notes = []
        ruled = pa.array([value for value, _ in self._rulings], TEXT)
        some = pa.array(np.flatnonzero(to_mask(pc.is_in(values, ruled))))
        about = zip(
            some.to_pylist(), values.take(some).to_pylist(), self._fold_beside(context, some), strict=True
        )
        for query, value, within in about:
            ruling = self._rulings.get((value, within)) or self._rulings.get((value, ""))
            if ruling is None:
                continue
            try:
                decided[query] = ruling, interpret_ruling(ruling.ruling, value, self._reference.entry_of)
            except ListError:
                parts = (ruling.ruling, value, ruling.author, self._rule.list)
                notes.append(Note("ruling not applied", parts))
        return self._keep_fitting(decided, context), tuple(notes)

    def _fold_beside(self, context: Context | None, places: pa.Array) -> builtins.list[str]:
        """What stands beside values, folded, where any ruling depends on it."""
        if context is None or not any(within for _, within in self._rulings):
            return [""] * len(places)
        return fold_contexts(context.texts.take(places).to_pylist())

    def _match_within(self, values: pa.Array, decided: _Decided, context: Context) -> Matched:
        """Match values to the entries that fit what stands beside them."""
        matched = self._match(values, decided, context)
        matched.within = context.texts
        context.leave_open(matched)
        self._doubt_entries_elsewhere(matched, context.scope.is_restricted)
        return matched

    def _keep_fitting(self, decided: _Decided, context: Context | None) -> _Decided:
        """Keep rulings on values that can mean the entry that is ruled."""
        if context is None:
            return decided
        position_of = self._index.position_of
        ruled = [
            (query, position_of.get(decision.text, -1))
            for query, (_, decision) in decided.items()
            if decision.kind in ("entry", "alias")
        ]
        query_idx, entry_idx = np.array(ruled, np.int64).reshape(-1, 2).T
        is_unfit = (entry_idx < 0) | ~context.scope.allows(query_idx, entry_idx)
        unfit = set(query_idx[is_unfit].tolist())
        return {query: about for query, about in decided.items() if query not in unfit}

    def _doubt_entries_elsewhere(self, matched: Matched, is_restricted: Mask) -> None:
        """Leave open what is like an entry of its context at most, and is, or is more like, one of another."""
        is_like = np.isin(matched.how, (How.NONE, How.FUZZY, How.RULED_KIND))
        like = np.flatnonzero(is_restricted & is_like)
        if not len(like):
            return
        anywhere = self._match_by_kinds(matched.values.take(pa.array(like)))
        is_sure = (anywhere.status == SETTLED) | ((anywhere.how != How.FUZZY) & (anywhere.entry >= 0))
        for place in np.flatnonzero(is_sure & (anywhere.entry != matched.entry[like])).tolist():
            position, entry = int(like[place]), self.entries[anywhere.entry[place]]
            doubt = Reason("elsewhere", (entry, *self._rule.within))
            matched.explained[position] = (*matched.reasons_of(position), doubt)
            if matched.status[position] != UNKNOWN:
                matched.status[position], matched.how[position] = OPEN, How.FUZZY

    def _match(self, values: pa.Array, decided: _Decided, context: Context | None = None) -> Matched:
        """Match values; rulings win over every other way, and over likeness also loosely: see `_follow_rulings`."""
        scope = context.scope if context is not None else None
        if not self._rulings:
            return self._match_by_kinds(values, scope)
        matched = Matched.nothing(values)
        left = np.setdiff1d(np.arange(len(values)), [*decided])
        rest = values.take(pa.array(left))
        part = self._match_by_kinds(rest, scope.take(left) if scope is not None else None)
        matched.put_part(left, part)
        decided |= self._keep_fitting(self._follow_rulings(values, matched, left, context), context)
        for query, (ruling, decision) in decided.items():
            matched.how[query] = How.RULING
            on = "" if values[query].as_py() == ruling.value else ruling.value
            matched.explained[query] = (Reason("ruling", (ruling.author, on, ruling.reason)),)
            matched.status[query] = UNKNOWN if decision.kind == "unlisted" else SETTLED
            matched.score[query] = decision.kind != "unlisted"
            matched.entry[query] = self._index.position_of.get(decision.text, -1)
        return matched

    def _match_by_kinds(self, values: pa.Array, scope: Scope | None = None) -> Matched:
        """Match values, with what was ruled on kinds of differences."""
        matched = match_values(values, self._index, self._rule.ways, self._thresholds, scope=scope)
        if self._kinds:
            settle_kinds(matched, self._index, self._kinds)
        return matched

    def _count_agreed(self) -> Mapping[Cause, int]:
        single = {value: ruling.ruling for (value, _), ruling in self._rulings.items()}
        return {**count_agreed(self._index, single), **dict.fromkeys(self._refused, REFUSED)}

    def _name_contested(self) -> builtins.list[Note]:
        """Aliases of the list that several entries claim; values that are spelled so are open."""
        contested = self._reference.contested
        if not contested:
            return []
        alias, claimed = next(iter(contested.items()))
        return [Note("contested aliases", (self._rule.list, alias, *claimed[:2], str(len(contested) - 1)))]

    def _find_contradictions(self, values: pa.Array, decided: _Decided) -> builtins.list[Note]:
        """Values on which a single ruling says something else than one on a kind would: the single one wins."""
        if not self._kinds or not decided:
            return []
        matched = self._match_by_kinds(values.take(pa.array(list(decided))))
        notes = []
        for place, (ruling, decision) in enumerate(decided.values()):
            entry = self.entries[matched.entry[place]]
            if matched.how[place] == How.RULED_KIND and entry != decision.text:
                kind = next(reason for reason in matched.reasons_of(place) if reason.kind == "ruling on kind")
                notes.append(
                    Note("ruling beside kind", (ruling.value, ruling.ruling, entry, *kind.parts[:2]))
                )
        return notes

    def _follow_rulings(
        self, values: pa.Array, matched: Matched, left: Ints, context: Context | None
    ) -> _Decided:
        """Values that differ only in case and the like from one on which there is a ruling, where the rule folds.

        What the list itself knows goes before, and a value that was to stay as it is decides nothing about another.
        """
        if "folded" not in self._rule.ways or self._rule.case_sensitive:
            return {}
        undecided = left[np.isin(matched.how[left], (How.NONE, How.FUZZY))]
        by_key: dict[tuple[str, str], tuple[Ruling, Decision] | None] = {}
        rulings = list(self._rulings.values())
        keys = folded_key(pa.array([ruling.value for ruling in rulings], TEXT)).to_pylist()
        for folded, (_, within), ruling in zip(keys, self._rulings, rulings, strict=True):
            key = folded, within
            with contextlib.suppress(ListError):
                decision = interpret_ruling(ruling.ruling, ruling.value, self._reference.entry_of)
                known = by_key.get(key, (ruling, decision))
                same = known is not None and known[1] == decision
                by_key[key] = (ruling, decision) if same and decision.kind != "keep" else None
        query_keys = folded_key(values.take(pa.array(undecided))).to_pylist()
        beside = self._fold_beside(context, pa.array(undecided))
        hits: _Decided = {}
        for query, key, within in zip(undecided.tolist(), query_keys, beside, strict=True):
            hit = (by_key.get((key, within)) or by_key.get((key, ""))) if key else None
            if hit is not None:
                hits[query] = hit
        return hits

    def near_misses(self, values: pa.Array, unused: Sequence[str]) -> builtins.list[NearMiss]:
        near = self._index.near_spellings.find(values)
        entry_of = self._reference.entry_of
        return [
            NearMiss(position, (entry_of[spelling],))
            for position, spelling in near.items()
            if spelling in entry_of
        ]


def _new_spellings(rulings: Iterable[Ruling]) -> dict[tuple[str, str], Ruling]:
    """Rulings that what is to be an entry stays as it is where it is met itself."""
    new = [
        (ruling, interpret_ruling(ruling.ruling, ruling.value, {}))
        for ruling in rulings
        if ruling.ruling.casefold().startswith(NEW)
    ]
    return {(decision.text, ""): ruling._replace(value=decision.text, ruling=NEW) for ruling, decision in new}
