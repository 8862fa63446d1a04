"""Patterns of many texts at once, and which of them stand in others, and where."""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import Literal

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT, Mask, to_mask

# RE2 refuses very large patterns; so many characters of literals go into one.
_SCAN_CHARACTERS = 20_000
# Python's patterns can't nest without end: texts that are each the beginning of the next share so many levels.
_DEEPEST = 30
Where = Literal["anywhere", "whole", "word", "start", "end"]
_Tree = dict[str, "_Tree"]


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
