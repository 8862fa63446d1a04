"""What every rule is: settings that can be checked and saved, and a pure function made from them."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from typing import Any, ClassVar, NamedTuple, Self

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from pydantic import model_validator

from igual.column import Mask
from igual.conditions import Condition, ConditionLike, as_condition
from igual.engines import CleanColumn, OutputType, open_table, wrap_values
from igual.errors import RulebookError, error_context
from igual.lists import Codebook, Need, PairList, ReferenceList, Shelf
from igual.rules.kinds import UNLISTED, ValueKind
from igual.rules.outputs import conform
from igual.rules.rewriters import Rewriter, Rewritten, rewrite_in_pieces
from igual.rulings import Rulings
from igual.settings import Settings, Several
from igual.text.arrays import refuse_long_texts


class EntrySource(NamedTuple):
    """Where the entries come from that a rule looks for.

    Attributes:
        kind: 'pairs', 'pair list', 'codebook' or 'list'.
        name: Of the pair list, codebook or list; '' for pairs that stand in the rule.
    """

    kind: str
    name: str = ""


class Rule(Settings):
    """What all rules share.

    A rule registers itself: a class in a module of `igual.rules` whose `do` has a default is known to rulebooks,
    to `igual rules` and to the reference.

    Attributes:
        column: The column to work on.
        columns: Several columns, or patterns for them (`*` for all of texts), in the place of `column`.
        do: What the rule does.
        into: Write the result to this new column and keep the given one as it is (one column only).
        when: A condition on the column, or on another: values that don't meet it stay as they are.
        note: Why the rule is there; it appears in the account of the run.
    """

    # Whether the rule can write into several columns.
    writes_several: ClassVar[bool] = False
    # Whether it reads texts in one notation and writes them in another, and so isn't meant for its own output.
    changes_notation: ClassVar[bool] = False
    # Whether it only puts spaces right, so that numbers may be all that is left.
    only_respaces: ClassVar[bool] = False
    # Whether it takes values that are numbers for what they are: codes, entries or numbers.
    takes_numbers: ClassVar[bool] = False
    unread_as: ClassVar[str] = "could not read"
    # What a value is that the rule has no label, entry or reading for.
    unknown_kind: ClassVar[ValueKind] = UNLISTED

    column: str | None = None
    columns: Several[str] = ()
    do: str
    into: str | Several[str] | None = None
    when: ConditionLike | None = None
    note: str | None = None

    @model_validator(mode="before")
    @classmethod
    def _column_or_columns(cls, given: Any) -> Any:
        if not isinstance(given, dict):
            return given
        words = dict(given)
        if words.get("column") is not None:
            several = words.get("columns")
            if several is not None and not (isinstance(several, tuple) and several == (words["column"],)):
                raise ValueError("give 'column' or 'columns', not both")
            if not isinstance(words["column"], str):
                raise ValueError("'column' takes one text; give 'columns' for several")
            words["columns"] = (words["column"],)
        if isinstance(named := words.get("columns"), str) and set(named) & set("*?"):  # a pattern
            named = words["columns"] = (named,)
        if isinstance(named, tuple) and len(named) == 1:
            words["column"] = named[0]
        return words

    @model_validator(mode="after")
    def _into_is_for_one(self) -> Rule:
        if len(set(self.columns)) < len(self.columns):
            raise ValueError("'columns' names a column twice")
        if self.into is not None and len(self.columns) > 1:
            raise ValueError("'into' takes the result of one column; give each column a rule of its own")
        targets = self.targets
        if "" in targets or self.into == () or len(set(targets)) < len(targets):
            raise ValueError("'into' takes one name, or several that differ; none may be empty")
        if isinstance(self.into, tuple) and not self.writes_several:
            raise ValueError("'into' takes one column")
        if set(targets) & set(self.columns):
            raise ValueError("'into' names the column itself; leave it out to change the column in place")
        return self

    def model_copy(self, *, update: Mapping[str, Any] | None = None, deep: bool = False) -> Self:
        """Give the rule with some words changed, checked as a new one is; `column` takes the place of `columns`.

        Args:
            update: The words that differ.
            deep: Has no effect, since rules never change.
        """
        words = {word: getattr(self, word) for word in self.model_fields_set}
        if set(update or ()) & {"column", "columns"}:
            words = {word: held for word, held in words.items() if word not in ("column", "columns")}
        return type(self)(**{**words, **(update or {})})

    @property
    def condition(self) -> Condition | None:
        """The condition of `when`, however it was given."""
        return None if self.when is None else as_condition(self.when)

    @property
    def entry_source(self) -> EntrySource:
        """Where the entries come from that it looks for."""
        return EntrySource("pairs")

    @property
    def targets(self) -> tuple[str, ...]:
        """The new columns that the rule writes into, if any."""
        return (self.into,) if isinstance(self.into, str) else tuple(self.into or ())

    @property
    def flags_unknown(self) -> bool:
        """Whether values that the rule doesn't know deserve a hint."""
        return getattr(self, "otherwise", "flag") == "flag"

    def target_of(self, column: str) -> str:
        """Tell where a rule that writes one column puts what it makes of one."""
        return self.into if isinstance(self.into, str) else column

    @property
    def takes_rulings(self) -> bool:
        """Whether stewards can rule on its values."""
        return False

    def reads(self) -> set[str]:
        """List the columns that the rule looks at besides its own."""
        return self.condition.columns() if self.condition is not None else set()

    def output(self, shelf: Shelf, before: OutputType) -> OutputType:
        """Tell what its results are to be in the clean table, where the column was to be something before."""
        return OutputType()

    def needs(self) -> list[Need]:
        """List what the rule looks up by name."""
        return [Need("lists", name) for name in sorted(self.condition.lists())] if self.condition else []

    def list_attributes(self) -> list[str]:
        """List the attributes that it takes from a reference list."""
        return []

    def written_texts(self) -> set[str]:
        """List the texts that the rule itself puts into values."""
        return set()

    def rewriter(self, shelf: Shelf) -> Rewriter:
        """Prepare the rule for work.

        Args:
            shelf: The lists, codebooks and pair lists that it refers to by name.

        Returns:
            The prepared rule.
        """
        raise NotImplementedError

    def with_rulings(self, rewriter: Rewriter, rulings: Rulings, column: str) -> Rewriter:
        """Give a prepared rule what was ruled on the values of a column; only some rules take rulings.

        Args:
            rewriter: The prepared rule.
            rulings: What was ruled.
            column: The column that the rule writes.

        Returns:
            A prepared rule that knows the rulings.
        """
        return rewriter

    def list_contexts(self, shelf: Shelf) -> Collection[str] | None:
        """List what stands beside entries, where the rule compares that with what stands beside values.

        Args:
            shelf: The lists and codebooks.

        Returns:
            The texts; None where it looks at values alone.
        """
        return None

    def dump_words(self) -> dict[str, Any]:
        """Give the rule as a rulebook file has it: only the words that differ from their defaults."""
        given = self.model_dump(exclude_defaults=True, mode="json", by_alias=True)
        for word in ("column", "columns", "do"):
            given.pop(word, None)
        one = len(self.columns) == 1
        named = {"column": self.columns[0]} if one else {"columns": list(self.columns)}
        return {**named, "do": self.do, **given}

    def __eq__(self, other: object) -> bool:
        """Tell whether another rule does the same."""
        return isinstance(other, Rule) and self.dump_words() == other.dump_words()

    def __hash__(self) -> int:
        return hash((self.do, self.columns))

    def on(
        self,
        values: Any,
        *,
        lists: Mapping[str, ReferenceList] | None = None,
        codebooks: Mapping[str, Codebook] | None = None,
        pairs: Mapping[str, PairList] | None = None,
    ) -> Any:
        """Apply the rule to the values of one column, without a rulebook.

        Args:
            values: A Series, an Arrow array, or a sequence of texts, (rows,); None, NaN and NA are missing.
            lists: Reference lists that the rule refers to by name.
            codebooks: Codebooks that the rule refers to by name.
            pairs: Pair lists that the rule refers to by name.

        Returns:
            As many values, of the same kind, (rows,). A rule that writes into several columns gives a table of them.

        Raises:
            RulebookError: For a rule that looks at other columns, or refers to something that isn't given.
            TableError: For values that aren't texts.

        Example:
            >>> from igual.rules import Case
            >>> Case(style="sentence").on(["NORWAY MAPLE", None])
            ['Norway maple', None]
        """
        if others := sorted(self.reads() - {"values"}):
            raise RulebookError(f"the rule looks at column {others[0]!r}; it can only work in a rulebook")
        shelf = Shelf(lists or {}, codebooks or {}, pairs or {})
        shelf.refuse_missing(self.needs())
        table, unwrap = wrap_values(values)
        source = open_table(table)
        column = source.column("values")
        with error_context(f"rule {self.do!r}", RulebookError):
            rewriter = self.rewriter(shelf)
        result = apply_rule(self, rewriter, column.values, {}, shelf)
        several = isinstance(self.into, tuple)
        names = self.targets if several else ("values",)
        output = self.output(shelf, OutputType())
        made = result.columns if result.columns is not None else (result.values,)
        clean = [
            CleanColumn(name, "values", column, conform(texts, output).values, output)
            for name, texts in zip(names, made, strict=True)
        ]
        rebuilt = source.rebuild(clean)
        return {name: unwrap(rebuilt, name) for name in names} if several else unwrap(rebuilt, "values")


