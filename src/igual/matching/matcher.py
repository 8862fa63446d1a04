"""Matching: for each value a status, a proposal, a score, a runner-up, and why."""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping, Sequence
from typing import Literal, NamedTuple

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import Mask, to_mask
from igual.matching.acronyms import find_lost_acronyms, mark_acronyms
from igual.matching.chunks import ProgressCallback, work_in_chunks
from igual.matching.doubts import find_doubts, mark_doubtful
from igual.matching.edits import UNIT
from igual.matching.forms import Forms
from igual.matching.index import MatchIndex
from igual.matching.lookups import How, LookUp
from igual.matching.matched import OPEN, SETTLED, UNKNOWN, Matched
from igual.matching.pairs import Ints, find_run_starts, pack_pairs, unpack_pairs
from igual.matching.queries import Queries
from igual.matching.reasons import (
    AMBIGUOUS_INITIALS,
    CASE_MATTERS,
    LIKE_MISSING_VALUE,
    NEAREST_ONLY,
    NOT_SURE,
    OF_LOOK_UP,
    OWN_WORD,
    RIVAL_EQUAL,
    RIVAL_NEAR,
    TOO_LONG,
    VERY_SHORT,
    Reason,
    explain_pairs,
    spelled_alike,
)
from igual.matching.scope import Scope
from igual.matching.scoring import BY_INITIALS, BY_LETTERS, BY_WORDS, SHORT, Floats
from igual.matching.thresholds import DEFAULTS, Thresholds
from igual.matching.words import MOST_WORDS
from igual.text.arrays import LONGEST_TEXT
from igual.text.blanks import LIKE_MISSING

By = Literal["exact", "folded", "fuzzy"]
WAYS: tuple[By, ...] = ("exact", "folded", "fuzzy")
# A score as it is shown, and compared with the thresholds: the same on every machine.
_DECIMALS = 4
_SMALLEST_SHARE = 0.001
# Letters that cost so much differ by more than a slip, in nats.
_SEVERAL_SLIPS = 8.0
# What is likened is never certain.
_LIKELIEST = 0.9999
_SCORES = {
    How.EXACT: 1.0,
    How.FOLDED: 0.999,
    How.ALIAS: 0.999,
    How.ALIAS_FOLDED: 0.998,
    How.TWO_LETTERS: 0.98,
}


def match_values(
    values: pa.Array,
    index: MatchIndex,
    by: Sequence[By] = WAYS,
    thresholds: Thresholds = DEFAULTS,
    on_progress: ProgressCallback | None = None,
    scope: Scope | None = None,
) -> Matched:
    """Match values to the entries of a list.

    Args:
        values: Values, none of them blank, each once within one scope, (values,).
        index: The list.
        by: The ways to match.
        thresholds: When a likely match is accepted.
        on_progress: Is called with how many of how many parts are done.
        scope: Which entries each may mean; None: every one.

    Returns:
        What became of each value.
    """
    matched = Matched.nothing(values)
    left = np.ones(len(values), np.bool_)
    is_short = to_mask(pc.less_equal(pc.binary_length(values), LONGEST_TEXT))
    for look_up in index.look_ups(by):
        # Nobody's entry is so long, and to bring such a text into other forms takes long.
        looked_up = left if look_up.how in (How.EXACT, How.ALIAS) else left & is_short
        if looked_up.any():
            _look_up_values(matched, index, look_up, looked_up, thresholds.case_sensitive, scope)
            left &= looked_up | ~is_short
    if "fuzzy" in by and left.any():

        def match_chunk(chunk: Ints) -> Matched:
            part = scope.take(chunk) if scope is not None else None
            return match_by_likeness(values.take(pa.array(chunk)), index, thresholds, part)

        index.search.build()
        lengths = pc.utf8_length(values).to_numpy(zero_copy_only=False).astype(np.int64)
        for chunk, part in work_in_chunks(np.flatnonzero(left), lengths[left], match_chunk, on_progress):
            matched.put_part(chunk, part)
    return matched


