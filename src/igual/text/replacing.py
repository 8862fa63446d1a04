"""Many texts replaced by others at once: leftmost first, the longest where several begin at one place."""

from __future__ import annotations

import itertools
import re
from collections.abc import Callable, Iterable, Iterator, Mapping
from functools import cached_property
from typing import Any, NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT, Mask
from igual.text.alternation import Where, alternation
from igual.text.arrays import LONGEST_TEXT, as_it_is, refuse_long_texts
from igual.text.beyond import mark_alnum
from igual.text.finding import FoundTexts, TextFinder
from igual.text.folding import casefold
from igual.text.packed import (
    Bytes,
    Offsets,
    Packed,
    begins_character,
    lowered,
    mark,
    pack,
    slices,
    splice,
    texts_with,
    unpack,
)

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
        self._places = {_key(sought, ignore_case): place for place, sought in enumerate(pairs)}
        self._finder = TextFinder(list(self._places))

    @cached_property
    def _pattern(self) -> re.Pattern[str]:
        return re.compile(alternation(self._places, self._where))

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
        data, is_careful = self._read(values, packed)
        hits = self._find(Packed(data, packed.offsets), is_careful)
        used = mark(len(self._pairs), hits.which)
        texts, which = self._give(hits, packed, beside)
        made = pack(splice(packed, hits.starts, hits.stops, texts, which, hits.owners), values)
        if is_careful.any():
            made = self._replace_carefully(made, values, is_careful, used, beside)
        return Replaced(made.cast(values.type), used)

    def _read(self, values: pa.Array, packed: Packed) -> tuple[Bytes, Mask]:
        """The bytes to look in, and the texts in which that would go wrong."""
        is_careful = np.zeros(len(values), np.bool_)
        if not self._ignore_case:
            return packed.data, is_careful
        if packed.is_ascii:
            return lowered(packed.data), is_careful
        # Where folding leaves each character in its place, what is found there stands there in the text as well.
        folded = unpack(casefold(values))
        is_careful = np.diff(folded.offsets) != np.diff(packed.offsets)
        if is_careful.any():
            folded = unpack(pc.if_else(pa.array(is_careful), values, casefold(values)))
        moved = begins_character(folded.data) != begins_character(packed.data)
        return folded.data, is_careful | texts_with(moved, packed)

    def _find(self, packed: Packed, is_careful: Mask) -> FoundTexts:
        """Where texts are to be replaced; not in the careful ones."""
        hits = self._finder.find(packed, accept_places(packed, self._where))
        if is_careful.any():
            hits = hits.where(~is_careful[hits.owners])
        return self._keep_nth(hits)

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
        cased = pa.array([_in_case_of(text, made) for text, made in together], TEXT)
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

    def _replace_carefully(
        self,
        made: pa.Array,
        values: pa.Array,
        is_careful: Mask,
        used: Mask,
        beside: Mapping[str, pa.Array] | None,
    ) -> pa.Array:
        """The texts in which folding moves characters, one after another."""
        flags = pa.array(is_careful)
        columns = {name: column.filter(flags).to_pylist() for name, column in (beside or {}).items()}
        rows = zip(*columns.values(), strict=True) if columns else itertools.repeat(())
        new = [
            self._replace_one(text, dict(zip(columns, row, strict=True)), used)
            for text, row in zip(values.filter(flags).to_pylist(), rows, strict=False)
        ]
        return pc.replace_with_mask(made, flags, pa.array(new, TEXT))

    def _replace_one(self, text: str, cells: Mapping[str, str | None], used: Mask) -> str:
        seen: dict[str, int] = {}
        pieces, last = [], 0
        for start, stop, key in self._find_in(text):
            seen[key] = seen.get(key, 0) + 1
            if self._nth not in (None, seen[key]):
                continue
            place = self._places[key]
            used[place] = True
            given = self._givens[place]
            if cells:
                given = PLACE.sub(lambda name: cells[name[1]] or "", given)
            pieces += [text[last:start], _in_case_of(text[start:stop], given) if self._keep_case else given]
            last = stop
        return "".join([*pieces, text[last:]])

    def _find_in(self, text: str) -> Iterator[tuple[int, int, str]]:
        """Where the sought texts stand, and which: start, end, key."""
        folded = _key(text, self._ignore_case)
        if len(folded) == len(text):
            yield from ((*match.span(), match[0]) for match in self._pattern.finditer(folded))
            return
        # Folding makes some letters two or three (ß, ﬁ): what is found must begin and end between letters.
        ends = itertools.accumulate((len(letter.casefold()) for letter in text), initial=0)
        place_of = {end: place for place, end in enumerate(ends)}
        at = 0
        while (match := self._pattern.search(folded, at)) is not None:
            start, stop = (place_of.get(edge) for edge in match.span())
            if start is None or stop is None:
                at = match.start() + 1
            else:
                yield start, stop, match[0]
                at = match.end()


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
    longest = pc.max(lengths).as_py() or 0
    # No character takes more than four bytes.
    if beside is None and longest * 4 * max(map(len, pairs.values()), default=0) <= LONGEST_TEXT:
        return
    made_of = [_take_apart(given, beside is not None) for given in pairs.values()]
    named = {
        name: _lengths((beside or {})[name]) for name in {name for _, names in made_of for name in names}
    }
    most = {name: pc.max(sizes).as_py() or 0 for name, sizes in named.items()}
    largest = max((size + sum(most[name] for name in names) for size, names in made_of), default=0)
    if longest * largest <= LONGEST_TEXT:
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


def _in_case_of(text: str, given: str) -> str:
    """`given` in capitals if `found` is, or with a capital if `found` begins with one."""
    if text.isupper() and sum(c.isalpha() for c in text) > 1:
        return given.upper()
    return given[:1].title() + given[1:] if text[:1].isupper() else given


def _key(text: str, ignore_case: bool) -> str:
    return text.casefold() if ignore_case else text


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
