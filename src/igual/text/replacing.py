"""Many texts replaced by others at once: leftmost first, the longest where several begin at one place."""

from __future__ import annotations

import itertools
import re
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from typing import Literal, NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT, Mask, to_mask
from igual.text.arrays import LONGEST_TEXT, as_it_is, differs, refuse_long_texts
from igual.text.folding import casefold

# The name of a column in a replacement or template.
PLACE = re.compile(r"\{([^{}]*)\}")
Where = Literal["anywhere", "whole", "word", "start", "end"]

# Stands between texts that are searched together; it is a letter of no script.
_BETWEEN = "\x1f"
# So many texts that were found are remembered with what was put in their places.
_REMEMBERED = 1 << 16
# RE2 refuses very large patterns; so many characters of literals go into one.
_SCAN_CHARACTERS = 20_000
# Python's patterns can't nest without end: texts that are each the beginning of the next share so many levels.
_DEEPEST = 30

_Tree = dict[str, "_Tree"]


class Replaced(NamedTuple):
    """Texts after replacing, and which of the sought texts were found at all (in the order of the pairs).

    Attributes:
        changed_again: For pairs in turn, those whose output a later pair has changed: (the one, the later, in how
            many values).
    """

    values: pa.Array
    used: Mask
    changed_again: tuple[tuple[str, str, int], ...] = ()


def replaced(
    values: pa.Array,
    pairs: Mapping[str, str],
    where: Where = "anywhere",
    nth: int | None = None,
    ignore_case: bool = False,
    keep_case: bool = False,
    beside: Mapping[str, pa.Array] | None = None,
) -> Replaced:
    """Replace the keys of `pairs` by their values, all at once, so that no output is replaced again.

    Args:
        values: Texts, (values,).
        pairs: Texts to look for, and what is put in their places.
        where: Where in a text they may stand.
        nth: Only the n-th place where a key stands in a text, counted from 1, each key for itself.
        ignore_case: Find texts in any case.
        keep_case: Write what is put in as what stood there: all in capitals, or with a capital first.
        beside: Other columns, whose names in braces in a replacement stand for their texts.
    """
    if where == "whole" and nth is not None and nth > 1:
        return Replaced(values, np.zeros(len(pairs), np.bool_))
    if where == "whole" and not keep_case and beside is None:
        return _replaced_whole(values, pairs, ignore_case)
    _refuse_growth(values, pairs, ignore_case)
    flags = pa.array(_candidates(values, pairs, ignore_case))
    texts = values.filter(flags).to_pylist()
    columns = {name: column.filter(flags).to_pylist() for name, column in (beside or {}).items()}
    work = _Replacing(pairs, where, ignore_case, keep_case)
    if nth is None and beside is None:
        new = work.replace_all(texts)
    else:
        cells = zip(*columns.values(), strict=True) if columns else itertools.repeat(())
        new = [
            work.replace_nth(text, nth, dict(zip(columns, row, strict=True)))
            for text, row in zip(texts, cells, strict=False)
        ]
    return Replaced(pc.replace_with_mask(values, flags, pa.array(new, TEXT).cast(values.type)), work.used)


def _refuse_growth(values: pa.Array, pairs: Mapping[str, str], ignore_case: bool) -> None:
    """Raise RulebookError, before it is made, where replacing would make a value far too long."""
    lengths = pc.binary_length(values).cast(pa.int64())
    longest = max((len(given.encode()) for given in pairs.values()), default=0)
    if (pc.max(lengths).as_py() or 0) * max(longest, 1) <= LONGEST_TEXT:
        return
    grown = lengths
    for sought, given in pairs.items():
        found = pc.count_substring(values, pattern=sought, ignore_case=ignore_case).cast(pa.int64())
        grown = pc.add(grown, pc.multiply(found, max(len(given.encode()) - len(sought.encode()), 0)))
    refuse_long_texts(grown, values)