def _look_up_values(
    matched: Matched,
    index: MatchIndex,
    look_up: LookUp,
    left: Mask,
    case_sensitive: bool,
    scope: Scope | None,
) -> None:
    """Settle what a look-up finds, and leave open what it finds twice; both are no longer `left`."""
    positions = np.flatnonzero(left)
    keys = look_up.key(matched.values if left.all() else matched.values.take(pa.array(positions)))
    entry = look_up.spellings.look_up(keys)
    contested = _find_contested(look_up, keys)
    if scope is not None:
        contested = _keep_allowed(scope, positions, entry, contested)
    hit = entry >= 0
    settled, how = positions[hit], look_up.how
    matched.status[settled], matched.how[settled], matched.score[settled] = SETTLED, how, _SCORES[how]
    matched.entry[settled] = entry[hit]
    left[settled] = False
    if case_sensitive and how not in (How.EXACT, How.ALIAS):
        texts = matched.values.take(pa.array(settled)).to_pylist()
        for position, text in zip(settled.tolist(), texts, strict=True):
            if _cases_differ(text, index.names[matched.entry[position]]):
                matched.status[position] = OPEN
                matched.explained[position] = (OF_LOOK_UP[how], CASE_MATTERS)
    for number, entries in contested.items():
        _leave_contested(matched, index, look_up.how, int(positions[number]), entries)
        left[positions[number]] = False


def _find_contested(look_up: LookUp, keys: pa.Array) -> dict[int, Collection[int]]:
    """The entries of each key that several have, by its number."""
    contested = look_up.spellings.contested
    if not contested:
        return {}
    numbers = np.flatnonzero(look_up.spellings.is_contested(keys))
    texts = keys.take(pa.array(numbers)).to_pylist()
    return {number: contested[text] for number, text in zip(numbers.tolist(), texts, strict=True)}


def _keep_allowed(
    scope: Scope, positions: Ints, entry: Ints, contested: Mapping[int, Collection[int]]
) -> dict[int, Collection[int]]:
    """Take away entries that values can't mean; of contested keys one entry may be left, and is put in."""
    entry[(entry >= 0) & ~scope.allows(positions, entry)] = -1
    left = {}
    for number, entries in contested.items():
        some = np.array(sorted(entries))
        allowed = some[scope.allows(np.full(len(some), positions[number]), some)].tolist()
        if len(allowed) == 1:
            entry[number] = allowed[0]
        elif allowed:
            left[number] = allowed
    return left


def _leave_contested(
    matched: Matched, index: MatchIndex, how: How, position: int, claimed: Collection[int]
) -> None:
    """Leave a value open whose key several entries have."""
    entries = sorted(claimed, key=index.names.__getitem__)
    score = round(1 / len(entries), _DECIMALS)
    sizes = len(entries)
    matched.rankings.append((np.full(sizes, position), np.array(entries), np.full(sizes, score)))
    matched.entry[position], matched.runner_up[position] = entries[:2]
    matched.score[position] = matched.runner_up_score[position] = score
    matched.how[position], matched.status[position] = how, OPEN
    matched.explained[position] = (spelled_alike([index.names[entry] for entry in entries]),)


class _Best(NamedTuple):
    """The likeliest entry of each value that has any, (ranked,), and what its match rests on.

    Attributes:
        position: Of the value.
        spelling: The likeliest spelling of the entry.
        reading: How the spelling was read.
        any_meant: How likely it is that any entry is meant.
    """

    position: Ints
    spelling: Ints
    reading: npt.NDArray[np.int8]
    any_meant: Floats


def match_by_likeness(
    values: pa.Array, index: MatchIndex, thresholds: Thresholds, scope: Scope | None = None
) -> Matched:
    """Match values by likeness alone.

    Args:
        values: Values, none of them blank, each once within one scope, (values,).
        index: The list.
        thresholds: When a likely match is accepted.
        scope: Which entries each may mean; None: every one.

    Returns:
        What became of each value.
    """
    matched = Matched.nothing(values)
    queries = index.search.prepare(Forms.of(values), scope)
    best = _rank(matched, index, queries)
    positions = best.position
    matched.how[positions] = How.FUZZY
    is_near = best.any_meant >= thresholds.ask
    score, runner_up = matched.score[positions], matched.runner_up_score[positions]
    lead = ((score - runner_up) / best.any_meant).round(_DECIMALS)
    is_ahead = lead >= thresholds.margin
    is_sure = (score >= thresholds.settle) & is_ahead
    doubts = _find_all_doubts(index, queries, values, best, is_near, thresholds.case_sensitive)
    rivals = matched.runner_up[positions]
    rivalled = is_near & ~is_ahead & (rivals >= 0)
    if rivalled.any():
        rivalled &= _mark_initials(index, queries, best, index.own_spellings[rivals])
    for number in np.flatnonzero(rivalled).tolist():
        doubts.setdefault(number, []).append(RIVAL_EQUAL)
    doubtful = np.zeros(len(positions), np.bool_)
    doubtful[list(doubts)] = True
    matched.status[positions] = np.where(is_near, np.where(is_sure & ~doubtful, SETTLED, OPEN), UNKNOWN)
    reasons = explain_pairs(index.search, queries, positions, best.spelling, best.reading)
    unsure = np.where(is_ahead, 0, np.where(2 * runner_up >= score, 1, 2))
    for number in np.flatnonzero(~is_sure | ~is_near).tolist():
        if not is_near[number]:
            reasons[number] = (NEAREST_ONLY, *reasons[number])
        elif number not in doubts:
            reasons[number] = (*reasons[number], (NOT_SURE, RIVAL_EQUAL, RIVAL_NEAR)[unsure[number]])
    for number, more in doubts.items():
        reasons[number] = (*reasons[number], *more)
    matched.explained = dict(zip(positions.tolist(), reasons, strict=True))
    return matched


