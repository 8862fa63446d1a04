"""What a person can't see or overlooks in a column's values."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from functools import cached_property
from typing import NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT, Codes, Column, Counts, Mask, to_mask
from igual.conditions import is_blank
from igual.looking.measures import (
    find_lost_zeros,
    find_other_date_forms,
    find_other_decimal_marks,
    find_units,
)
from igual.matching.lookalikes import Lookalike, group_lookalikes
from igual.matching.reasons import list_kinds
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


class ManyColumns:
    """The distinct values of several columns one behind another, so that each is looked at by the same few calls.

    Args:
        columns: The columns.
    """

    def __init__(self, columns: Sequence[Column]) -> None:
        self.columns = columns
        self.values = pa.concat_arrays([column.values for column in columns])
        self.counts = np.concatenate([column.counts for column in columns])
        sizes = [len(column.values) for column in columns]
        self.edges = np.concatenate([[0], np.cumsum(sizes)])
        self.owners = np.repeat(np.arange(len(columns)), sizes)

    @cached_property
    def blank(self) -> Mask:
        """Which values are missing or blank, (values,)."""
        return is_blank(self.values)

    @cached_property
    def signs(self) -> frozenset[int]:
        """The bytes that occur in the values: most oddities need some that most columns don't have."""
        seen = np.zeros(256, np.bool_)
        values = self.values.fill_null("")
        if not len(values):
            return frozenset()
        ends = np.frombuffer(values.buffers()[1], np.int64)[[values.offset, values.offset + len(values)]]
        data = np.frombuffer(values.buffers()[2] or b"", np.uint8)[ends[0] : ends[1]]
        for start in range(0, len(data), 1 << 20):
            seen[data[start : start + (1 << 20)]] = True
        return frozenset(np.flatnonzero(seen).tolist())

    def sum_rows(self, mask: Mask) -> Counts:
        """How many rows of each column have the marked values, (columns,)."""
        return np.bincount(self.owners, weights=self.counts * mask, minlength=len(self.columns)).astype(
            np.int64
        )

    def list_owners(self, mask: Mask) -> list[int]:
        """The columns that have a marked value."""
        return np.unique(self.owners[mask]).tolist()  # type: ignore[no-any-return]

    def slice_of(self, owner: int) -> slice:
        """Where the values of a column stand."""
        return slice(int(self.edges[owner]), int(self.edges[owner + 1]))


def find_oddities(many: ManyColumns, *, with_lookalikes: bool = True) -> list[list[Oddity]]:
    """Find all oddities of columns, in a fixed order; kinds that don't occur are left out.

    Args:
        many: The columns.
        with_lookalikes: Whether to look for values that are probably one.

    Returns:
        For each column its oddities.
    """
    found: list[list[Oddity]] = [[] for _ in many.columns]

    def look(kinds: Iterable[tuple[str, Callable[[ManyColumns], Mask]]]) -> None:
        for kind, find in kinds:
            if not many.signs & _SIGNS.get(kind, _ANY):
                continue
            mask = find(many)
            for owner in many.list_owners(mask):
                found[owner].append(_oddity(kind, many.columns[owner], mask[many.slice_of(owner)]))

    masks = list(_MASKS.items())
    look(masks[:_BEFORE_GROUPS])
    for kind, key in _KEYS.items():
        if many.signs & _SIGNS[kind]:
            for owner, oddity in _find_groups(kind, many, key):
                found[owner].append(oddity)
    for owner, column in enumerate(many.columns if with_lookalikes else ()):
        if (alike := _lookalikes(column)) is not None:
            found[owner].append(alike)
    look(masks[_BEFORE_GROUPS:])
    return found


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
        if "folded" not in list_kinds(one.reasons):
            groups.setdefault(one.group, []).append(one)
    alike = sorted((group for group in groups.values() if len(group) > 1), key=lambda group: -group[0].rows)
    if not alike:
        return None
    named = [
        " | ".join(visible(one.value, _LONGEST) for one in group[:EXAMPLES]) for group in alike[:EXAMPLES]
    ]
    grouped = [one for group in alike for one in group]
    return Oddity("probably one", len(grouped), sum(one.rows for one in grouped), len(alike), tuple(named))