class _Replacing:
    """One set of pairs at work on texts, one after another."""

    def __init__(self, pairs: Mapping[str, str], where: Where, ignore_case: bool, keep_case: bool) -> None:
        self._where, self._ignore_case, self._keep_case = where, ignore_case, keep_case
        self._places = {_key(sought, ignore_case): place for place, sought in enumerate(pairs)}
        self._givens = list(pairs.values())
        self._pattern = re.compile(alternation(self._places, where))
        self._ascii_pattern = (
            re.compile(self._pattern.pattern, re.IGNORECASE) if ignore_case else self._pattern
        )
        self._known: dict[str, str] = {}
        self.used = np.zeros(len(pairs), np.bool_)

    def replace_all(self, texts: Sequence[str]) -> list[str]:
        """Replace whatever is found, in all texts."""
        if self._ignore_case and not all(map(str.isascii, texts)):
            # Where folding is more than lower case, texts are folded one by one.
            plain = iter(self._replace_together([text for text in texts if text.isascii()]))
            return [next(plain) if text.isascii() else self._replace_folded(text) for text in texts]
        return self._replace_together(texts)

    def _replace_together(self, texts: Sequence[str]) -> list[str]:
        together = _BETWEEN.join(texts)
        if (
            self._where in ("anywhere", "word")
            and together.count(_BETWEEN) == len(texts) - 1
            and not any(_BETWEEN in text for text in (*self._places, *self._givens))
        ):
            # One pass over all texts at once: the mark between them is in none of them, and no letter or digit.
            return self._replace_plainly(together).split(_BETWEEN)
        return [self._replace_plainly(text) for text in texts]

    def _replace_plainly(self, text: str) -> str:
        return self._ascii_pattern.sub(lambda found: self._given(found[0]), text)

    def _replace_folded(self, text: str) -> str:
        pieces, last = [], 0
        for start, stop, _ in self._find(text):
            pieces += [text[last:start], self._given(text[start:stop])]
            last = stop
        return "".join([*pieces, text[last:]]) if pieces else text

    def _given(self, found: str) -> str:
        """What is put in the place of a text that was found."""
        made = self._known.get(found)
        if made is None:
            place = self._places[_key(found, self._ignore_case)]
            self.used[place] = True
            made = _in_case_of(found, self._givens[place]) if self._keep_case else self._givens[place]
            if len(self._known) < _REMEMBERED:
                self._known[found] = made
        return made

    def replace_nth(self, text: str, nth: int | None, cells: Mapping[str, str | None]) -> str:
        """Replace only the n-th place of each sought text; names in braces stand for the cells beside."""
        seen: dict[str, int] = {}
        pieces, last = [], 0
        for start, stop, key in self._find(text):
            seen[key] = seen.get(key, 0) + 1
            if nth not in (None, seen[key]):
                continue
            place = self._places[key]
            self.used[place] = True
            given = self._givens[place]
            if cells:
                given = PLACE.sub(lambda name: cells[name[1]] or "", given)
            pieces += [text[last:start], _in_case_of(text[start:stop], given) if self._keep_case else given]
            last = stop
        return "".join([*pieces, text[last:]])

    def _find(self, text: str) -> Iterator[tuple[int, int, str]]:
        """Where the sought texts stand, and which: start, end, key."""
        folded = _key(text, self._ignore_case)
        if len(folded) == len(text):
            yield from ((*found.span(), found[0]) for found in self._pattern.finditer(folded))
            return
        # Folding makes some letters two or three (ß, ﬁ): what is found must begin and end between letters.
        ends = itertools.accumulate((len(letter.casefold()) for letter in text), initial=0)
        place_of = {end: place for place, end in enumerate(ends)}
        at = 0
        while (found := self._pattern.search(folded, at)) is not None:
            start, stop = (place_of.get(edge) for edge in found.span())
            if start is None or stop is None:
                at = found.start() + 1
            else:
                yield start, stop, found[0]
                at = found.end()


def _in_case_of(found: str, given: str) -> str:
    """`given` in capitals if `found` is, or with a capital if `found` begins with one."""
    if found.isupper() and sum(c.isalpha() for c in found) > 1:
        return given.upper()
    return given[:1].title() + given[1:] if found[:1].isupper() else given


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


def _candidates(values: pa.Array, sought: Iterable[str], ignore_case: bool) -> Mask:
    """A quick scan for the texts in which any of `sought` may stand: all that do, and perhaps some more."""
    texts = list(sought)
    if ignore_case and not all(text.isascii() for text in texts):
        return ~to_mask(values.is_null())
    mask = np.zeros(len(values), np.bool_)
    for start, stop in _batches(texts):
        pattern = "|".join(re.escape(text) for text in texts[start:stop])
        mask |= to_mask(pc.match_substring_regex(values, pattern=pattern, ignore_case=ignore_case))
    if ignore_case:
        mask |= to_mask(pc.invert(pc.string_is_ascii(values)))
    return mask