def _rank(matched: Matched, index: MatchIndex, queries: Queries) -> _Best:
    """Put entries, scores and rankings into `matched`. An entry is as likely as its spellings together."""
    near, likely, any_meant = index.search.find(queries)
    # The likeliest spelling of an entry explains the match.
    order = np.lexsort((near.spelling, -likely, near.value))
    value, spelling, chance = near.value[order], near.spelling[order], likely[order]
    pair, first, back = np.unique(
        pack_pairs(value, index.owners[spelling]), return_index=True, return_inverse=True
    )
    summed = np.bincount(back, chance, len(pair))
    owner, entry = unpack_pairs(pair)
    # Candidates are ranked by their share in whatever is meant, and so are those of values that mean nothing.
    share = (summed / any_meant[owner]).round(_DECIMALS)
    joint = np.minimum(summed.round(_DECIMALS), _LIKELIEST)
    ranking = np.lexsort((index.ranks[entry], -share, owner))
    ranking = ranking[share[ranking] >= _SMALLEST_SHARE]
    ranked = owner[ranking]
    starts, sizes = find_run_starts(ranked)
    positions, best = ranked[starts], ranking[starts]
    matched.entry[positions], matched.score[positions] = entry[best], joint[best]
    seconds = starts[sizes > 1] + 1
    matched.runner_up[ranked[seconds]] = entry[ranking[seconds]]
    matched.runner_up_score[ranked[seconds]] = joint[ranking[seconds]]
    matched.rankings.append((ranked, entry[ranking], joint[ranking]))
    reading = near.reading[order][first[best]]
    return _Best(positions, spelling[first[best]], reading, any_meant[positions])


def _find_all_doubts(
    index: MatchIndex, queries: Queries, written: pa.Array, best: _Best, is_near: Mask, case_sensitive: bool
) -> dict[int, list[Reason]]:
    """What speaks against settling matches that are worth asking about, by their number in `best`."""
    values, entries, positions, spelling = queries.forms, index.search.forms, best.position, best.spelling
    is_short = np.minimum(values.letters.lengths[positions], entries.letters.lengths[spelling]) <= SHORT
    is_short &= best.reading == BY_LETTERS
    same = pc.equal(
        values.letter_keys.take(pa.array(positions)), entries.letter_keys.take(pa.array(spelling))
    )
    same_letters = same.to_numpy(zero_copy_only=False)
    words = values.word_keys.take(pa.array(positions)), entries.word_keys.take(pa.array(spelling))
    initials_alone = _mark_initials(index, queries, best, spelling)
    is_doubtful = mark_doubtful(*words, index.vocabulary) & ~initials_alone
    spaces = [pc.count_substring(keys, " ").to_numpy(zero_copy_only=False) for keys in words]
    is_long = values.is_truncated[positions] | entries.is_truncated[spelling]
    is_long |= np.maximum(*spaces) >= MOST_WORDS
    distinguishing = _find_distinguishing_words(
        index, queries, written, best, is_near & (np.maximum(*spaces) > 0) & ~initials_alone
    )
    is_shortened = (best.reading == BY_WORDS) & (np.maximum(*spaces) == 0)
    looked_at = (
        is_doubtful | is_short | is_long | case_sensitive | (best.reading == BY_INITIALS) | is_shortened
    )
    looked_at[list(distinguishing)] = True
    spelled = index.spellings.take(pa.array(spelling))
    may_lose = (best.reading == BY_LETTERS) & ~same_letters
    may_lose &= mark_acronyms(written.take(pa.array(positions))) | mark_acronyms(spelled)
    differ = (best.reading == BY_LETTERS) & is_near & ~is_long & ~same_letters & ~is_short
    differ &= index.common_parts.are_any
    differ[differ] = _cost_letters(index, queries, positions[differ], spelling[differ]) >= _SEVERAL_SLIPS
    looked_at |= may_lose | differ
    numbers = np.flatnonzero(is_near & looked_at)
    texts = [keys.take(pa.array(numbers)).to_pylist() for keys in words]
    doubts_of: dict[int, list[Reason]] = {}
    for number, value, entry in zip(numbers.tolist(), *texts, strict=True):
        if is_long[number]:
            doubts_of[number] = [TOO_LONG]
            continue
        if same_letters[number] and not case_sensitive:
            continue
        doubts = []
        if is_doubtful[number]:
            doubts = find_doubts(value.split(), entry.split(), index.vocabulary, lost_words=False)
        doubts = doubts or distinguishing.get(number, [])
        if may_lose[number] and not doubts:
            doubts = find_lost_acronyms(written[int(positions[number])].as_py(), spelled[number].as_py())
        if differ[number] and not doubts:
            keys = values.letter_keys[int(positions[number])], entries.letter_keys[int(spelling[number])]
            if part := index.common_parts.find(*(key.as_py() for key in keys)):
                doubts.append(Reason("common part", (part,)))
        if is_short[number] and not same_letters[number] and not doubts:
            doubts.append(VERY_SHORT)
        if best.reading[number] == BY_INITIALS:
            written_so = written[int(positions[number])].as_py().strip().lower()
            doubts.append(LIKE_MISSING_VALUE if written_so in LIKE_MISSING else AMBIGUOUS_INITIALS)
        if is_shortened[number]:
            doubts.append(OWN_WORD)
        if case_sensitive and _cases_differ(written[int(positions[number])].as_py(), spelled[number].as_py()):
            doubts.append(CASE_MATTERS)
        if doubts:
            doubts_of[number] = doubts
    return doubts_of


