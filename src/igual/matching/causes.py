"""What an open match is open for: kinds of differences on which one answer settles many values."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence

from igual.decisions import OF_SEVERAL, Cause
from igual.matching.reasons import Reasons

_ORDERS = ("other order", "same words in other order")
_VARIANTS = ("misspelt", "other form")


def find_causes(reasons: Reasons) -> tuple[Cause, ...]:
    """Find out what an open match is open for.

    Words that nearly all entries have, and small ones, are no cause beside others, nor is what is stated to stand for
    a word.

    Args:
        reasons: Why an entry is proposed, and why it isn't settled.

    Returns:
        Its causes; none where only a look at the value itself can tell.

    Example:
        >>> from igual.matching.reasons import Reason
        >>> find_causes((Reason("missing words", ("library",)), Reason("words may matter", ("library",))))
        (Cause(kind='word left out', words=('library',)),)
    """
    if any(reason.is_single for reason in reasons):
        return ()
    causes: list[Cause] = []
    usual: list[Cause] = []
    stated: list[Cause] = []
    for reason in reasons:
        if reason.kind in ("missing words", "usual words missing"):
            listed = causes if reason.kind == "missing words" else usual
            listed += [Cause("word left out", (word,)) for word in reason.parts]
        elif reason.kind in ("extra words", "small words extra"):
            listed = causes if reason.kind == "extra words" else usual
            listed += [Cause("extra word", (word,)) for word in reason.parts]
        elif reason.kind == "short for":
            causes.append(Cause("abbreviation", reason.parts))
        elif reason.kind == "stands for":
            stated.append(Cause("abbreviation", reason.parts))
        elif reason.kind in _ORDERS:
            causes.append(Cause("word order"))
        elif reason.kind == "initials":
            causes.append(Cause("initials"))
        elif reason.kind in _VARIANTS:
            causes.append(Cause("spelling variant", reason.parts))
    return tuple(dict.fromkeys(causes or usual or stated))


def join_causes(causes: Sequence[Cause]) -> Cause | None:
    """Make one cause of those of a match, where one question can be about all of them.

    Args:
        causes: What it is open for.

    Returns:
        The only one, or one of all words that are left out, or too many; None for any others.

    Example:
        >>> join_causes((Cause("extra word", ("district",)), Cause("extra word", ("council",))))
        Cause(kind='extra word', words=('district', 'council'))
    """
    kinds = {cause.kind for cause in causes}
    if len(causes) == 1 or (len(kinds) == 1 and kinds <= {*OF_SEVERAL}):
        return Cause(causes[0].kind, tuple(word for cause in causes for word in cause.words))
    return None


def find_covering(reasons: Reasons, ruled: Collection[Cause]) -> tuple[Cause, ...]:
    """Find the rulings by which all that a match is open for doesn't matter.

    Args:
        reasons: Why an entry is proposed, and why it isn't settled.
        ruled: The causes on which there is a yes.

    Returns:
        Those that the match may be settled by; none where it must stay open.
    """
    causes = find_causes(reasons)
    by = [cause for cause in causes if cause in ruled]
    left = {cause for cause in causes if cause not in ruled}
    for several in ruled if left else ():
        each = {Cause(several.kind, (word,)) for word in several.words}
        if several.kind in OF_SEVERAL and each <= {*causes} and each & left:
            by.append(several)
            left -= each
    return () if left else tuple(by)


def join_kinds(causes: Iterable[Cause]) -> str:
    """Name the kinds of some causes, each once, in one text.

    Args:
        causes: The causes.

    Returns:
        Such as 'extra word and word left out'.
    """
    return " and ".join(sorted({cause.kind for cause in causes}))
