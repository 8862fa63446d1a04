"""Steps that write pieces of a text in another order, with other texts between them: one pattern for the whole text."""

from __future__ import annotations

import heapq
import itertools
import re
from collections.abc import Iterator, Sequence
from typing import NamedTuple

from igual.learning.measures import common_length
from igual.learning.prior import PER_PIECE, STEP
from igual.learning.steps import RuleStep, cost_of_own_text, escape_given, substitute

_LONGEST = 120
_MOST_WAYS, _MOST_PIECES = 6, 6
_TOKEN = re.compile(r"[0-9]+|[^\W\d_]+|\s+|.", re.DOTALL)


class _Piece(NamedTuple):
    """A piece of what is wanted.

    Attributes:
        text: The piece.
        start: Where it stands in the text, -1 where it doesn't come from there.
    """

    text: str
    start: int

    @property
    def end(self) -> int:
        return self.start + len(self.text)


class _Way(NamedTuple):
    cost: float
    pieces: tuple[_Piece, ...]


def propose_joins(text: str, wanted: str) -> Iterator[RuleStep]:
    """Propose steps that make what is wanted at once: patterns for the text, written anew from its groups.

    Args:
        text: The text.
        wanted: What is to become of it.

    Yields:
        The steps, for each way to put the pieces together, each more or less strict about the rest of the text.
    """
    if not text or not wanted or len(text) > _LONGEST or len(wanted) > _LONGEST:
        return
    yield from _propose_joins(text, wanted, text)
    # In the case of the text: another step has to follow.
    low, low_wanted = text.lower(), wanted.lower()
    if len(low) == len(text) and common_length(low, low_wanted) > common_length(text, wanted):
        yield from _propose_joins(low, low_wanted, text)


def _propose_joins(low: str, wanted: str, text: str) -> Iterator[RuleStep]:
    for way in _find_ways(low, wanted):
        spans = sorted({(piece.start, piece.end) for piece in way.pieces if piece.start >= 0})
        overlapping = any(first[1] > second[0] for first, second in itertools.pairwise(spans))
        if not spans or overlapping:
            continue
        numbers = {span: number for number, span in enumerate(spans, 1)}
        given = "".join(
            escape_given(piece.text) if piece.start < 0 else f"\\{numbers[piece.start, piece.end]}"
            for piece in way.pieces
        )
        for pattern, cost in _write_patterns(text, spans):
            yield substitute(pattern, given, STEP["rearrange"] + way.cost + cost)


def _find_ways(text: str, wanted: str) -> list[_Way]:
    """The simplest ways to put what is wanted together from pieces of the text and from texts of its own."""
    edges = {0, len(text), *(token.start() for token in _TOKEN.finditer(text))}
    best: list[list[_Way]] = [[] for _ in range(len(wanted) + 1)]
    best[0] = [_Way(0.0, ())]
    tokens = {0, *(token.start() for token in _TOKEN.finditer(wanted)), len(wanted)}
    for at in range(len(wanted)):
        ways = best[at] = heapq.nsmallest(_MOST_WAYS, best[at], key=lambda way: (way.cost, way.pieces))
        if not ways:
            continue
        for piece, cost in [*_copies(text, wanted, at, edges), *_own_texts(wanted, at, tokens)]:
            for way in ways:
                own_before = way.pieces and way.pieces[-1].start < 0
                if len(way.pieces) < 2 * _MOST_PIECES and not (own_before and piece.start < 0):
                    best[at + len(piece.text)].append(_Way(way.cost + cost, (*way.pieces, piece)))
    return heapq.nsmallest(_MOST_WAYS, best[-1], key=lambda way: (way.cost, way.pieces))


def _copies(text: str, wanted: str, at: int, edges: set[int]) -> Iterator[tuple[_Piece, float]]:
    """Pieces of the text that stand at a place of what is wanted: whole words and numbers, or their beginnings."""
    count = 0
    start = text.find(wanted[at])
    while start >= 0 and count < 8:
        is_digit = text[start].isdecimal()
        if (start in edges or is_digit) and not text[start].isspace():
            count += 1
            size = 0
            while (
                at + size < len(wanted)
                and start + size < len(text)
                and text[start + size] == wanted[at + size]
            ):
                size += 1
            ends = [end for end in range(start + 1, start + size + 1) if end in edges]
            whole = [end for end in ends if not text[end - 1].isspace()]
            for end in whole[-3:]:
                yield _Piece(text[start:end], start), PER_PIECE + (0.0 if start in edges else 0.8)
            if start + 1 not in edges and size:
                cut = 0.5 if not is_digit else 0.9
                yield _Piece(text[start], start), PER_PIECE + cut
                for length in range(2, min(size, 6) + 1):
                    if start + length not in edges and not any(
                        start < edge < start + length for edge in edges
                    ):
                        yield _Piece(text[start : start + length], start), PER_PIECE + cut + 0.2
        start = text.find(wanted[at], start + 1)


