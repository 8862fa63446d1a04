"""Settings given as words, checked, with errors that a steward understands."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from typing import TYPE_CHECKING, Annotated, Any, TypeAlias, TypeVar

from pydantic import BaseModel, BeforeValidator, ConfigDict, ValidationError
from pydantic_core import ErrorDetails

from igual.column import find_lone_surrogate
from igual.errors import RulebookError, spell_given
from igual.values import value_of

_Part = TypeVar("_Part")

if TYPE_CHECKING:
    # A value may be given as a number or a day, as it may stand in a column; it is kept as a text.
    Value: TypeAlias = str
    # A word that takes several may be given as a list or a tuple; it is kept as a tuple.
    Several: TypeAlias = Sequence[_Part]
else:
    Several = tuple[_Part, ...]
    Value = Annotated[
        str, BeforeValidator(lambda given: given if (value := value_of(given)) is None else value)
    ]

# Bounds of what a rule's words can hold, so that a stranger's rulebook asks nothing endless.
_DEEPEST, _LARGEST, _LONGEST = 50, (1 << 63) - 1, 10_000
# Where a word takes one of several types, the checker names the type that it tried.
_TYPE_NAME = re.compile(r"(str|int|float|bool|function-\w+)$|(tuple|dict|list|literal|function-\w+)\[")
_TAKES = {
    "string_type": "a text in quotes",
    "bool_type": "true or false",
    "int_type": "a whole number",
    "tuple_type": "a list of texts",
    "float_type": "a number",
    "list_type": "a list",
    "dict_type": "a table { … }",
    "model_type": "a table { … }",
    "model_attributes_type": "a table { … }",
}


# Kinds of errors that say by themselves what is wrong, whatever else the word may be.
_EXPLAINED = (
    "extra_forbidden", "missing", "value_error", "too_short", "string_too_short", "greater_than_equal",
    "less_than_equal",
)  # fmt: skip


class Settings(BaseModel):
    """A model whose errors are said in one sentence, with the nearest valid word."""

    model_config = ConfigDict(frozen=True, extra="forbid", strict=True, populate_by_name=True)

    if not TYPE_CHECKING:  # type checkers see the words of each model

        def __init__(self, **words: Any) -> None:
            # A rulebook file has lists where models, which never change, have tuples.
            try:
                super().__init__(**{word: _unchanging(given) for word, given in words.items()})
            except ValidationError as error:
                raise build_validation_error(error, type(self)) from None
            except TypeError as error:
                # Words of a condition, say, that are no texts.
                raise RulebookError(f"a word can't be read: {error}") from None
            if (number := _find_endless([*words.values()])) is not None:
                raise RulebookError(f"{number} is not a number that values can be compared with")


def _unchanging(given: Any, depth: int = 0) -> Any:
    """A setting with tuples for lists, as far down as they go; RulebookError for what no rule can need."""
    if depth > _DEEPEST:
        raise RulebookError(f"the words are nested more than {_DEEPEST} deep")
    if isinstance(given, list | tuple):
        parts = [_unchanging(part, depth + 1) for part in given]
        return tuple(parts) if type(given) in (list, tuple) else given
    if isinstance(given, dict):
        return {name: _unchanging(part, depth + 1) for name, part in given.items()}
    if isinstance(given, int) and not -_LARGEST <= given <= _LARGEST:
        raise RulebookError(f"a whole number of {len(f'{abs(given):x}')} hexadecimal digits is too large")
    if isinstance(given, str) and find_lone_surrogate([given]) is not None:
        raise RulebookError(f"{spell_given(given)} has half of a character, which can't be written anywhere")
    if isinstance(given, str) and len(given) > _LONGEST:
        raise RulebookError(f"a text of {len(given):,} characters is too long; {_LONGEST:,} are allowed")
    return given


def _find_endless(given: Any) -> float | None:
    """A number in some settings that isn't finite."""
    if isinstance(given, float):
        return None if math.isfinite(given) else given
    parts = given.values() if isinstance(given, dict) else given if isinstance(given, list | tuple) else ()
    return next((number for part in parts if (number := _find_endless(part)) is not None), None)


def build_validation_error(error: ValidationError, model: type[BaseModel]) -> RulebookError:
    """What is wrong first and foremost: an unknown word explains others that seem to be missing."""
    details = sorted(error.errors(), key=lambda detail: detail["type"] != "extra_forbidden")
    detail = details[0]
    word, given = str(detail["loc"][0]) if detail["loc"] else "", detail["input"]
    if detail["type"] == "extra_forbidden" and len(detail["loc"]) == 1:
        return RulebookError.from_unknown(f"unknown word {word!r}", word, model.model_fields)
    choices = [text for d in details if d["loc"][:1] == (word,) for text in _choices(d)]
    if choices and detail["type"] not in _EXPLAINED:
        return RulebookError.from_unknown(f"{word!r} can't be {spell_given(given)}", given, choices)
    return RulebookError(_format_detail(detail))


def _format_detail(detail: ErrorDetails) -> str:
    word = str(detail["loc"][0]) if detail["loc"] else ""
    inner = ".".join(str(part) for part in detail["loc"] if not _TYPE_NAME.match(str(part)))
    kind, given, context = detail["type"], detail["input"], detail.get("ctx", {})
    if kind == "extra_forbidden":
        return f"unknown word {str(detail['loc'][-1])!r} in {word!r}"
    if kind == "missing":
        return f"the word {word!r} is missing"
    if kind == "value_error":
        return str(context["error"])
    if kind in ("too_short", "string_too_short"):
        return f"{word!r} may not be empty"
    if kind == "greater_than_equal":
        return f"{word!r} takes a number from {context['ge']} on; found {spell_given(given)}"
    if kind == "less_than_equal":
        return f"{word!r} takes a number up to {context['le']:,}; found {spell_given(given)}"
    takes = _TAKES.get(kind)
    return (
        f"{inner!r} takes {takes}; found {spell_given(given)}"
        if takes
        else f"{inner!r}: {detail['msg']}; found {spell_given(given)}"
    )


def _choices(detail: ErrorDetails) -> list[str]:
    expected = detail.get("ctx", {}).get("expected", "") if detail["type"] == "literal_error" else ""
    return re.findall(r"'([^']*)'", expected)
