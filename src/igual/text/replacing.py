"""Many texts replaced by others at once: leftmost first, the longest where several begin at one place."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping
from typing import Any, Literal, NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT, Mask
from igual.text.arrays import LARGEST_COLUMN, LONGEST_TEXT, MOST_TIMES, as_it_is, refuse_long_texts
from igual.text.beyond import find_characters, mark_alnum
from igual.text.finding import FoundTexts, TextFinder
from igual.text.folding import casefold
from igual.text.packed import (
    Offsets,
    Packed,
    begins_character,
    lowered,
    mark,
    pack,
    slices,
    splice,
    unpack,
)

Where = Literal["anywhere", "whole", "word", "start", "end"]
# The name of a column in a replacement or template.
PLACE = re.compile(r"\{([^{}]*)\}")


class Replaced(NamedTuple):
    """Texts after replacing, and which of the sought texts were found at all (in the order of the pairs).

    Attributes:
        changed_again: For pairs in turn, those whose output a later pair has changed: (the one, the later, in how
            many values).
    """

    values: pa.Array
    used: Mask
    changed_again: tuple[tuple[str, str, int], ...] = ()


class Replacing:
    """Pairs prepared for replacing the one by the other, all at once, so that no output is replaced again.

    Args:
        pairs: Texts to look for, and what is put in their places.
        where: Where in a text they may stand.
        nth: Only the n-th place where a key stands in a text, counted from 1, each key for itself.
        ignore_case: Find texts in any case.
        keep_case: Write what is put in as what stood there: all in capitals, or with a capital first.
    """

    def __init__(
        self,
        pairs: Mapping[str, str],
        where: Where = "anywhere",
        nth: int | None = None,
        ignore_case: bool = False,
        keep_case: bool = False,
    ) -> None:
        self._pairs, self._where, self._nth = pairs, where, nth
        self._ignore_case, self._keep_case = ignore_case, keep_case
        self._givens = list(pairs.values())
        keys = [sought.casefold() if ignore_case else sought for sought in pairs]
        self._finder = TextFinder(keys)

    def replace(self, values: pa.Array, beside: Mapping[str, pa.Array] | None = None) -> Replaced:
        """Replace whatever is found.

        Args:
            values: Texts, (values,).
            beside: Other columns, whose names in braces in a replacement stand for their texts.
        """
        if self._where == "whole" and self._nth is not None and self._nth > 1:
            return Replaced(values, np.zeros(len(self._pairs), np.bool_))
        if self._where == "whole" and not self._keep_case and beside is None:
            return _replaced_whole(values, self._pairs, self._ignore_case)
        refuse_growth(values, self._pairs, self._ignore_case, beside)
        packed = unpack(values)
        found = self._read(values, packed)
        hits = self._keep_nth(found.place(self._finder.find(found.packed, found.accept(self._where))))
        used = mark(len(self._pairs), hits.which)
        texts, which = self._give(hits, packed, beside)
        made = pack(splice(packed, hits.starts, hits.stops, texts, which, hits.owners), values)
        return Replaced(made.cast(values.type), used)

    def _read(self, values: pa.Array, packed: Packed) -> _Folded:
        """The texts as they are looked in."""
        if not self._ignore_case:
            return _Folded(packed)
        if packed.is_ascii:
            return _Folded(packed._replace(data=lowered(packed.data)))
        folded = unpack(casefold(values))
        if len(folded.data) == len(packed.data):
            # Where folding leaves each character in its place, what is found there stands there in the text as well.
            begins = begins_character(folded.data), begins_character(packed.data)
            if np.array_equal(*begins) and np.array_equal(folded.offsets, packed.offsets):
                return _Folded(folded)
        return _Folded(folded, _find_origins(packed, len(folded.data)))

    def _keep_nth(self, hits: FoundTexts) -> FoundTexts:
        """Of each sought text in each text, whose places are counted, only the one that is meant."""
        if self._nth is None or not len(hits.starts):
            return hits
        owners = hits.owners * len(self._pairs) + hits.which
        order = np.argsort(owners, kind="stable")
        is_first = np.append(True, np.diff(owners[order]) > 0)
        rank = np.empty(len(order), np.int64)
        rank[order] = np.arange(len(order)) - np.flatnonzero(is_first)[np.cumsum(is_first) - 1]
        return hits.where(rank == self._nth - 1)

    def _give(
        self, hits: FoundTexts, packed: Packed, beside: Mapping[str, pa.Array] | None
    ) -> tuple[pa.Array, Offsets]:
        """What is put in: distinct texts, and which of them goes in each place."""
        texts, which = pa.array(self._givens, TEXT), hits.which
        if beside is not None:
            texts, which = self._fill(hits, beside)
        if not self._keep_case:
            return texts, which
        encoded = slices(packed, hits.starts, hits.stops).dictionary_encode()
        pairs = pa.array(encoded.indices.to_numpy(zero_copy_only=False) * np.int64(len(texts)) + which)
        both = pairs.dictionary_encode()
        stood, given = np.divmod(both.dictionary.to_numpy(zero_copy_only=False), max(len(texts), 1))
        together = zip(
            encoded.dictionary.take(pa.array(stood)).to_pylist(),
            texts.take(pa.array(given)).to_pylist(),
            strict=True,
        )
        cased = pa.array([in_case_of(text, made) for text, made in together], TEXT)
        return cased, both.indices.to_numpy(zero_copy_only=False).astype(np.int64)

    def _fill(self, hits: FoundTexts, beside: Mapping[str, pa.Array]) -> tuple[pa.Array, Offsets]:
        """What is put in once the names in it stand for the cells beside each place."""
        parts = [pa.array([], TEXT)]
        which = np.zeros(len(hits.which), np.int64)
        for place in np.unique(hits.which).tolist():
            is_here = hits.which == place
            # Texts stand at even places, names of columns at odd ones.
            pieces = PLACE.split(self._givens[place])
            owners = pa.array(hits.owners[is_here])
            texts = [
                beside[piece].take(owners).fill_null("") if number % 2 else pa.scalar(piece, TEXT)
                for number, piece in enumerate(pieces)
            ]
            which[is_here] = sum(map(len, parts)) + np.arange(is_here.sum())
            made = pc.binary_join_element_wise(*texts, pa.scalar("", TEXT))
            parts.append(made if isinstance(made, pa.Array) else pa.repeat(made, int(is_here.sum())))
        encoded = pa.concat_arrays(parts).dictionary_encode()
        return encoded.dictionary, encoded.indices.to_numpy(zero_copy_only=False).astype(np.int64)[which]


class _Folded(NamedTuple):
    """Texts as they are looked in, be it with case set aside.

    Attributes:
        packed: The texts.
        origins: For each byte where in the texts as they are the character begins that begins with it, with the end
            of the last, (bytes + 1,); -1 for others. None: all are in their places.
    """

    packed: Packed
    origins: Offsets | None = None

    def accept(self, where: Where) -> Callable[[Offsets, Offsets], Mask] | None:
        """What tells good places: what is found must begin and end between characters."""
        accept, origins = accept_places(self.packed, where), self.origins
        if origins is None:
            return accept

        def between(starts: Offsets, stops: Offsets) -> Mask:
            is_good: Mask = (origins[starts] >= 0) & (origins[stops] >= 0)
            return is_good if accept is None else is_good & accept(starts, stops)

        return between

    def place(self, hits: FoundTexts) -> FoundTexts:
        """Where what is found stands in the texts as they are."""
        if self.origins is None:
            return hits
        return hits._replace(starts=self.origins[hits.starts], stops=self.origins[hits.stops])


def _find_origins(packed: Packed, size: int) -> Offsets:
    """Where the characters of texts begin that begin with each byte once case is set aside, (size + 1,)."""
    starts = np.flatnonzero(begins_character(packed.data))
    characters = find_characters(packed)
    folded = np.array([len(character.casefold().encode()) for character in characters.distinct], np.int64)
    sizes = np.ones(len(starts), np.int64)
    sizes[np.searchsorted(starts, characters.starts)] = folded.take(characters.which)
    origins = np.full(size + 1, -1)
    origins[np.append(0, np.cumsum(sizes))] = np.append(starts, len(packed.data))
    return origins


def accept_places(packed: Packed, where: Where) -> Callable[[Offsets, Offsets], Mask] | None:
    """What tells good places; None: all are."""
    if where == "anywhere":
        return None
    size = len(packed.data)
    at_start, at_end = mark(size + 1, packed.offsets[:-1]), mark(size + 1, packed.offsets[1:])
    if where == "start":
        return lambda starts, stops: at_start[starts]
    if where == "end":
        return lambda starts, stops: at_end[stops]
    if where == "whole":
        return lambda starts, stops: at_start[starts] & at_end[stops]
    # Where its edge is of a word, no byte of a word may stand beside it.
    in_word = np.append(mark_alnum(packed) | (packed.data == ord("_")), False)

    def stand_alone(starts: Offsets, stops: Offsets) -> Mask:
        begins_inside = in_word[starts] & in_word[starts - 1] & ~at_start[starts]
        ends_inside = in_word[stops - 1] & in_word[stops] & ~at_end[stops]
        stands_alone: Mask = ~begins_inside & ~ends_inside
        return stands_alone

    return stand_alone


def refuse_growth(
    values: pa.Array,
    pairs: Mapping[str, str],
    ignore_case: bool,
    beside: Mapping[str, pa.Array] | None = None,
    *,
    in_turn: bool = False,
) -> None:
    """Raise RulebookError, before it is made, where replacing would make a value far too long.

    Args:
        values: Texts, (values,).
        pairs: Texts to look for, and what is put in their places.
        ignore_case: Whether they are found in any case.
        beside: Other columns, whose names in braces in a replacement stand for their texts.
        in_turn: Whether one of them is at work, and not all together.
    """
    lengths = _lengths(values)
    longest, whole = pc.max(lengths).as_py() or 0, pc.sum(lengths).as_py() or 0

    shortest = max(1, min(map(len, pairs), default=1))

    def is_harmless(given: int) -> bool:
        """Whether texts of so many bytes, in as many places as there can be, stay within what is allowed."""
        most, most_of_all = (size + size // shortest * given for size in (longest, whole))
        return most <= LONGEST_TEXT and most_of_all <= max(LARGEST_COLUMN, MOST_TIMES * whole)

    # No character takes more than four bytes.
    if beside is None and is_harmless(4 * max(map(len, pairs.values()), default=0)):
        return
    made_of = [_take_apart(given, beside is not None) for given in pairs.values()]
    named = {
        name: _lengths((beside or {})[name]) for name in {name for _, names in made_of for name in names}
    }
    most = {name: pc.max(sizes).as_py() or 0 for name, sizes in named.items()}
    largest = max((size + sum(most[name] for name in names) for size, names in made_of), default=0)
    if is_harmless(largest):
        return
    grown = lengths
    for sought, (size, names) in zip(pairs, made_of, strict=True):
        counts = pc.count_substring(values, pattern=sought, ignore_case=ignore_case).cast(pa.int64())
        given: Any = size - len(sought.encode())
        for name in names:
            given = pc.add(given, named[name])
        more = pc.multiply(counts, pc.max_element_wise(given, 0))
        grown = pc.add(lengths if in_turn else grown, more)
        refuse_long_texts(grown, values)


def _lengths(texts: pa.Array) -> pa.Array:
    """How many bytes each text has, (texts,); a missing one none."""
    return pc.binary_length(texts).fill_null(0).cast(pa.int64())


def _take_apart(given: str, names_columns: bool) -> tuple[int, list[str]]:
    """How many bytes of a replacement are its own, and the columns whose texts stand in it."""
    texts = PLACE.split(given) if names_columns else [given]
    return sum(len(text.encode()) for text in texts[::2]), texts[1::2]


def in_case_of(text: str, given: str) -> str:
    """`given` in capitals if `found` is, or with a capital if `found` begins with one."""
    if text.isupper() and sum(c.isalpha() for c in text) > 1:
        return given.upper()
    return given[:1].title() + given[1:] if text[:1].isupper() else given


def _replaced_whole(values: pa.Array, pairs: Mapping[str, str], ignore_case: bool) -> Replaced:
    sought, given = pa.array(pairs.keys(), TEXT), pa.array(pairs.values(), TEXT)
    key = casefold if ignore_case else as_it_is
    places = pc.index_in(key(values), key(sought))
    hit = places.is_valid()
    used = np.zeros(len(sought), np.bool_)
    used[places.drop_null().to_numpy(zero_copy_only=False)] = True
    return Replaced(pc.if_else(hit, given.take(places), values), used)


def find_first(values: pa.Array, sought: Iterable[str], where: Where) -> pa.Array:
    """For each text the first of the `sought` texts that stands in it, missing where none does."""
    texts = list(dict.fromkeys(sought))
    known = pa.array(texts, TEXT)
    if where == "whole":
        return known.take(pc.index_in(values, known))
    packed = unpack(values)
    hits = TextFinder(texts).find(packed, accept_places(packed, where))
    owners, first = np.unique(hits.owners, return_index=True)
    which = np.full(len(values), -1, np.int64)
    which[owners] = hits.which[first]
    return known.take(pa.array(which, mask=which < 0))