def _oddity(kind: str, column: Column, mask: Mask) -> Oddity:
    places = np.flatnonzero(mask)
    first = places[np.argsort(-column.counts[places], kind="stable")][:EXAMPLES]
    shown = tuple(visible(text, _LONGEST) for text in column.values.take(pa.array(first)).to_pylist())
    return Oddity(kind, len(places), int(column.counts[places].sum()), None, shown)


def _pattern(pattern: str) -> Callable[[ManyColumns], Mask]:
    return lambda many: has_pattern(many.values, pattern)


def _spaces_at_ends(many: ManyColumns) -> Mask:
    """Spaces at the ends of values that hold something else as well."""
    return has_pattern(many.values, f"^[{_ANY_SPACE}]|[{_ANY_SPACE}]$") & ~many.blank


def _is_number(many: ManyColumns) -> tuple[Mask, Mask]:
    """Which values are numbers, and which are other texts; blank and missing-like ones are neither."""
    number = has_pattern(trimmed(many.values), _NUMBER)
    return number, ~number & ~many.blank & ~_like_missing(many)


def _rarer(many: ManyColumns, which: Mask, other: Mask) -> Mask:
    is_rarer: Mask = (many.sum_rows(which) < many.sum_rows(other))[many.owners]
    return which & is_rarer


def _numbers_among_texts(many: ManyColumns) -> Mask:
    number, text = _is_number(many)
    return _rarer(many, number, text)


def _texts_among_numbers(many: ManyColumns) -> Mask:
    number, text = _is_number(many)
    return _rarer(many, text, number)


def _like_missing(many: ManyColumns) -> Mask:
    return to_mask(pc.is_in(casefold(trimmed(many.values)), pa.array(LIKE_MISSING, TEXT)))


def _misread(many: ManyColumns) -> Mask:
    """Texts that were decoded wrongly: replacement characters, or UTF-8 read as a single-byte encoding."""
    mask = has_pattern(many.values, "\ufffd")
    maybe = np.flatnonzero(has_pattern(many.values, MAYBE_MISREAD))
    texts = many.values.take(pa.array(maybe)).to_pylist()
    mask[maybe] |= np.array([reread(text) is not None for text in texts], np.bool_)
    return mask


def _lookalike_letters(many: ManyColumns) -> Mask:
    """Letters of another script that look Latin, beside Latin letters or in a column mostly of them."""
    alike = "".join(LOOKS_LATIN)
    has_alike = has_pattern(many.values, f"[{alike}]")
    if not has_alike.any():
        return has_alike
    latin = has_pattern(many.values, r"\p{Latin}")
    only_alike = has_alike & ~has_pattern(many.values, rf"[^{alike}\P{{L}}]") & ~latin
    mostly_latin: Mask = (many.sum_rows(latin) > many.sum_rows(has_alike & ~latin))[many.owners]
    in_one_word = has_pattern(
        many.values, rf"[{alike}][\p{{L}}\p{{M}}]*\p{{Latin}}|\p{{Latin}}[\p{{L}}\p{{M}}]*[{alike}]"
    )
    return in_one_word | (only_alike & mostly_latin)


