"""What a person can't see or overlooks in a column's values."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT, Codes, Column, Counts, Mask, to_mask
from igual.conditions import is_blank
from igual.matching.lookalikes import SAME_KEY_SCORE, Lookalike, group_lookalikes
from igual.text.arrays import has_pattern
from igual.text.characters import (
    JOINERS,
    LINE_BREAKS,
    LOOKS_LATIN,
    ODD_SPACES,
    OTHER_INVISIBLE,
    TAB,
    ZERO_WIDTH,
    visible,
)
from igual.text.filtering import MAYBE_MISREAD, reread
from igual.text.folding import casefold, punctuation_key, spacing_key, trimmed, without_accents

EXAMPLES = 3
_LONGEST = 48
_ODD = "".join(ODD_SPACES)
_HIDDEN = "".join([*ZERO_WIDTH, *OTHER_INVISIBLE])
_JOINERS = "".join(JOINERS)
# A joiner beside ASCII or at an end joins nothing; elsewhere scripts and emoji need it.
_INVISIBLE = rf"[{_HIDDEN}]|(^|[\x00-\x7f])[{_JOINERS}]|[{_JOINERS}]($|[\x00-\x7f])"
_ANY_SPACE = f" {TAB}{_ODD}{LINE_BREAKS}"
_NUMBER = r"^[+\-−]?(\d{1,3}([.,' ]\d{3})+|\d+)([.,]\d+)?\s?%?$"
# Texts that people write for "there is no value"; compared with case and outer spaces set aside.
LIKE_MISSING = (
    "n/a", "n.a.", "n.a", "na", "#n/a", "nan", "null", "none", "nil", "-", "--", "---", "–", "—", "?", "??", "???",
    ".", "..", "...", "*", "xxx", "unknown", "not known", "unk", "missing", "not available",
    "not applicable", "not recorded", "not stated", "no data", "no value", "tbd", "tba", "to be determined",
    "(blank)", "(empty)", "(none)", "(missing)", "<na>", "[none]", "empty", "blank", "undefined", "unspecified",
)  # fmt: skip


# A column of more values is looked through for lookalikes by the command of that name only.
_LOOKED_THROUGH = 3_000


class Oddity(NamedTuple):
    """One kind of oddity in one column.

    Attributes:
        values: How many distinct values and rows show it.
        rows: How many rows show it.
        groups: For values that differ only in one respect, how many groups of such values there are.
        examples: A few, with everything invisible drawn.
    """

    kind: str
    values: int
    rows: int
    groups: int | None
    examples: tuple[str, ...]


def find_oddities(column: Column) -> list[Oddity]:
    """All oddities of a column, in a fixed order; kinds that don't occur are left out."""
    found_kinds = [_oddity(kind, column, mask(column)) for kind, mask in _MASKS.items()]
    grouped = [_grouped(kind, column, key) for kind, key in _KEYS.items()]
    ordered = [*found_kinds[:_BEFORE_GROUPS], *grouped, _lookalikes(column), *found_kinds[_BEFORE_GROUPS:]]
    return [oddity for oddity in ordered if oddity]


def _lookalikes(column: Column) -> Oddity | None:
    """Groups of values that are probably one, in columns of few values.

    Those that differ only in case, spaces and the like are counted elsewhere.
    """
    is_text = to_mask(pc.match_substring_regex(column.values, r"\pL{3}")) & ~is_blank(column.values)
    if not 1 < is_text.sum() <= _LOOKED_THROUGH:
        return None
    members = group_lookalikes(column.values.filter(pa.array(is_text)), column.counts[is_text])
    groups: dict[int, list[Lookalike]] = {}
    for one in members:
        if one.value == one.proposal or one.score < SAME_KEY_SCORE:
            groups.setdefault(one.group, []).append(one)
    alike = sorted((group for group in groups.values() if len(group) > 1), key=lambda group: -group[0].rows)
    if not alike:
        return None
    named = [
        " | ".join(visible(one.value, _LONGEST) for one in group[:EXAMPLES]) for group in alike[:EXAMPLES]
    ]
    grouped = [one for group in alike for one in group]
    return Oddity("probably one", len(grouped), sum(one.rows for one in grouped), len(alike), tuple(named))


def _oddity(kind: str, column: Column, mask: Mask) -> Oddity | None:
    if not mask.any():
        return None
    places = np.flatnonzero(mask)
    first = places[np.argsort(-column.counts[places], kind="stable")][:EXAMPLES]
    shown = tuple(visible(text, _LONGEST) for text in column.values.take(pa.array(first)).to_pylist())
    return Oddity(kind, len(places), int(column.counts[places].sum()), None, shown)


def _pattern(pattern: str) -> Callable[[Column], Mask]:
    return lambda column: has_pattern(column.values, pattern)


def _spaces_at_ends(column: Column) -> Mask:
    """Spaces at the ends of values that hold something else as well."""
    return has_pattern(column.values, f"^[{_ANY_SPACE}]|[{_ANY_SPACE}]$") & ~is_blank(column.values)


