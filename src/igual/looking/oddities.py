"""What a person can't see or overlooks in a column's values."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import Codes, Column, Counts, Mask
from igual.distinct import find_equal
from igual.hashing import hash_texts
from igual.looking.many_columns import ManyColumns, ValuePiece
from igual.looking.measures import (
    find_lost_zeros,
    find_other_date_forms,
    find_other_decimal_marks,
    find_units,
)
from igual.matching.lookalikes import Lookalike, group_lookalikes
from igual.matching.reasons import list_kinds
from igual.text.arrays import has_pattern
from igual.text.blanks import is_blank
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
from igual.text.folding import casefold, punctuation_key, spacing_key, without_accents
from igual.text.packed import ByteKinds, is_between, mark
from igual.text.patterns import LETTER

EXAMPLES = 3
_LONGEST = 48
_ODD = "".join(ODD_SPACES)
_HIDDEN = "".join([*ZERO_WIDTH, *OTHER_INVISIBLE])
_JOINERS = "".join(JOINERS)
# A joiner beside ASCII or at an end joins nothing; elsewhere scripts and emoji need it.
_INVISIBLE = rf"[{_HIDDEN}]|(^|[\x00-\x7f])[{_JOINERS}]|[{_JOINERS}]($|[\x00-\x7f])"
_WORDY = rf"[{LETTER}]{{3}}"
_ANY_SPACE = f" {TAB}{_ODD}{LINE_BREAKS}"
_SPACES_INSIDE = f"[^{_ANY_SPACE}][ {TAB}{_ODD}]{{2,}}[^{_ANY_SPACE}]"
_MAY_BE_SPACE = ByteKinds(np.array([chr(byte) in f" {TAB}" or byte >= 128 for byte in range(256)]))

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


def find_oddities(many: ManyColumns, *, with_lookalikes: bool = True) -> list[list[Oddity]]:
    """Find all oddities of columns, in a fixed order; kinds that don't occur are left out.

    Args:
        many: The columns.
        with_lookalikes: Whether to look for values that are probably one.

    Returns:
        For each column its oddities.
    """
    oddities: list[list[Oddity]] = [[] for _ in many.columns]

    def look(kinds: Iterable[tuple[str, Callable[[ManyColumns], Mask]]]) -> None:
        for kind, find in kinds:
            if not _may_have(many, kind):
                continue
            mask = find(many)
            for owner in many.list_owners(mask):
                oddities[owner].append(_oddity(kind, many.columns[owner], mask[many.slice_of(owner)]))

    masks = list(_MASKS.items())
    look(masks[:_BEFORE_GROUPS])
    for kind, key in _KEYS.items():
        if _may_have(many, kind):
            for owner, oddity in _find_groups(kind, many, key):
                oddities[owner].append(oddity)
    may_be_alike = with_lookalikes and _may_have(many, "probably one")
    for owner, column in enumerate(many.columns if may_be_alike else ()):
        if (alike := _lookalikes(column)) is not None:
            oddities[owner].append(alike)
    look(masks[_BEFORE_GROUPS:])
    return oddities


def _may_have(many: ManyColumns, kind: str) -> bool:
    """Whether values have the bytes without which they can't show an oddity."""
    return all(many.signs & signs for signs in _SIGNS.get(kind, ()))


def _lookalikes(column: Column) -> Oddity | None:
    """Groups of values that are probably one, in columns of few values.

    Those that differ only in case, spaces and the like are counted elsewhere.
    """
    # Where the first values are too many texts, the others need no look.
    if has_pattern(column.values.slice(0, 2 * _LOOKED_THROUGH), _WORDY).sum() > _LOOKED_THROUGH:
        return None
    is_text = has_pattern(column.values, _WORDY) & ~is_blank(column.values)
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
    at_ends = ~is_between(many.first_bytes, "!", "~") | ~is_between(many.last_bytes, "!", "~")
    maybe = at_ends & ~many.blank
    maybe[maybe] = has_pattern(many.values.filter(pa.array(maybe)), f"^[{_ANY_SPACE}]|[{_ANY_SPACE}]$")
    return maybe


