"""Candidates that are initials of one another: `KQ` and `Kestrel Quay`."""

from __future__ import annotations

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.matching.pairs import Ints, expand_spans
from igual.matching.scope import Scope, keep_allowed
from igual.matching.words import Words

# Initials that more entries share lead to none; where a scope restricts these, more of them are looked at.
_CROWD, _CROWD_IN_SCOPE = 60, 2000
_LONGEST = 6


class Initials:
    """An index of entries of two words or more by the initials of these. entries: their words."""

    def __init__(self, entries: Words) -> None:
        several_words = np.flatnonzero(entries.counts > 1)
        initials = entries.list_initials().take(pa.array(several_words)).dictionary_encode()
        codes = initials.indices.to_numpy(zero_copy_only=False)
        self._known = initials.dictionary
        # Where the entries of each begin, and which they are.
        self._begins: Ints = np.append(0, np.cumsum(np.bincount(codes, minlength=len(self._known))))
        self._entries: Ints = several_words[np.argsort(codes, kind="stable")]

    def pairs(self, values: Words, scope: Scope | None = None) -> tuple[Ints, Ints]:
        """Values of one short word, or of several, and the entries with such initials: places in both."""
        initials = values.list_initials()
        first_words = values.ids[np.minimum(values.starts, len(values.ids) - 1)]
        words = values.vocabulary.take(pa.array(first_words))
        wanted = pc.if_else(pa.array(values.counts == 1), words, initials)
        wanted = pc.if_else(pc.less_equal(pc.utf8_length(wanted), _LONGEST), wanted, "")
        code = pc.index_in(wanted, self._known).fill_null(len(self._known)).to_numpy(zero_copy_only=False)
        start = self._begins[code]
        times = self._begins[np.minimum(code + 1, len(self._known))] - start
        times[times > (_CROWD if scope is None else _CROWD_IN_SCOPE)] = 0
        value_idx = np.repeat(np.arange(len(code)), times)
        return keep_allowed(scope, value_idx, self._entries[expand_spans(start, times)])