def apply_rule(
    rule: Rule, rewriter: Rewriter, values: pa.Array, beside: Mapping[str, pa.Array], shelf: Shelf
) -> Rewritten:
    """Apply a rule to the values that its condition means; all others stay as they are.

    Args:
        rule: The rule.
        rewriter: The same rule, prepared for work.
        values: Distinct texts, (values,).
        beside: What stands in the other columns that the rule reads, (values,) each.
        shelf: The lists that its condition names.

    Returns:
        What became of all values.
    """
    result = _apply_under_condition(rule, rewriter, values, beside, shelf)
    for made in result.columns if result.columns is not None else (result.values,):
        refuse_long_texts(pc.binary_length(made), values)
    return result


def _apply_under_condition(
    rule: Rule, rewriter: Rewriter, values: pa.Array, beside: Mapping[str, pa.Array], shelf: Shelf
) -> Rewritten:
    if rule.condition is None:
        return rewrite_in_pieces(rewriter, values, beside)
    is_meant = rule.condition.mask(values, beside, shelf.lists)
    if is_meant.all():
        return rewrite_in_pieces(rewriter, values, beside)
    flags = pa.array(is_meant)
    others = {name: texts.filter(flags) for name, texts in beside.items()}
    result = rewrite_in_pieces(rewriter, values.filter(flags), others)

    def put_back(some: pa.Array) -> pa.Array:
        return pc.replace_with_mask(values, flags, some)

    def spread(mask: Mask) -> Mask:
        whole = np.zeros(len(values), np.bool_)
        whole[is_meant] = mask
        return whole

    return Rewritten(
        put_back(result.values),
        result.details.for_each(spread),
        None if result.columns is None else tuple(put_back(column) for column in result.columns),
    )