def _mark_initials(index: MatchIndex, queries: Queries, best: _Best, spelling: Ints) -> Mask:
    """Which values that were read by initials are nothing but those of a spelling, or the other way round."""
    marks: Mask = best.reading == BY_INITIALS
    if marks.any():
        pairs, initials = (best.position[marks], spelling[marks]), index.search.initials
        marks[marks] = np.isfinite(initials.costs(initials.spell(queries.words), *pairs))
    return marks


def _find_distinguishing_words(
    index: MatchIndex, queries: Queries, written: pa.Array, best: _Best, looked_at: Mask
) -> dict[int, list[Reason]]:
    """Words that only one of a pair has, and that tell entries of the list apart, by their number in `best`."""
    numbers = np.flatnonzero(looked_at)
    search = index.search
    told, spellings = search.wording.information, index.spellings
    by_letters = best.reading[numbers] == BY_LETTERS
    pairs = best.position[numbers], best.spelling[numbers]
    reasons: dict[int, list[Reason]] = {}
    plain: dict[int, list[str]] = {}
    for pair, word, place in search.wording.find_distinguishing(queries.words, *pairs, by_letters):
        number = int(numbers[pair])
        if len(word) == 1 and _is_elided(word, written[int(pairs[0][pair])].as_py()):
            continue
        example = told.find_example(place, int(pairs[1][pair])) if place >= 0 else (-1, -1)
        if example[0] >= 0:
            examples = [spellings[spelling].as_py() for spelling in example]
            reasons.setdefault(number, []).append(Reason("word tells apart", (word, *examples)))
        elif word in index.vocabulary.groups_of:
            reasons.setdefault(number, []).append(Reason("opposite may matter", (word,)))
        else:
            plain.setdefault(number, []).append(word)
    for number, words in plain.items():
        reasons.setdefault(number, []).append(Reason("words may matter", tuple(words)))
    return reasons


def _cost_letters(index: MatchIndex, queries: Queries, positions: Ints, spelling: Ints) -> Floats:
    """What lies between the letters of values and spellings, in nats, (pairs,)."""
    search = index.search
    return search.edits.costs(queries.letters, search.letters, positions, spelling) / UNIT


def _is_elided(letter: str, text: str) -> bool:
    """Whether a letter is joined to a word of a text by an apostrophe."""
    found = re.search(rf"\w['’]{re.escape(letter)}\b|\b{re.escape(letter)}['’]\w", text, re.IGNORECASE)
    return found is not None


def _letters_of(text: str) -> str:
    return "".join(character for character in text if character.isalpha())


def _cases_differ(value: str, entry: str) -> bool:
    """Whether two texts are spelled in different cases, as far as their letters tell."""
    letters = _letters_of(value), _letters_of(entry)
    if letters[0] == letters[1]:
        return False
    return letters[0].casefold() == letters[1].casefold() or letters[0].isupper() != letters[1].isupper()
