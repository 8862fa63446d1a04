"""What speaks for the rules of a draft, in sentences: their notes."""

from __future__ import annotations

from collections.abc import Sequence

from igual.looking.drafting import DraftEvidence
from igual.report.wording import format_count
from igual.text.characters import visible

_LONGEST = 24
_MARKS = {" ": "a space", "'": "an apostrophe", ".": "a point", ",": "a comma"}


def format_share(share: float) -> str:
    """Write a share in hundredths; only all of it is 100 %.

    Example:
        >>> format_share(0.999), format_share(1)
        ('99 %', '100 %')
    """
    return f"{100 if share == 1 else min(round(100 * share), 99)} %"


def format_evidence(evidence: DraftEvidence) -> str:
    """Write what speaks for a rule of a draft.

    Args:
        evidence: What was found.

    Returns:
        A sentence, such as "96 % of the rows are numbers".

    Example:
        >>> format_evidence(DraftEvidence("numbers", 0.96, ("cm",), ("tall",)))
        '96 % of the rows are numbers, with cm; texts such as tall are not'
        >>> format_evidence(DraftEvidence("words for nothing", 0.04, ("n/a",), ()))
        'n/a means that there is no value'
    """
    kind, share, texts, examples, number, other_share, rivals = evidence
    of_rows = f"{format_share(share)} of the rows"
    named = ", ".join(texts)
    shown = ", ".join(visible(text, _LONGEST) for text in examples)
    rest = f"; not {shown}" if shown else ""
    match kind:
        case "texts decoded wrongly":
            return "texts that were decoded wrongly, such as Ã³ for ó"
        case "words for nothing":
            return f"{named} {'means' if len(texts) == 1 else 'mean'} that there is no value"
        case "words perhaps for nothing":
            return f"{'does' if len(texts) == 1 else 'do'} {named} mean that there is no value?"
        case "dates":
            doubt = f"; {', '.join(rivals)} fits as well: which is meant?" if rivals else ""
            return f"{of_rows} are dates as {named}{rest}{doubt}"
        case "dates in two forms":
            return f"{of_rows} are dates as {named}, {format_share(other_share)} others"
        case "codes of a width":
            return f"{of_rows} are codes of {number} digits{rest}"
        case "decimal comma":
            return f"{of_rows} have a decimal comma" + (
                f", {format_share(other_share)} a point" if other_share else ""
            )
        case "groups of digits":
            doubt = f"; is {shown} one of them, or has it decimals?" if shown else ""
            return f"{of_rows} have {_MARKS[named]} between groups of digits{doubt}"
        case "numbers":
            others = f"; texts such as {shown} are not" if shown else ""
            return f"{of_rows} are numbers{f', with {named}' if named else ''}{others}"
        case "one case":
            return f"{of_rows} are written so{rest}"
        case "entries of a list":
            return f"{of_rows} have an entry of list {named}"
        case "codes of a codebook":
            return f"{of_rows} have a code of codebook {named}"
        case "free text":
            return "free text, whose line breaks and spaces may be meant"
        case "odd spaces":
            return f"{format_count(number, 'cell')} with outer, doubled or odd spaces"
        case _:
            pairs = _format_pairs(examples)
            spellings = format_count(number, "spelling")
            return f"{spellings} probably meant as another, such as {pairs}: read them through first"


def _format_pairs(examples: Sequence[str]) -> str:
    pairs = zip(examples[::2], examples[1::2], strict=True)
    return ", ".join(f"{visible(value, _LONGEST)} → {visible(to, _LONGEST)}" for value, to in pairs)
