"""An ordered list of rules, and its run over columns of distinct values."""

from __future__ import annotations

import os
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, get_args

import pyarrow as pa

from igual.display import Tabled
from igual.engines import Source, open_table
from igual.engines.base import OutgrowsDriverError
from igual.errors import RulebookError, error_context, spell_given
from igual.lists import SHELVES, Codebook, PairList, ReferenceList, Shelf
from igual.looking.headers import restyle_headers
from igual.rules.base import Rule
from igual.rules.check import Check
from igual.rules.column_patterns import fit_rules, have_patterns
from igual.rulings import Rulings
from igual.runs.account import Account
from igual.runs.checks import find_unfit
from igual.runs.inside import Inside, plain_field
from igual.runs.outcome import Outcome
from igual.runs.plan import Plan
from igual.runs.trail import ColumnTrail
from igual.text.casing import Style

# What the account is made of where the distinct values are more than can be held.
_SAMPLE_ROWS = 100_000


@dataclass(frozen=True, repr=False)
class Rulebook(Tabled):
    """An ordered list of rules with the lists, codebooks and pair lists they refer to by name.

    Attributes:
        rules: Applied from first to last, each to what the ones before it made.
        lists: Reference lists by the names that the rules use.
        codebooks: Codebooks by the names that the rules use.
        pairs: Pair lists by the names that the rules use.
        headers: A style of the rule `case` for the names of the columns, once the rules are done (None: they stay).
        checks: What must hold of the clean columns.
        rulings: What was decided on single values; they are kept in a file of their own.
        written: The rules as they were written, where `fit` has put columns in the place of patterns.

    Raises:
        RulebookError: When a rule refers to a list or codebook that isn't there, or there is nothing to do.

    Example:
        >>> import igual
        >>> from igual.rules import Case, Spacing
        >>> book = igual.Rulebook([Spacing(column="species"), Case(column="species", style="sentence")])
        >>> book.apply({"species": [" NORWAY  maple"]}).table
        {'species': ['Norway maple']}
        >>> book
        <igual.Rulebook of 2 rules: 1 spacing (species), 2 case (species)>
    """

    rules: Sequence[Rule]
    lists: Mapping[str, ReferenceList] = field(default_factory=dict)
    codebooks: Mapping[str, Codebook] = field(default_factory=dict)
    pairs: Mapping[str, PairList] = field(default_factory=dict)
    headers: Style | None = None
    checks: Sequence[Check] = ()
    rulings: Rulings = field(default_factory=Rulings, compare=False)
    written: Sequence[Rule] = field(default=(), compare=False, kw_only=True)

    def __post_init__(self) -> None:
        for word, kind in (("rules", Rule), ("checks", Check)):
            given = getattr(self, word)
            parts = tuple(given) if isinstance(given, Iterable) else (given,)
            if not all(isinstance(part, kind) for part in parts):
                raise RulebookError(f'{word!r} takes a list of {word}, such as [Spacing(column="site")]')
            object.__setattr__(self, word, parts)
        if self.headers is not None:
            RulebookError.refuse_unknown("headers", self.headers, get_args(Style))
        RulebookError.refuse_other(Rulings, "the rulings of a rulebook", rulings=self.rulings)
        shelf = Shelf(self.lists, self.codebooks, self.pairs)
        for name in SHELVES:
            object.__setattr__(self, name, shelf.entries(name))
        if not (self.rules or self.checks or self.headers):
            raise RulebookError("a rulebook needs at least one rule, check or header style")
        for number, rule in enumerate(self.rules, 1):
            with error_context(f"rule {number} ({rule.do})", RulebookError):
                if not rule.columns:
                    raise RulebookError("'column' is missing: which one is meant?")
                self.shelf.refuse_missing(rule.needs())

    def __repr__(self) -> str:
        numbered = enumerate(self.rules, 1)
        rules = [f"{number} {rule.do} ({', '.join(rule.columns)})" for number, rule in numbered]
        more = f", … and {len(rules) - 8:,} more" if len(rules) > 8 else ""
        count = f"{len(rules):,} rule{'s' * (len(rules) != 1)}"
        checks = f" and {len(self.checks):,} check{'s' * (len(self.checks) != 1)}" if self.checks else ""
        return f"<igual.Rulebook of {count}{checks}{': ' if rules else ''}{', '.join(rules[:8])}{more}>"

    @classmethod
    def load(
        cls, path: str | os.PathLike[str], *, allow_outside: Sequence[str | os.PathLike[str]] = ()
    ) -> Rulebook:
        """Read a rulebook file; its lists and codebooks are looked for in its folder.

        Args:
            path: The file (.toml).
            allow_outside: Folders beside the rulebook's own in which the files that it names may lie.

        Returns:
            The rulebook, with the rulings beside it.

        Raises:
            RulebookError: With one message that names file, rule and the nearest valid word.
        """
        from igual.files.rulebooks import load_rulebook

        return load_rulebook(path, allow_outside)

    def save(self, path: str | os.PathLike[str]) -> None:
        """Write a rulebook file that `load` reads as an equal rulebook.

        Lists and codebooks that were read from files are named; others are written out in the rulebook.

        Args:
            path: The file to write (.toml).

        Raises:
            OutputError: Where it can't be written.
        """
        from igual.files.rulebooks import save_rulebook

        save_rulebook(self, path)

    @property
    def shelf(self) -> Shelf:
        """The lists, codebooks and pair lists together."""
        return Shelf(self.lists, self.codebooks, self.pairs)

    @property
    def plan(self) -> Plan:
        """The rules with their numbers, and all that they need."""
        return Plan(list(enumerate(self.rules, 1)), self.shelf, self.rulings, self.written)

    def apply(self, table: Any, *, only: int | None = None) -> Outcome:
        """Apply the rules to a table, which stays as it is.

        Missing values stay missing, and columns that no rule names come out as they came in.

        Args:
            table: A pandas or polars DataFrame, an Arrow table, whatever gives an Arrow C stream, or a dict of column
                names and sequences. Of a record batch reader, a polars LazyFrame or a Spark DataFrame the rows are
                never held: what occurs in the columns is counted, and what came of it is joined to the rows.
            only: Apply the first so many rules, to see how far they get.

        Returns:
            The clean table, of the same kind, with the account of every change.

        Raises:
            RulebookError: Where a rule names a column the table doesn't have.
            TableError: Where the cells of such a column can't be read as values.
        """
        source = open_table(table)
        book = self.with_first_rules(only)
        if book.has_patterns(source.names):
            book = book.fit(source.names, source.text_names())
        try:
            source = source.gather(lambda names: book.group_columns(book.source_columns(names)))
        except OutgrowsDriverError as error:
            return book._apply_inside(source, error.columns)
        account = book.run(source)
        rebuilt = source.rebuild([trail.clean_column for trail in account.trails.values()])
        if self.headers is None:
            return Outcome(account, rebuilt)
        restyled = restyle_headers(source.engine.names(rebuilt), self.headers)
        names = [header.clean for header in restyled]
        return Outcome(account, source.engine.rename(rebuilt, names), restyled)

    def apply_file(
        self,
        source: str | os.PathLike[str] | Sequence[str | os.PathLike[str]],
        target: str | os.PathLike[str],
        *,
        encoding: str | None = None,
        sheet: str | None = None,
        header_row: int | None = None,
        out_encoding: str | None = None,
        most_values: int = 20_000_000,
        force: bool = False,
    ) -> Outcome:
        r"""Apply the rules to a table file of any size and write the clean table to another.

        The file is read twice; no more of it is held than a few of its parts and the distinct values of the columns
        that the rules read.

        Args:
            source: The file (.csv, .tsv, .jsonl, .parquet, .arrow, .xlsx, .ods; texts also as .gz or .zst), or several
                with the same columns.
            target: The file to write; the ending tells which kind.
            encoding: Of a text table, when it is known better than its bytes tell.
            sheet: Of a workbook: the name of the sheet, or its number from 1.
            header_row: The row that has the column names, from 1.
            out_encoding: Of a text table that is written; None is UTF-8.
            most_values: How many distinct values of a column (or combinations, of columns that rules read together) are
                held at once, in up to 2 GiB. Where there are more the table is worked piece by piece with the same
                rules, and the account counts a value once for each piece that it stands in.
            force: Replace whatever stands at `target`, except for the source.

        Returns:
            An `Outcome` whose `table` is None.

        Raises:
            RulebookError: As for `apply`.
            TableError: Where the file can't be read, or changes meanwhile.
            OutputError: Where the clean table can't be written; then nothing is left of it.

        Example:
            >>> import igual, tempfile, pathlib
            >>> folder = pathlib.Path(tempfile.mkdtemp())
            >>> _ = (folder / "raw.csv").write_text("species\n NORWAY  maple\n")
            >>> book = igual.Rulebook([igual.rules.Case(column="species", style="sentence")])
            >>> _ = book.apply_file(folder / "raw.csv", folder / "clean.csv")
            >>> (folder / "clean.csv").read_text()
            'species\n Norway  maple\n'
        """
        from igual.engines.counting import Bounds
        from igual.files.applying import apply_file
        from igual.files.formats.base import ReadOptions

        options = ReadOptions(encoding, sheet, header_row)
        bounds = Bounds(most_values)
        return apply_file(self, source, target, options, out_encoding, bounds, force=force)

    def _apply_inside(self, source: Source, columns: Sequence[str]) -> Outcome:
        """Apply the rules where the rows are, and account for a sample of them.

        Every rule gives the same for the same value, whatever stands in other rows.
        """
        some = source.engine.sample(source.table, _SAMPLE_ROWS)
        outcome = self.apply(some)
        # Labels have no order there, and a number's type doesn't depend on the values of a batch.
        like = pa.schema([plain_field(field) for field in outcome.table.schema])
        rebuilt = source.engine.map_batches(source.table, Inside(self, like), like)
        return Outcome(outcome.account, rebuilt, outcome.restyled, ran_inside=tuple(columns))

    def with_first_rules(self, only: int | None) -> Rulebook:
        """Give the rulebook with its first rules, and no checks.

        Args:
            only: How many rules; None gives the rulebook as it is.

        Returns:
            The shorter rulebook.

        Raises:
            RulebookError: Where there is no such rule.
        """
        if only is None:
            return self
        if isinstance(only, bool) or not isinstance(only, int) or not 1 <= only <= len(self.rules):
            raise RulebookError(f"there is no rule {spell_given(only)}: the rulebook has {len(self.rules)}")
        return replace(self, rules=self.rules[:only], checks=())

    def source_columns(self, names: Sequence[str]) -> tuple[str, ...]:
        """List the columns of a table that the rules read, in order of use.

        Args:
            names: The table's columns.

        Returns:
            Their names.

        Raises:
            RulebookError: Where a rule names a column that the table doesn't have (or has twice), or would write
                over one by `into`.
        """
        counts = Counter(names)
        made: dict[str, None] = {}
        read: dict[str, None] = {}
        for number, rule in enumerate(self.rules, 1):
            with error_context(f"rule {number} ({rule.do})", RulebookError):
                for name in (*rule.columns, *sorted(rule.reads())):
                    if name not in made:
                        _refuse_missing_column(name, counts, made)
                        read[name] = None
                for target in rule.targets:
                    if target in counts or target in made:
                        raise RulebookError(f"'into' would write over the column {target!r}; take a new name")
                    made[target] = None
        for number, check in enumerate(self.checks, 1):
            if check.column not in made:
                with error_context(f"check {number}", RulebookError):
                    _refuse_missing_column(check.column, counts, made)
                read[check.column] = None
        return tuple(read)

    def run(self, source: Source) -> Account:
        """Apply the rules to the columns of a table, without writing a table.

        Args:
            source: The table; each column that is needed is encoded once.

        Returns:
            The account of the run.

        Raises:
            RulebookError: As for `apply`.
            TableError: As for `apply`.
        """
        plan = self.plan
        needed = self.source_columns(source.names)
        trails = plan.run({name: ColumnTrail.begin(name, source.column(name)) for name in needed})
        unfit = [
            value
            for number, check in enumerate(self.checks, 1)
            for value in find_unfit(number, check, trails[check.column], self.lists)
        ]
        return Account({name: trail for name, trail in trails.items() if trail.stages}, unfit, plan)

    def lists_of(self, column: str) -> dict[str, ReferenceList]:
        """Find the lists that values of a column are matched to.

        Args:
            column: The column that the match writes.

        Returns:
            Name to list.
        """
        return self.plan.lists_of(column)

    def has_patterns(self, names: Sequence[str]) -> bool:
        """Whether rules name columns by pattern, for a table with columns of these names."""
        return have_patterns(self.rules, names)

    def fit(self, names: Sequence[str], texts: Sequence[str]) -> Rulebook:
        """Put the columns that patterns mean into the rules.

        Args:
            names: The table's columns.
            texts: Those of them that hold texts, which patterns mean.

        Returns:
            A rulebook whose rules name columns only.

        Raises:
            RulebookError: Where a pattern fits no column.
        """
        if not self.has_patterns(names):
            return self
        return replace(self, rules=fit_rules(self.rules, names, texts), written=self.written or self.rules)

    def matched_columns(self) -> list[str]:
        """List the columns on whose values somebody may have to rule."""
        columns = [rule.target_of(name) for rule in self.rules if rule.takes_rulings for name in rule.columns]
        return list(dict.fromkeys(columns))

    def group_columns(self, names: Sequence[str]) -> list[list[str]]:
        """Group columns that rules read together.

        Args:
            names: The table's columns that the rules read.

        Returns:
            The same names in groups: rules read those of one group together, and none of two.
        """
        group_of = {name: {name} for name in names}
        for rule in self.rules:
            for name in rule.columns:
                joined = set[str]().union(
                    *(group_of.get(other, {other}) for other in (name, *rule.targets, *rule.reads()))
                )
                for member in joined:
                    group_of[member] = joined
        grouped: dict[int, list[str]] = {id(group): [] for group in group_of.values()}
        for name in names:
            grouped[id(group_of[name])].append(name)
        return [group for group in grouped.values() if group]


def _refuse_missing_column(name: str, counts: Mapping[str, int], made: Iterable[str]) -> None:
    """Raise RulebookError where a table has no column of a name, or several."""
    if name not in counts:
        raise RulebookError.from_missing("the table", "column", name, [*counts, *made])
    if (times := counts[name]) > 1:
        raise RulebookError(
            f"the table has {times} columns {name!r}, so it isn't clear which is meant; rename one"
        )


def find_shelf_files(book: Rulebook) -> list[str]:
    """List the files that the lists, codebooks and pair lists of a rulebook come from.

    Args:
        book: The rulebook.

    Returns:
        Their paths.
    """
    entries = [entry for shelf in SHELVES for entry in book.shelf.entries(shelf).values()]
    return [entry.file for entry in entries if entry.file is not None]
