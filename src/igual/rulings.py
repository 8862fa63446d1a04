"""Rulings: what stewards decided on single values, once, with reason, author and date."""

from __future__ import annotations

import os
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from functools import cached_property
from itertools import chain
from typing import TYPE_CHECKING

from igual.column import find_lone_surrogate
from igual.decisions import BETWEEN, NO, YES, Ruling, check_kind, fold_contexts, interpret_ruling
from igual.display import Displayed
from igual.errors import ListError, RulingError, spell_given

if TYPE_CHECKING:
    import pandas as pd

    from igual.lists import ReferenceList
    from igual.runs.review import Review
    from igual.runs.rulebook import Rulebook


@dataclass(frozen=True, repr=False)
class Rulings(Displayed):
    """What stewards decided on single values and on kinds of differences; rulings win over every other way to match.

    A ruling is an entry of the list; `alias of …`, which also proposes the value as another spelling of an entry;
    `new entry` (or `new entry: …` and how it is spelled); `keep as it is`; or `not in the list`. Where a value has
    several, the last counts. Where the rule looks at what stands beside a value (`within`), a ruling may be on the
    value in one context alone, such as in one town.

    A ruling on a kind says whether such a difference matters, as in "may ‘library’ be left out?". It settles values by
    likeness, also later ones, but never across numbers or opposites or where another entry would be as near. A ruling
    on a single value wins over one on a kind.

    Rulings that were loaded from a file are written to it at once, under a lock, so that none is lost when several
    people rule at a time or a program is stopped.

    Attributes:
        rulings: The rulings, sorted by column, value and day.
        file: Where they are kept, or None.

    Example:
        >>> import igual
        >>> rulings = igual.Rulings().decide("species", "Oak?", "Common oak", by="Ines", on="2026-05-08")
        >>> rulings.table[["value", "ruling", "by"]].values.tolist()
        [['Oak?', 'Common oak', 'Ines']]
    """

    rulings: Sequence[Ruling] = ()
    file: str | None = field(default=None, compare=False)

    def __post_init__(self) -> None:
        given = tuple(self.rulings) if isinstance(self.rulings, Iterable) else (self.rulings,)
        if others := [ruling for ruling in given if not isinstance(ruling, Ruling)]:
            raise RulingError(f"'rulings' takes a list of rulings; found {spell_given(others[0])}")
        if not {*map(type, chain.from_iterable(given))} <= {str}:
            for ruling in given:
                RulingError.refuse_other(str, "a text", **ruling._asdict())
        object.__setattr__(self, "rulings", tuple(sort_rulings(given)))
        if (bad := find_lone_surrogate(text for ruling in self.rulings for text in ruling)) is not None:
            raise RulingError(f"{bad!r} has half of a character, which can't be written anywhere")

    @classmethod
    def load(cls, path: str | os.PathLike[str]) -> Rulings:
        """Read a file of rulings; where there is none yet, the first decision makes it.

        The rulings of trees.toml are kept in trees.rulings.csv beside it, and loaded with the rulebook.

        Args:
            path: The file (.csv).

        Returns:
            The rulings, which write new ones to the file.

        Raises:
            RulingError: Names the row (the header is row 1) of what isn't understood.
        """
        from igual.files.rulings import load_rulings

        return load_rulings(path)

    @cached_property
    def _latest(self) -> dict[str, dict[tuple[str, str], Ruling]]:
        latest: dict[str, dict[tuple[str, str], Ruling]] = {}
        on_values = [ruling for ruling in self.rulings if not ruling.kind]
        for ruling, within in zip(on_values, fold_contexts(one.within for one in on_values), strict=True):
            latest.setdefault(ruling.column, {})[ruling.value, within] = ruling
        return latest

    @property
    def table(self) -> pd.DataFrame:
        """DataFrame with column, value, ruling, reason, by, on, kind, within."""
        return self._frame("table")

    def of_column(self, column: str) -> Mapping[str, Ruling]:
        """Find the ruling that counts for each value of a column, in all rows.

        Args:
            column: The column that the match writes.

        Returns:
            Value to ruling.
        """
        return {value: one for (value, within), one in self.of_contexts(column).items() if not within}

    def of_contexts(self, column: str) -> Mapping[tuple[str, str], Ruling]:
        """Find the rulings that count for the values of a column, in all rows or in one context.

        Args:
            column: The column that the match writes.

        Returns:
            Value and context, as `fold_contexts` gives it, to ruling; the context '' is all rows.
        """
        return self._latest.get(column, {})

    def of_value(self, column: str, value: str, within: str = "") -> Ruling | None:
        """Find the ruling that was made on one value.

        Args:
            column: The column that the match writes.
            value: The value.
            within: The context that the ruling is for; '': all.

        Returns:
            The ruling, or None.
        """
        return self.of_contexts(column).get((value, fold_contexts([within])[0]))

    def of_kinds(self, column: str) -> Mapping[tuple[str, str], Ruling]:
        """Find the rulings that count on kinds of differences.

        Args:
            column: The column that the match writes.

        Returns:
            Kind and words to ruling.
        """
        return {(one.kind, one.value): one for one in self.rulings if one.kind and one.column == column}

    def choose_for_list(self, column: str, own: str, lists: Mapping[str, ReferenceList]) -> Rulings:
        """Choose the rulings for one of several lists that a column is matched to.

        Args:
            column: The column that the matches write.
            own: The name of the list.
            lists: Name to list, of all of them.

        Returns:
            The column's rulings within the list, as if it were the only one; and those for all lists, but for such
            as are about an entry of another one.
        """
        chosen, for_all = [], []
        for one in self.rulings:
            first, _, rest = one.within.partition(BETWEEN)
            if one.column != column:
                continue
            if one.kind or first == own:
                chosen.append(one if one.kind else one._replace(within=rest))
            elif first not in lists and _suits(one, own, lists):
                for_all.append(one)
        known = {(one.value, one.within) for one in chosen}
        return Rulings([*chosen, *(one for one in for_all if (one.value, one.within) not in known)])

    def list_contested(self) -> list[tuple[Ruling, Ruling]]:
        """List rulings of one day on one value that differ, as two people leave them who didn't know of each other.

        Returns:
            Pairs of rulings; the second of each counts.
        """
        contested, last = [], None
        for ruling in self.rulings:
            same = last is not None and _about(last) == _about(ruling) and last.on == ruling.on
            if last is not None and same and last.ruling != ruling.ruling and last.by != ruling.by:
                contested.append((last, ruling))
            last = ruling
        return contested

    def with_more(self, more: Iterable[Ruling]) -> tuple[Ruling, ...]:
        """Add rulings, without writing them to a file.

        Args:
            more: The rulings to add.

        Returns:
            All rulings, sorted.
        """
        return tuple(sort_rulings([*self.rulings, *more]))

    def decide(
        self,
        column: str,
        value: str,
        ruling: str,
        reason: str = "",
        *,
        by: str = "",
        on: str | None = None,
        within: str = "",
    ) -> Rulings:
        """Decide on one value; the decision is on disk at once where these rulings have a file.

        Args:
            column: The column that the match writes.
            value: The value, as the match meets it.
            ruling: An entry, or one of the words above.
            reason: Why.
            by: Who rules.
            on: The day, such as '2026-05-31'; None is today.
            within: Of a rule with `within`, what stands beside the value, such as a town: the ruling counts in such
                rows alone. Where a column is matched to several lists, the name of the list. '': in all.

        Returns:
            The rulings with one more.

        Raises:
            RulingError: Where the column, the value or the ruling is blank or no text, or `on` is no day.
        """
        RulingError.refuse_other(str, "a text", column=column, value=value, ruling=ruling, within=within)
        if not (column and value and ruling.strip()):
            raise RulingError("a ruling needs a column, a value and what is ruled")
        return self._add([Ruling(column, value, ruling.strip(), reason, by, _check_day(on), "", within)])

    def decide_kind(
        self,
        column: str,
        kind: str,
        words: str,
        *,
        yes: bool,
        reason: str = "",
        by: str = "",
        on: str | None = None,
    ) -> Rulings:
        """Decide on a kind of difference: a yes settles all such values, also later ones; a no has them asked singly.

        Args:
            column: The column that the match writes.
            kind: The kind, such as 'word left out'; see `igual.Question`.
            words: The words that it is about, such as 'library', or 'hosp = hospital'; 'any' for 'word order' and
                'initials'.
            yes: Whether such a difference means nothing.
            reason: Why.
            by: Who rules.
            on: The day, such as '2026-05-31'; None is today.

        Returns:
            The rulings with one more.

        Raises:
            RulingError: Where the column is blank, `on` is no day, or there is no such kind.

        Example:
            >>> import igual
            >>> rulings = igual.Rulings().decide_kind("branch", "word left out", "library", yes=True, on="2026-05-08")
            >>> rulings.table[["kind", "value", "ruling"]].values.tolist()
            [['word left out', 'library', 'yes']]
        """
        RulingError.refuse_other(str, "a text", column=column, kind=kind, words=words)
        RulingError.refuse_other(bool, "True or False", yes=yes)
        if not column:
            raise RulingError("a ruling needs a column")
        check_kind(kind, words)
        return self._add([Ruling(column, words, YES if yes else NO, reason, by, _check_day(on), kind)])

    def withdraw(self, column: str, value: str, kind: str = "", within: str = "") -> Rulings:
        """Take back the last ruling on a value, or on a kind of difference.

        Args:
            column: The column that the match writes.
            value: The value; of a kind its words.
            kind: The kind, for a ruling on one.
            within: The context, for a ruling in one.

        Returns:
            The rulings without it.

        Raises:
            RulingError: Where there is none.
        """
        ruling = self.of_kinds(column).get((kind, value)) if kind else self.of_value(column, value, within)
        if ruling is None:
            about = f"{kind} {value!r}" if kind else repr(value)
            raise RulingError(f"there is no ruling on {about} of column {column!r}")
        if self.file is not None:
            from igual.files.rulings import withdraw_ruling

            return withdraw_ruling(self.file, ruling)
        return Rulings([other for other in self.rulings if other is not ruling])

    def review(
        self,
        sheet: str | os.PathLike[str],
        book: Rulebook,
        *,
        by: str = "",
        on: str | None = None,
        overrule: bool = False,
    ) -> Review:
        """Take the rulings of a sheet that `Outcome.save_open` wrote and a steward has filled in.

        Good rows are taken, and written where these rulings have a file; `Review.refused` says what is wrong with
        the others.

        Args:
            sheet: The sheet, CSV or .xlsx.
            book: The rulebook, whose lists say what is an entry.
            by: Who rules.
            on: The day, such as '2026-05-31'; None is today.
            overrule: Take rulings on values that were ruled otherwise before.

        Returns:
            What became of each row, and all rulings by now.

        Raises:
            RulingError: Where the sheet can't be read.
        """
        from igual.files.sheets import review_sheet

        return review_sheet(sheet, self, book, by, on or date.today().isoformat(), overrule)

    def _add(self, more: Sequence[Ruling]) -> Rulings:
        if self.file is not None:
            from igual.files.rulings import record_rulings

            return record_rulings(self.file, more)
        return Rulings(self.with_more(more))


def sort_rulings(rulings: Iterable[Ruling]) -> list[Ruling]:
    """Sort by column, value and day, so that rulings made apart end up in different places of the file.

    Args:
        rulings: The rulings, in any order.

    Returns:
        The rulings, sorted; those of one day on one value keep their order.
    """
    return sorted(rulings, key=lambda ruling: (*_about(ruling), ruling.on))


def _suits(ruling: Ruling, own: str, lists: Mapping[str, ReferenceList]) -> bool:
    """Whether a ruling for all rows may be about a list: it isn't where it names an entry of another one alone."""

    def is_about(name: str) -> bool:
        try:
            return interpret_ruling(ruling.ruling, ruling.value, lists[name].entry_of) is not None
        except ListError:
            return False

    return is_about(own) or not any(map(is_about, lists))


def _about(ruling: Ruling) -> tuple[str, str, str, str]:
    return ruling.column, ruling.kind, ruling.value, ruling.within


def _check_day(on: str | None) -> str:
    day = on if on is not None else date.today().isoformat()
    try:
        date.fromisoformat(day)
    except (TypeError, ValueError):
        raise RulingError(f"'on' takes a day such as 2026-05-31; found {day!r}") from None
    return day