def _runs_of_spaces(many: ManyColumns) -> Mask:
    """Several spaces between characters that can be seen."""

    def find(piece: ValuePiece) -> Mask:
        is_space = _MAY_BE_SPACE.mark(piece.packed.data)
        # Most values have no two such bytes side by side.
        some = np.unique(piece.packed.texts_at(np.flatnonzero(is_space[:-1] & is_space[1:])))
        mask = mark(len(piece.values), some)
        mask[some] = has_pattern(piece.values.take(pa.array(some)), _SPACES_INSIDE)
        return mask

    return np.concatenate(many.ask(find))


def _rarer(many: ManyColumns, which: Mask, other: Mask) -> Mask:
    is_rarer: Mask = many.spread(many.sum_rows(which) < many.sum_rows(other))
    return which & is_rarer


def _numbers_among_texts(many: ManyColumns) -> Mask:
    return _rarer(many, many.is_number, many.is_other_text)


def _texts_among_numbers(many: ManyColumns) -> Mask:
    return _rarer(many, many.is_other_text, many.is_number)


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
    mostly_latin: Mask = many.spread(many.sum_rows(latin) > many.sum_rows(has_alike & ~latin))
    in_one_word = has_pattern(
        many.values, rf"[{alike}][\p{{L}}\p{{M}}]*\p{{Latin}}|\p{{Latin}}[\p{{L}}\p{{M}}]*[{alike}]"
    )
    return in_one_word | (only_alike & mostly_latin)


_MASKS: dict[str, Callable[[ManyColumns], Mask]] = {
    "spaces at the ends": _spaces_at_ends,
    "runs of spaces inside": _runs_of_spaces,
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
    "looks like missing": lambda many: many.is_like_missing,
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
_DIGITS, _CAPITALS = frozenset(b"0123456789"), frozenset(b"ABCDEFGHIJKLMNOPQRSTUVWXYZ")
_LETTERS = _BEYOND_ASCII | _CAPITALS | frozenset(b"abcdefghijklmnopqrstuvwxyz")
_SPACING = _BEYOND_ASCII | frozenset(range(9, 14)) | {ord(" "), 28, 29, 30, 31}
# Which bytes the values must have, one of each kind at least, to show an oddity.
_SIGNS: dict[str, tuple[frozenset[int], ...]] = {
    "spaces at the ends": (_SPACING,),
    "runs of spaces inside": (_SPACING,),
    "line breaks": (_BEYOND_ASCII | frozenset(b"\n\r\v\f"),),
    "tabs": (frozenset(b"\t"),),
    "odd spaces": (_BEYOND_ASCII,),
    "invisible characters": (_BEYOND_ASCII,),
    "control characters": (_BEYOND_ASCII | frozenset(range(32)) | {127},),
    "decoded wrongly": (_BEYOND_ASCII,),
    "look-alike letters": (_BEYOND_ASCII,),
    "numbers among texts": (_DIGITS, _ANY - _DIGITS),
    "texts among numbers": (_DIGITS, _ANY - _DIGITS),
    "another decimal mark": (frozenset(b","), frozenset(b".")),
    "dates in another form": (_DIGITS, frozenset(b"/-. ")),
    "numbers with a unit": (_DIGITS, _LETTERS | frozenset(b"%$")),
    "zeros lost in front": (frozenset(b"0"),),
    "looks like missing": (_ANY - _DIGITS,),
    "differ only in case": (_BEYOND_ASCII | _CAPITALS,),
    "differ only in spacing": (_SPACING | frozenset(range(32)) | {127},),
    "differ only in accents": (_BEYOND_ASCII,),
    "differ only in punctuation": (_BEYOND_ASCII | (_ANY - _LETTERS - _DIGITS),),
    "probably one": (_LETTERS,),
}


def _find_groups(
    kind: str, many: ManyColumns, key: Callable[[pa.Array], pa.Array]
) -> Iterable[tuple[int, Oddity]]:
    """Distinct values of a column that one key makes equal: they differ in nothing else."""
    # Keys of blanks say nothing: an empty text and a space are no two spellings of a value.
    # Numbers tell which keys stand several times: only these are made once more, and held.
    hashes = many.ask(lambda piece: hash_texts(key(piece.values), many.owners[piece.where]))
    places = find_equal(np.concatenate(hashes))
    places = places[~many.blank[places]]
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
