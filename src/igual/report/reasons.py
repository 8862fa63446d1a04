"""Why a value is matched as it is, as a sentence."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from igual.matching.reasons import NEAREST_ONLY, Reason, Reasons, Role
from igual.report.wording import quote_words

_FOLDED = "only case, accents, spaces or punctuation differ"
# Words that are shown together with usual ones of their side.
_USUAL: Mapping[str, str] = {"extra words": "small words extra", "missing words": "usual words missing"}


def _compare(parts: Sequence[str]) -> str:
    return f"({', '.join(part or 'none' for part in parts)})"


def _format_ruling(parts: Sequence[str]) -> str:
    author, on, reason = parts or ("", "", "")
    about = f" on {on!r}" if on else ""
    return f"ruled {author}".strip() + about + (f": {reason}" if reason else "")


# What each kind of reason says; what is made of its parts stands as a function.
_SENTENCES: Mapping[str, str | Callable[[Sequence[str]], str]] = {
    "letter doubled": "1 letter doubled",
    "letter not doubled": "1 letter not doubled",
    "letter extra": "1 letter too many",
    "digit extra": "1 digit too many",
    "letter missing": "1 letter missing",
    "digit missing": "1 digit missing",
    "letter differs": "1 letter differs",
    "digit differs": "1 digit differs",
    "letters swapped": "two letters swapped",
    "letter moved": "1 letter moved",
    "letters exchanged": "two letters exchanged",
    "same letters": "only letters that look the same, or marks, differ",
    "letters differ": "letters differ",
    "nothing near": "no entry comes near",
    "nearest only": "no entry comes near enough",
    "same": "the same",
    "folded": _FOLDED,
    "alias": "an alias",
    "alias folded": "an alias, apart from case, accents, spaces or punctuation",
    "two letters": "an accented letter written as two",
    "other order": "words in another order",
    "same words in other order": "same words in another order",
    "same words": "the same words",
    "same beginning": "the same words, as far as they are compared",
    "ruling": _format_ruling,
    "ruling on kind": "ruling on kind",
    "several entries": lambda parts: (
        f"{len(parts)} entries are spelled so, case and marks aside: {' and '.join(parts[:3])}"
    ),
    "initials": lambda parts: f"the initials of {parts[0]}",
    "in the text": lambda parts: f"in the text: ‘{parts[0]}’",
    "misspelt": lambda parts: f"‘{parts[0]}’ for ‘{parts[1]}’",
    "stands for": lambda parts: f"‘{parts[0]}’ stands for ‘{parts[1]}’",
    "other form": lambda parts: f"‘{parts[0]}’ another form of ‘{parts[1]}’",
    "short for": lambda parts: f"‘{parts[0]}’ short for ‘{parts[1]}’",
    "extra words": lambda parts: f"with {quote_words(parts)}",
    "small words extra": lambda parts: f"with {quote_words(parts)}",
    "missing words": lambda parts: f"without {quote_words(parts)}",
    "usual words missing": lambda parts: f"without {quote_words(parts)}",
    "not sure": "not sure enough",
    "rival equal": "another entry is as near",
    "rival near": "another entry comes near",
    "quantities differ": lambda parts: f"the quantities differ {_compare(parts)}",
    "marks differ": lambda parts: f"marks that carry the word differ {_compare(parts)}",
    "numbers differ": lambda parts: f"the numbers differ {_compare(parts)}",
    "units differ": lambda parts: f"the units differ {_compare(parts)}",
    "months differ": lambda parts: f"the months differ {_compare(parts)}",
    "days differ": lambda parts: f"the days differ {_compare(parts)}",
    "numbers reordered": lambda parts: f"the numbers stand in another order {_compare(parts)}",
    "roman numerals differ": lambda parts: f"the roman numerals differ {_compare(parts)}",
    "opposites": lambda parts: f"{quote_words(parts)} exclude each other",
    "prefix": lambda parts: f"‘{parts[0]}’ makes ‘{parts[1]}’ another word",
    "negation": lambda parts: f"one of {quote_words(parts)} denies the other",
    "short words differ": lambda parts: f"short words differ {_compare(parts)}",
    "words may matter": lambda parts: f"{quote_words(parts)} may matter",
    "opposite may matter": lambda parts: f"{quote_words(parts)} may matter",
    "word tells apart": lambda parts: f"‘{parts[0]}’ tells {parts[1]} from {parts[2]}",
    "common part": lambda parts: f"many entries have ‘{parts[0]}’",
    "very short": "the text is very short",
    "ambiguous initials": "initials may stand for something else",
    "like missing": "people write it for a missing value, too",
    "own word": "it may be a word of its own",
    "case matters": "this list tells cases apart",
    "elsewhere": lambda parts: f"‘{parts[0]}’ is in the list, with another {' or '.join(parts[1:])}",
    "context missing": lambda parts: f"the {parts[0]} is missing",
    "context unknown": lambda parts: f"no entry has the {parts[0]} ‘{parts[1]}’",
    "too long": "the text is too long to compare whole",
    "denied": "a word before it denies it",
}


def format_reasons(reasons: Reasons, value: str | None = None, beside: str | None = None) -> str:
    """Write why a value is matched as it is.

    Args:
        reasons: The reasons.
        value: The value, to be named where letters differ; None leaves it out.
        beside: The entry that is shown beside the sentence: where it is the spelling that was met, it isn't repeated.

    Returns:
        The sentence.
    """
    mains = [one for one in reasons if one.role in (Role.LIKENESS, Role.FOUND) and one != NEAREST_ONLY]
    for kind, usual in _USUAL.items():
        mains = _join_words(mains, kind, usual)
    main = ", ".join(_format_main(one, value, beside) for one in mains)
    if NEAREST_ONLY in reasons:
        main = f"no entry comes near enough; the nearest: {main}"
    unsure = "".join(f"; {_format(one)}" for one in reasons if one.role == Role.SCORE)
    doubts = [_format(one) for one in reasons if one.role == Role.DOUBT]
    return main + unsure + (f"; but {', '.join(doubts)}" if doubts else "")


def _join_words(reasons: Sequence[Reason], kind: str, usual: str) -> list[Reason]:
    """The reasons with all missing words, or all that are too many, in one, where the first of them stand."""
    places = [place for place, reason in enumerate(reasons) if reason.kind in (kind, usual)]
    words = tuple(word for place in places for word in reasons[place].parts)
    return [
        Reason(kind, words) if place in places[:1] else reason
        for place, reason in enumerate(reasons)
        if place not in places[1:]
    ]


def _format(reason: Reason) -> str:
    sentence = _SENTENCES[reason.kind]
    return sentence if isinstance(sentence, str) else sentence(reason.parts)


def _format_main(reason: Reason, value: str | None, beside: str | None) -> str:
    if not reason.kind.startswith(("letter", "digit")) and reason.kind != "same letters":
        return _format(reason)
    # The first part is the spelling that was met; the second how many letters differ, where they are several.
    spelling, *count = reason.parts
    text = " ".join([*count, _format(reason)])
    return text if value is None or spelling == beside else f"{text}: {value} → {spelling}"
