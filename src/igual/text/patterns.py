r"""Regular expressions that always end: RE2's, in time linear in the text, whoever wrote them.

They know neither look-around nor back-references; `\w`, `\d` and `\b` mean ASCII, `\p{L}` any letter.
"""

from __future__ import annotations

import re
from typing import Literal

import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT

_LARGEST = 10_000
# RE2 bounds its counted repetitions; so many n-th places can be asked for.
LAST_PLACE = 500


def checked_pattern(pattern: str) -> str:
    """The pattern, if RE2 takes it; else ValueError with what is wrong."""
    if len(pattern) > _LARGEST:
        raise ValueError(f"a pattern of {len(pattern):,} characters is too long; {_LARGEST:,} are allowed")
    try:
        pc.match_substring_regex(pa.array([""], TEXT), pattern=pattern)
    except pa.ArrowInvalid as error:
        why = str(error).removeprefix("Invalid regular expression: ")
        raise ValueError(
            f"the pattern {pattern!r} can't be used: {why} (RE2 syntax, without look-around and back-references)"
        ) from None
    return pattern


def group_names(pattern: str) -> list[str]:
    """The named groups of a pattern, in order."""
    return re.findall(r"\(\?P?<([A-Za-z_]\w*)>", pattern)


def groups_in(pattern: str) -> int:
    """How many groups a pattern captures."""
    bare = re.sub(r"\\.|\[[^\]]*\]", "", pattern)
    return len(re.findall(r"\((?!\?)|\(\?P?<", bare))


def substituted(
    values: pa.Array,
    pattern: str,
    given: str,
    *,
    where: str = "anywhere",
    nth: int | None = None,
    ignore_case: bool = False,
) -> pa.Array:
    r"""Replace what a pattern finds; `given` may refer to its groups by \1, \2, … and to all of it by \0.

    Args:
        values: Texts, (values,).
        pattern: A regular expression (RE2 syntax).
        given: What is put in.
        where: Anywhere, or only the whole text, its start or its end.
        nth: Only the n-th place, from 1.
        ignore_case: Find texts in any case.
    """
    flags = "(?i)" if ignore_case else ""
    first, last = {"whole": ("^", "$"), "start": ("^", ""), "end": ("", "$")}.get(where, ("", ""))
    if nth is None or where != "anywhere":
        if nth not in (None, 1):
            return values
        return pc.replace_substring_regex(
            values, pattern=f"{flags}{first}(?:{pattern}){last}", replacement=given
        )
    # What stands before the n-th place is captured too and put back; the pattern's own groups move up.
    inner = groups_in(pattern)
    before = rf"^((?:.*?(?:{uncaptured(pattern, 'all')})){{{nth - 1}}}.*?)" if nth > 1 else r"^(.*?)"
    moved = re.sub(r"\\(\d)", lambda m: rf"\{int(m[1]) + 2}" if m[1] != "0" else r"\2", given)
    if inner > 7:
        raise ValueError("a pattern with 'nth' may have up to seven groups")
    return pc.replace_substring_regex(
        values, pattern=f"{flags}(?s){before}({pattern})", replacement=rf"\1{moved}", max_replacements=1
    )


def uncaptured(pattern: str, which: Literal["all", "unnamed"]) -> str:
    """The pattern with all of its groups, or those without a name, no longer capturing."""
    group = r"\((?:\?P?<\w+>|(?!\?))" if which == "all" else r"\((?!\?)"
    return re.sub(rf"(\\.|\[[^\]]*\])|{group}", lambda found: found[1] or "(?:", pattern)