def _own_texts(wanted: str, at: int, tokens: set[int]) -> Iterator[tuple[_Piece, float]]:
    for end in range(at + 1, min(at + 13, len(wanted)) + 1):
        if end in tokens and at in tokens:
            yield _Piece(wanted[at:end], -1), 0.2 + cost_of_own_text(wanted[at:end])


def _write_patterns(text: str, spans: Sequence[tuple[int, int]]) -> Iterator[tuple[str, float]]:
    """Patterns that find the spans: up to the next mark, up to the last one, and by kinds of characters."""
    cuts = [0, *(place for span in spans for place in span), len(text)]
    gaps = [text[cuts[place] : cuts[place + 1]] for place in range(0, len(cuts), 2)]
    groups = [text[start:end] for start, end in spans]
    if all(gap == "" for gap in gaps) and len(groups) == 1:
        return
    patterns = {
        _up_to_marks(groups, gaps, ".*?"): 0.0,
        _up_to_marks(groups, gaps, ".*"): 0.1,
        _by_kinds(groups, gaps, exact=False): 0.3,
        _by_kinds(groups, gaps, exact=True): 0.4,
    }
    for pattern, cost in sorted(patterns.items(), key=lambda item: item[1]):
        if pattern is not None:
            yield pattern, cost


def _up_to_marks(groups: Sequence[str], gaps: Sequence[str], anything: str) -> str | None:
    """Groups end where the gap behind them begins; None where there is no gap to tell by."""
    pattern = _write_gap(gaps[0], anything, is_first=True)
    for place, (group, gap) in enumerate(zip(groups, gaps[1:], strict=True)):
        is_last = place == len(groups) - 1
        begins_inside = gaps[place][-1:].isalnum()
        if gap == "" and (not is_last or begins_inside):
            size = len(group)
            pattern += f"(.{{{size}}})" if size > 1 else "(.)"
            continue
        if gap and gap[0].isalnum():
            # The rest of a word, of which the group is the beginning.
            size = len(group)
            pattern += f"(.{{{size}}})" if size > 1 else "(.)"
            rest = re.match(r"[^\W\d_]+|[0-9]+", gap)
            behind = gap[rest.end() :] if rest else gap
            kind = r"[\p{L}]*" if gap[0].isalpha() else "[0-9]*"
            pattern += kind + _write_gap(behind, anything, is_last=is_last)
            continue
        if gap == "":
            pattern += "(.+)"
        else:
            mark = r"\s" if gap[0].isspace() else re.escape(gap[0])
            inner = f"[^{mark}]+" if anything == ".*?" and gap[0] not in group else anything.replace("*", "+")
            pattern += f"({inner})"
        pattern += _write_gap(gap, anything, is_last=is_last)
    return pattern


def _write_gap(gap: str, anything: str, *, is_first: bool = False, is_last: bool = False) -> str:
    """What stands between groups: marks as they are, words as anything between the marks at their sides."""
    if gap == "":
        return ""
    if not any(one.isalnum() for one in gap):
        return _quote(gap)
    leading = re.match(r"[^\w]*", gap)
    trailing = re.search(r"[^\w]*$", gap)
    first = _quote(leading[0]) if leading else ""
    last = _quote(trailing[0]) if trailing else ""
    if is_first:
        return anything + last
    if is_last:
        return first + ".*"
    return first + anything + last


def _quote(marks: str) -> str:
    """Marks in a pattern, with any spaces where there are some."""
    return re.sub(r"(?:\\\s|\s)+", r"\\s+", re.escape(marks)) if marks else ""


def _by_kinds(groups: Sequence[str], gaps: Sequence[str], *, exact: bool) -> str | None:
    """Groups and gaps by the kinds of their characters, of any length or of just this one."""
    written = [_write_kinds(group, exact) for group in groups]
    if None in written:
        return None
    pattern = _write_gap(gaps[0], ".*?", is_first=True)
    for place, (group, gap) in enumerate(zip(written, gaps[1:], strict=True)):
        is_last = place == len(groups) - 1
        behind = _write_gap(gap, ".*?", is_last=is_last)
        if gap and gap[0].isalnum():
            kind = r"[\p{L}]*" if gap[0].isalpha() else "[0-9]*"
            rest = re.match(r"[^\W\d_]+|[0-9]+", gap)
            behind = kind + _write_gap(gap[rest.end() :] if rest else "", ".*?", is_last=is_last)
        pattern += f"({group}){behind}"
    return pattern


def _write_kinds(text: str, exact: bool) -> str | None:
    pieces = _TOKEN.findall(text)
    if len(pieces) > 5:
        return None
    pattern = ""
    for piece in pieces:
        if piece[0].isspace():
            pattern += r"\s+"
        elif piece[0].isdecimal() or piece[0].isalpha():
            kind = "[0-9]" if piece[0].isdecimal() else r"[\p{L}]"
            count = f"{{{len(piece)}}}" if exact and len(piece) > 1 else "" if exact else "+"
            pattern += kind + count
        else:
            pattern += re.escape(piece)
    return pattern