def _batches(texts: list[str]) -> Iterable[tuple[int, int]]:
    start, size = 0, 0
    for at, text in enumerate(texts):
        if size and size + len(text) > _SCAN_CHARACTERS:
            yield start, at
            start, size = at, 0
        size += len(text)
    yield start, len(texts)


def alternation(sought: Iterable[str], where: Where) -> str:
    """A pattern of all `sought` texts, with common beginnings shared, that prefers the longest.

    `word` keeps a text from matching inside a longer word: where its edge is a letter, digit or underscore, none
    may stand beside it.

    Example:
        >>> alternation(["oak", "oaks", "elm"], "anywhere")
        '(?:elm|oak(?:s|))'
    """
    tree: _Tree = {}
    for text in sought:
        node = tree
        for character in text:
            node = node.setdefault(character, {})
        node[""] = {}
    body = _branches(tree, where, "", 0)
    return rf"\A{body}" if where in ("start", "whole") else body


def _branches(node: _Tree, where: Where, before: str, depth: int) -> str:
    """The pattern of what may follow in a tree of texts; longer texts are tried before their beginnings."""
    if depth == _DEEPEST:
        tails = sorted(_tails(node), key=len, reverse=True)
        return f"(?:{'|'.join(re.escape(tail) + _closing(where, (before + tail)[-1]) for tail in tails)})"
    choices: list[str] = []
    for first in sorted(filter(None, node)):
        run, child = first, node[first]
        while len(child) == 1 and "" not in child:
            (following,) = child
            run, child = run + following, child[following]
        edge = r"(?<!\w)" if where == "word" and not before and _is_wordish(first) else ""
        choices.append(edge + re.escape(run) + _branches(child, where, run[-1], depth + 1))
    if "" in node:
        choices.append(_closing(where, before))
    return choices[0] if len(choices) == 1 else f"(?:{'|'.join(choices)})"


def _tails(node: _Tree) -> Iterable[str]:
    """All texts in a tree, without recursion."""
    waiting = [("", node)]
    while waiting:
        so_far, node = waiting.pop()
        for character, child in node.items():
            if character:
                waiting.append((so_far + character, child))
            else:
                yield so_far


def _closing(where: Where, last: str) -> str:
    if where in ("end", "whole"):
        return r"\Z"
    return r"(?!\w)" if where == "word" and _is_wordish(last) else ""


def _is_wordish(character: str) -> bool:
    return character.isalnum() or character == "_"


def replaced_in_turn(
    values: pa.Array, pairs: Mapping[str, str], one: Callable[[pa.Array, str, str], pa.Array]
) -> Replaced:
    """Replace pair after pair in the given order, each acting on what the ones before it made.

    Args:
        values: Texts, (values,).
        pairs: Texts to look for, and what is put in their places.
        one: Replaces one sought text by another.
    """
    changes: list[tuple[str, str, Mask]] = []
    changed_again: list[tuple[str, str, int]] = []
    for sought, given in pairs.items():
        new = one(values, sought, given)
        changed = differs(values, new)
        for earlier, made, touched in changes:
            # What an earlier pair put in holds what this one looks for, and both have changed a value.
            both = int((changed & touched).sum())
            output = pa.array([made], TEXT)
            if both and differs(output, one(output, sought, given))[0]:
                changed_again.append((earlier, sought, both))
        changes.append((sought, given, changed))
        values = new
    return Replaced(
        values, np.array([touched.any() for _, _, touched in changes], np.bool_), tuple(changed_again)
    )


def finds(values: pa.Array, sought: Iterable[str], where: Where) -> list[str | None]:
    """For each text the first of the `sought` texts that stands in it, None where none does."""
    texts = list(dict.fromkeys(sought))
    if where == "whole":
        places = pc.index_in(values, pa.array(texts, TEXT))
        found: list[str | None] = pa.array(texts, TEXT).take(places).to_pylist()
        return found
    pattern = re.compile(alternation(texts, where))
    hits: list[str | None] = [None] * len(values)
    candidates = np.flatnonzero(_candidates(values, texts, ignore_case=False))
    for at, text in zip(candidates.tolist(), values.take(pa.array(candidates)).to_pylist(), strict=True):
        if hit := pattern.search(text):
            hits[at] = hit[0]
    return hits