def _is_number(column: Column) -> tuple[Mask, Mask]:
    """Which values are numbers, and which are other texts; blank and missing-like ones are neither."""
    number = has_pattern(trimmed(column.values), _NUMBER)
    return number, ~number & ~is_blank(column.values) & ~_like_missing(column)


def _rarer(column: Column, which: Mask, other: Mask) -> Mask:
    few, many = column.counts[which].sum(), column.counts[other].sum()
    return which if few < many else np.zeros_like(which)


def _numbers_among_texts(column: Column) -> Mask:
    number, text = _is_number(column)
    return _rarer(column, number, text)


def _texts_among_numbers(column: Column) -> Mask:
    number, text = _is_number(column)
    return _rarer(column, text, number)


def _like_missing(column: Column) -> Mask:
    return to_mask(pc.is_in(casefold(trimmed(column.values)), pa.array(LIKE_MISSING, TEXT)))


def _misread(column: Column) -> Mask:
    """Texts that were decoded wrongly: replacement characters, or UTF-8 read as a single-byte encoding."""
    mask = has_pattern(column.values, "\ufffd")
    maybe = np.flatnonzero(has_pattern(column.values, MAYBE_MISREAD))
    texts = column.values.take(pa.array(maybe)).to_pylist()
    mask[maybe] |= np.array([reread(text) is not None for text in texts], np.bool_)
    return mask


def _lookalike_letters(column: Column) -> Mask:
    """Letters of another script that look Latin, beside Latin letters or in a column mostly of them."""
    alike = "".join(LOOKS_LATIN)
    has_alike = has_pattern(column.values, f"[{alike}]")
    if not has_alike.any():
        return has_alike
    latin = has_pattern(column.values, r"\p{Latin}")
    only_alike = has_alike & ~has_pattern(column.values, rf"[^{alike}\P{{L}}]") & ~latin
    mostly_latin = column.counts[latin].sum() > column.counts[has_alike & ~latin].sum()
    in_one_word = has_pattern(
        column.values, rf"[{alike}][\p{{L}}\p{{M}}]*\p{{Latin}}|\p{{Latin}}[\p{{L}}\p{{M}}]*[{alike}]"
    )
    return in_one_word | (only_alike if mostly_latin else np.zeros_like(latin))


_MASKS: dict[str, Callable[[Column], Mask]] = {
    "spaces at the ends": _spaces_at_ends,
    "runs of spaces inside": _pattern(f"[^{_ANY_SPACE}][ {TAB}{_ODD}]{{2,}}[^{_ANY_SPACE}]"),
    "line breaks": _pattern(f"[{LINE_BREAKS}]"),
    "tabs": _pattern(TAB),
    "odd spaces": _pattern(f"[{_ODD}]"),
    "invisible characters": _pattern(_INVISIBLE),
    "control characters": _pattern("[\\x00-\\x08\\x0e-\\x1f\\x7f\u0080-\u0084\u0086-\u009f]"),
    "numbers among texts": _numbers_among_texts,
    "texts among numbers": _texts_among_numbers,
    "looks like missing": _like_missing,
    "decoded wrongly": _misread,
    "look-alike letters": _lookalike_letters,
}
_BEFORE_GROUPS = list(_MASKS).index("numbers among texts")

_KEYS: dict[str, Callable[[pa.Array], pa.Array]] = {
    "differ only in case": casefold,
    "differ only in spacing": spacing_key,
    "differ only in accents": without_accents,
    "differ only in punctuation": punctuation_key,
}


def _grouped(kind: str, column: Column, key: Callable[[pa.Array], pa.Array]) -> Oddity | None:
    """Distinct values that one key makes equal: they differ in nothing else."""
    values, counts = column.values, column.counts
    # Keys of blanks say nothing: an empty text and a space are no two spellings of a value.
    is_text = ~is_blank(values)
    if not is_text.all():
        values, counts = values.filter(pa.array(is_text)), counts[is_text]
    encoded = key(values).dictionary_encode()
    groups: Codes = encoded.indices.to_numpy(zero_copy_only=False)
    sizes = np.bincount(groups, minlength=len(encoded.dictionary))
    empty = pc.index(encoded.dictionary, pa.scalar("", encoded.dictionary.type)).as_py()
    if empty >= 0:
        sizes[empty] = 0  # nothing is left under this key: the values have nothing in common
    mask = sizes[groups] > 1
    if not mask.any():
        return None
    return Oddity(
        kind,
        int(mask.sum()),
        int(counts[mask].sum()),
        int((sizes > 1).sum()),
        tuple(_group_examples(values, counts, groups, mask)),
    )


def _group_examples(values: pa.Array, counts: Counts, groups: Codes, mask: Mask) -> Iterable[str]:
    """The groups with most rows, each as its spellings, the most frequent first."""
    weight = np.bincount(groups[mask], weights=counts[mask])
    for group in np.argsort(-weight, kind="stable")[:EXAMPLES]:
        members = np.flatnonzero((groups == group) & mask)
        if len(members):
            members = members[np.argsort(-counts[members], kind="stable")]
            texts = values.take(pa.array(members[:EXAMPLES])).to_pylist()
            more = " | …" if len(members) > EXAMPLES else ""
            yield " | ".join(visible(text, _LONGEST) for text in texts) + more