_MASKS: dict[str, Callable[[ManyColumns], Mask]] = {
    "spaces at the ends": _spaces_at_ends,
    "runs of spaces inside": _pattern(f"[^{_ANY_SPACE}][ {TAB}{_ODD}]{{2,}}[^{_ANY_SPACE}]"),
    "line breaks": _pattern(f"[{LINE_BREAKS}]"),
    "tabs": _pattern(TAB),
    "odd spaces": _pattern(f"[{_ODD}]"),
    "invisible characters": _pattern(_INVISIBLE),
    "control characters": _pattern("[\\x00-\\x08\\x0e-\\x1f\\x7f\u0080-\u0084\u0086-\u009f]"),
    "numbers among texts": _numbers_among_texts,
    "texts among numbers": _texts_among_numbers,
    "another decimal mark": find_other_decimal_marks,
    "dates in another form": find_other_date_forms,
    "numbers with a unit": find_units,
    "zeros lost in front": find_lost_zeros,
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


_ANY = frozenset(range(256))
_BEYOND_ASCII = frozenset(range(128, 256))
_SPACING = _BEYOND_ASCII | frozenset(range(9, 14)) | {ord(" "), 28, 29, 30, 31}
# Which bytes a value must have, one of them at least, to show an oddity.
_SIGNS: dict[str, frozenset[int]] = {
    "spaces at the ends": _SPACING,
    "runs of spaces inside": _SPACING,
    "line breaks": _SPACING,
    "tabs": _SPACING,
    "odd spaces": _SPACING,
    "invisible characters": _BEYOND_ASCII | frozenset(range(32)) | {127},
    "control characters": _BEYOND_ASCII | frozenset(range(32)) | {127},
    "decoded wrongly": _BEYOND_ASCII,
    "look-alike letters": _BEYOND_ASCII,
    "another decimal mark": frozenset(b","),
    "dates in another form": frozenset(b"/-. "),
    "zeros lost in front": frozenset(b"0"),
    "differ only in case": _BEYOND_ASCII | frozenset(b"ABCDEFGHIJKLMNOPQRSTUVWXYZ"),
    "differ only in spacing": _SPACING | frozenset(range(32)) | {127},
    "differ only in accents": _BEYOND_ASCII,
    "differ only in punctuation": _ANY
    - frozenset(b"0123456789abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ"),
}


def _find_groups(
    kind: str, many: ManyColumns, key: Callable[[pa.Array], pa.Array]
) -> Iterable[tuple[int, Oddity]]:
    """Distinct values of a column that one key makes equal: they differ in nothing else."""
    # Keys of blanks say nothing: an empty text and a space are no two spellings of a value.
    places = np.flatnonzero(~many.blank)
    encoded = key(many.values.take(pa.array(places))).dictionary_encode()
    codes = encoded.indices.to_numpy(zero_copy_only=False).astype(np.int64)
    empty = pc.index(encoded.dictionary, pa.scalar("", encoded.dictionary.type)).as_py()
    owned = pa.array(many.owners[places] * max(len(encoded.dictionary), 1) + codes).dictionary_encode()
    groups: Codes = owned.indices.to_numpy(zero_copy_only=False)
    sizes = np.bincount(groups, minlength=len(owned.dictionary))
    # Where nothing is left under a key the values have nothing in common.
    mask = (sizes[groups] > 1) & (codes != empty)
    for owner in np.unique(many.owners[places[mask]]).tolist():
        own = many.slice_of(owner)
        chosen = mask & (places >= own.start) & (places < own.stop)
        members, its_groups = places[chosen], groups[chosen]
        counts = many.counts[members]
        examples = _group_examples(many.values.take(pa.array(members)), counts, its_groups)
        count = len(np.unique(its_groups))
        yield owner, Oddity(kind, len(members), int(counts.sum()), count, tuple(examples))


def _group_examples(values: pa.Array, counts: Counts, groups: Codes) -> Iterable[str]:
    """The groups with most rows, each as its spellings, the most frequent first."""
    _, first, inverse = np.unique(groups, return_index=True, return_inverse=True)
    # Among groups of equally many rows, the one that appears first comes first.
    order = np.argsort(first, kind="stable")
    weight = np.bincount(inverse, weights=counts)[order]
    for group in order[np.argsort(-weight, kind="stable")][:EXAMPLES]:
        members = np.flatnonzero(inverse == group)
        members = members[np.argsort(-counts[members], kind="stable")]
        texts = values.take(pa.array(members[:EXAMPLES])).to_pylist()
        more = " | …" if len(members) > EXAMPLES else ""
        yield " | ".join(visible(text, _LONGEST) for text in texts) + more
