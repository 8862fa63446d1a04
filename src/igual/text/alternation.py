"""A pattern of many texts at once, for texts that are searched one by one."""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import Literal

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
