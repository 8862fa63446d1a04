"""What must hold of clean columns, in the vocabulary of conditions."""

from __future__ import annotations

from pydantic import model_validator

from igual.conditions import Condition, ConditionLike, as_condition
from igual.settings import Settings


class Check(Settings):
    """A condition that every value of a clean column must meet.

    Missing and blank values pass, unless the condition says `blank = false`.

    Attributes:
        column: The column.
        must: The condition.
        note: Why; it appears with what doesn't meet it.

    Example:
        >>> import igual
        >>> book = igual.Rulebook([], checks=[igual.rules.Check(column="height", must={"below": 60})])
        >>> book.apply({"height": ["12", "600"]}).unfit["value"].tolist()
        ['600']
    """

    column: str
    must: ConditionLike
    note: str | None = None

    @model_validator(mode="after")
    def _looks_at_its_column(self) -> Check:
        if self.condition.columns():
            raise ValueError("'must' looks at the column of the check; it can't name another")
        return self

    @property
    def condition(self) -> Condition:
        """The condition of `must`, however it was given."""
        return as_condition(self.must)
