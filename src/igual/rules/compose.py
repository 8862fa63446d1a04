"""The rule `compose`."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import Any, Literal

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc
from pydantic import model_validator

from igual.column import TEXT
from igual.lists import Shelf
from igual.rules.base import Rule
from igual.rules.rewriters import PlainRewriter, Rewriter, Rewritten
from igual.text.arrays import refuse_long_texts
from igual.text.blanks import is_blank

_NAME = re.compile(r"\{([^{}]*)\}")
# What stands right around a part belongs to it.
_ENCLOSING = ("()", "[]", '""', "''", "“”", "‘’", "„“", "«»")


class Compose(Rule):
    """Make one text out of several columns.

    Where a part is missing or blank it is left out, together with the text before it (for the first part: the text
    after it), and with the brackets or quotes right around it. Where all parts are, the result is missing.

    Attributes:
        template: A text with the names of columns in braces, such as `{street} {number}, {district}`. into: the new
            column. Without it `column` is written anew, which may be one that an earlier rule made.

    Example:
        >>> import igual
        >>> book = igual.Rulebook([igual.rules.Compose(template="{street} {number}", into="address")])
        >>> book.apply({"street": ["Mill Street", "Quay"], "number": ["3", None]}).table["address"]
        ['Mill Street 3', 'Quay']
        >>> book = igual.Rulebook([igual.rules.Compose(template="{tree} ({code})", into="name")])
        >>> book.apply({"tree": ["Oak", "Elm", ""], "code": ["QR", "", "BT"]}).table["name"]
        ['Oak (QR)', 'Elm', '(BT)']
    """

    do: Literal["compose"] = "compose"
    template: str

    @model_validator(mode="before")
    @classmethod
    def _columns_from_template(cls, given: Any) -> Any:
        if not isinstance(given, dict) or not isinstance(given.get("template"), str):
            return given
        names = _NAME.findall(given["template"])
        if not names or "" in names:
            raise ValueError("'template' needs names of columns in braces, such as {street} {number}")
        if given.get("into") is None:
            return given
        if given.get("column") not in (None, names[0]):
            raise ValueError("'column' isn't needed beside 'into': the template names the columns")
        return {**given, "column": names[0]}

    @model_validator(mode="after")
    def _needs_into(self) -> Compose:
        if self.into is None and len(self.columns) != 1:
            raise ValueError("the word 'into' is missing: the new column; or 'column', the one to write anew")
        return self

    def reads(self) -> set[str]:
        """List the columns that the rule looks at besides its own."""
        return super().reads() | set(_NAME.findall(self.template)) - set(self.columns)

    def dump_words(self) -> dict[str, Any]:
        """Give the rule as a rulebook file has it."""
        words = super().dump_words()
        return (
            words if self.into is None else {word: given for word, given in words.items() if word != "column"}
        )

    def rewriter(self, shelf: Shelf) -> Rewriter:
        """Prepare the rule for work."""
        return _Rewriter(self)


class _Rewriter(PlainRewriter):
    def __init__(self, rule: Compose) -> None:
        self._own = rule.columns[0]
        # Texts stand at even places, names of columns at odd ones.
        pieces = _NAME.split(rule.template)
        self._names, texts = pieces[1::2], pieces[0::2]
        self._enclosed = [("", "")] * len(self._names)
        for place in range(len(self._names)):
            both = texts[place][-1:] + texts[place + 1][:1]
            if both in _ENCLOSING:
                self._enclosed[place] = both[0], both[1]
                texts[place], texts[place + 1] = texts[place][:-1], texts[place + 1][1:]
        self._texts = texts

    def rewrite(self, values: pa.Array, beside: Mapping[str, pa.Array]) -> Rewritten:
        nothing = pa.scalar("", TEXT)
        cells = [values if name == self._own else beside[name] for name in self._names]
        self._refuse_growth(values, cells)
        made: list[Any] = [pa.scalar(self._texts[0], TEXT)]
        started = np.zeros(len(values), np.bool_)
        parts = zip(self._texts, cells, self._enclosed, strict=False)
        for place, (before, part, (opening, closing)) in enumerate(parts):
            is_there = ~is_blank(part)
            lead: Any = pa.scalar(opening, TEXT)
            if place:
                lead = _choose(started, pa.scalar(before + opening, TEXT), lead)
            pieces = [lead, part, pa.scalar(closing, TEXT)][: 3 if closing else 2]
            made += [_choose(is_there, piece, nothing) for piece in pieces]
            started |= is_there
        made += [pa.scalar(self._texts[-1], TEXT), nothing]
        return Rewritten(_choose(started, pc.binary_join_element_wise(*made), pa.scalar(None, TEXT)))

    def _refuse_growth(self, values: pa.Array, cells: Sequence[pa.Array]) -> None:
        """Raise RulebookError, before they are made, where texts would be far too long."""
        lengths = pa.scalar(sum(len(text.encode()) for text in self._texts), pa.int64())
        for part in cells:
            lengths = pc.add(lengths, pc.binary_length(part).fill_null(0).cast(pa.int64()))
        refuse_long_texts(lengths, values)


def _choose(mask: npt.NDArray[np.bool_], one: Any, other: Any) -> Any:
    """What stands at each place, or for all of them."""
    return one if mask.all() else pc.if_else(pa.array(mask), one, other)
