"""Values of one column that may be one, though they differ by whole words or by initials: a weaker tier of lookalikes.

`mercedes` and `mercedes-benz`, `vw` and `volkswagen`. Nothing here is ever merged unasked.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT, Counts
from igual.matching import fitted
from igual.matching.candidates import CandidateSearch
from igual.matching.chunks import work_in_chunks
from igual.matching.doubts import find_doubts
from igual.matching.pairs import Ints, pack_pairs
from igual.matching.queries import Queries
from igual.matching.reasons import Reason, Reasons, explain_by_words
from igual.matching.scoring import BY_INITIALS, Candidates, Floats
from igual.matching.vocabulary import Vocabulary
from igual.text.folding import folded_key

# A value of so many letters may be a longer one's letters in order, if it is the only one that begins so.
_SHORTEST, _LONGEST = 2, 4
_LIKELY = 0.5
_ORDERS = ("other order", "stands for")
_BY_WORDS = {"missing words", "usual words missing", "extra words", "small words extra", *_ORDERS}
_DECIMALS = 4


class Related(NamedTuple):
    """Two values that may be one.

    Attributes:
        value: The value with fewer words or letters.
        rows: How many rows have it.
        other: The longer one.
        other_rows: How many rows have that.
        score: How likely the shorter means the longer, 0 to 1, were the column a list.
        reasons: How they differ.
    """

    value: str
    rows: int
    other: str
    other_rows: int
    score: float
    reasons: Reasons


def find_related(values: pa.Array, rows: Counts, vocabulary: Vocabulary | None = None) -> list[Related]:
    """Find values that differ from one other by words or initials alone.

    Args:
        values: Distinct values, none of them blank, (values,).
        rows: Of each value, (values,).
        vocabulary: Words that are treated in a way of their own.

    Returns:
        Pairs, those of most rows first. A value that may be several others isn't paired.
    """
    if not len(values):
        return []
    words = vocabulary or Vocabulary()
    leaders, counts = _pick_leaders(values, np.asarray(rows))
    search = CandidateSearch(leaders, words)
    queries = search.prepare(search.forms)
    parts = [_find_shortened(search)]
    for chunk, read in work_in_chunks(
        np.arange(len(leaders)),
        search.forms.letters.lengths,
        lambda some: _find_by_words(search, queries, some),
    ):
        parts.append(read._replace(value=chunk[read.value]))
    candidates = Candidates(*(np.concatenate(columns) for columns in zip(*parts, strict=True)))
    candidates = _keep_only_ones(candidates)
    reasons = explain_by_words(search, queries.words, candidates.value, candidates.spelling)
    texts = leaders.to_pylist()
    keys = search.forms.word_keys.to_pylist()
    related = []
    for place, (short, long, score) in enumerate(
        zip(candidates.value.tolist(), candidates.spelling.tolist(), _score(candidates).tolist(), strict=True)
    ):
        by_initials = candidates.reading[place] == BY_INITIALS
        words_of_short = keys[short].split()
        if by_initials and len(words_of_short) > 1 and max(map(len, words_of_short)) > 1:
            continue
        if not by_initials and not _differ_by_words(reasons[place], words):
            continue
        if find_doubts(keys[short].split(), keys[long].split(), words, lost_words=False) and not by_initials:
            continue
        why: Reasons = (Reason("initials", (texts[long],)),) if by_initials else reasons[place]
        about = texts[short], int(counts[short]), texts[long], int(counts[long])
        related.append(Related(*about, round(score, _DECIMALS), why))
    return sorted(related, key=lambda one: (-one.rows - one.other_rows, one.value, one.other))


def _differ_by_words(reasons: Reasons, vocabulary: Vocabulary) -> bool:
    """Whether one of two texts has all words of the other, and none too many that excludes others."""
    kinds = {reason.kind for reason in reasons}
    missing, extra = (
        kinds & {"missing words", "usual words missing"},
        kinds & {"extra words", "small words extra"},
    )
    if not kinds <= _BY_WORDS or bool(missing) == bool(extra):
        return False
    words = [word for reason in reasons for word in reason.parts if reason.kind not in _ORDERS]
    return not any(word in vocabulary.groups_of for word in words)


def _pick_leaders(values: pa.Array, rows: Counts) -> tuple[pa.Array, Counts]:
    """Of values that differ only in case, spaces and the like the most frequent one, with the rows of all."""
    table = pa.table({"key": folded_key(values), "value": values, "rows": rows})
    table = table.sort_by([("rows", "descending"), ("value", "ascending")])
    kinds = table.group_by("key", use_threads=False).aggregate([("value", "first"), ("rows", "sum")])
    kinds = kinds.sort_by([("value_first", "ascending")])
    return kinds["value_first"].combine_chunks().cast(TEXT), kinds["rows_sum"].to_numpy()


def _find_by_words(search: CandidateSearch, queries: Queries, some: Ints) -> Candidates:
    """Pairs of which one has all words of the other, or its initials."""
    near = search.find_by_words(queries.take(some))
    keep = some[near.value] != near.spelling
    return near.take(keep & (_score(near) >= _LIKELY))


def _score(candidates: Candidates) -> Floats:
    by_initials = candidates.reading == BY_INITIALS
    logit = candidates.evidence - fitted.LISTED_PER_WORD_COST * candidates.cost
    score: Floats = np.where(by_initials, _LIKELY, 1 / (1 + np.exp(-logit)))
    return score


def _find_shortened(search: CandidateSearch) -> Candidates:
    """Short words whose letters stand in a longer one in order, first to first."""
    keys = search.forms.letter_keys
    single = pc.invert(pc.match_substring(search.forms.word_keys, " ")).to_numpy(zero_copy_only=False)
    lengths = search.forms.letters.lengths
    short = np.flatnonzero(single & (lengths >= _SHORTEST) & (lengths <= _LONGEST))
    long = np.flatnonzero(single & (lengths > 2 * _SHORTEST + 1))
    texts = keys.to_pylist()
    by_first: dict[str, list[int]] = {}
    for place in long.tolist():
        by_first.setdefault(texts[place][0], []).append(place)
    pairs = [
        (one, other)
        for one in short.tolist()
        for other in by_first.get(texts[one][0], ())
        if len(texts[other]) > 2 * len(texts[one]) and _is_subsequence(texts[one], texts[other])
    ]
    first, second = np.array(pairs, np.int64).reshape(-1, 2).T
    size = len(first)
    return Candidates(first, second, np.zeros(size), np.full(size, BY_INITIALS, np.int8), np.zeros(size))


def _is_subsequence(short: str, long: str) -> bool:
    letters = iter(long)
    return all(letter in letters for letter in short)


def _keep_only_ones(candidates: Candidates) -> Candidates:
    """Pairs of values that may be only one other; each pair once, the shorter first."""
    score = _score(candidates)
    order = np.lexsort((candidates.spelling, -score, candidates.value))
    candidates, score = candidates.take(order), score[order]
    _, first, counts = np.unique(candidates.value, return_index=True, return_counts=True)
    candidates = candidates.take(first[counts == 1])
    shorter = np.minimum(candidates.value, candidates.spelling)
    _, once = np.unique(
        pack_pairs(shorter, np.maximum(candidates.value, candidates.spelling)), return_index=True
    )
    return candidates.take(np.sort(once))
