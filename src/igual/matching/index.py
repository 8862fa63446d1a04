"""A reference list prepared for matching: built once, used often."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from functools import cached_property

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from igual.column import TEXT, Mask, to_mask
from igual.lists import ReferenceList, as_reference_list
from igual.matching.candidates import CandidateSearch
from igual.matching.common_parts import CommonParts
from igual.matching.keys import letters_key, plain, two_letter_key
from igual.matching.lookups import How, Key, LookUp
from igual.matching.near_spellings import NearSpellings
from igual.matching.pairs import Ints
from igual.matching.spellings import Spellings
from igual.matching.vocabulary import Vocabulary
from igual.text.arrays import as_it_is
from igual.text.folding import folded_key


def _plain_letters(values: pa.Array) -> pa.Array:
    return letters_key(plain(values))


class MatchIndex:
    """A reference list prepared for matching: build it once, and match many columns or single values with it.

    What only some values need is built when the first of them comes.

    Args:
        reference: A `ReferenceList`, or the entries themselves.
        abbreviations: Short forms and what each stands for, such as {"Qy": "Quay"}, or several in a list. They come
            on top of those that Igual knows, and so do the next two.
        opposites: Groups of words that exclude each other, such as [["tidal", "dry"]]; texts that differ in them are
            never settled.
        small_words: Words that may be missing or extra.
        vocabulary: All such words, in the place of the last three.
        groups: A number for each entry, where those of different groups never compete, such as streets of different
            towns: words tell entries apart within a group alone, (entries,).

    Raises:
        ListError: For a list that is empty or has an entry twice.
        RulebookError: For what isn't one word.

    Example:
        >>> import igual
        >>> index = igual.MatchIndex(["Kestrel Quay", "Old Town"], abbreviations={"Qy": "Quay"})
        >>> igual.match(["kestrel qy"], index).table["proposal"].tolist()
        ['Kestrel Quay']
    """

    def __init__(
        self,
        reference: ReferenceList | Sequence[str],
        *,
        abbreviations: Mapping[str, str | Sequence[str]] | None = None,
        opposites: Sequence[Sequence[str]] = (),
        small_words: Sequence[str] = (),
        vocabulary: Vocabulary | None = None,
        groups: Ints | None = None,
    ) -> None:
        self.reference = reference = as_reference_list(reference)
        self.vocabulary = vocabulary or Vocabulary.extended(opposites, abbreviations, small_words)
        self.entries = pa.array(reference.values, TEXT)
        self.names = tuple(reference.values)
        self._groups = groups

    def __repr__(self) -> str:
        return f"<igual.MatchIndex of {len(self.names):,} entries, {len(self.spellings):,} spellings>"

    @cached_property
    def common_parts(self) -> CommonParts:
        """The beginnings and endings that many spellings have."""
        return CommonParts(self.search.forms.letter_keys)

    @cached_property
    def position_of(self) -> dict[str, int]:
        """The position of each entry."""
        return {name: position for position, name in enumerate(self.names)}

    @cached_property
    def _accepted(self) -> tuple[pa.Array, Ints]:
        """The spellings, each for the position of its entry, in no order that matters."""
        if not self.reference.aliases:
            return self.entries, np.arange(len(self.entries))
        reference = self.reference
        shared = [
            (alias, entry)
            for alias, claimed in reference.contested.items()
            if alias not in reference.entry_of
            for entry in claimed
        ]
        spellings, owners = (
            pa.array(side, TEXT) for side in zip(*(*reference.entry_of.items(), *shared), strict=True)
        )
        positions = pc.index_in(owners, self.entries).to_numpy(zero_copy_only=False).astype(np.int64)
        return spellings, positions

    @cached_property
    def _order(self) -> pa.Array:
        """The order of the spellings' characters, so that nothing depends on the order of the list."""
        return pc.sort_indices(self._accepted[0])

    @cached_property
    def spellings(self) -> pa.Array:
        """The spellings of all entries, in the order of their characters, (spellings,)."""
        return self._accepted[0].take(self._order)

    @cached_property
    def near_spellings(self) -> NearSpellings:
        """The spellings, for values that no way to match accepts."""
        return NearSpellings(self.spellings)

    @cached_property
    def owners(self) -> Ints:
        """The position of each spelling's entry, (spellings,)."""
        owners: Ints = self._accepted[1][self._order.to_numpy(zero_copy_only=False)]
        return owners

    @cached_property
    def search(self) -> CandidateSearch:
        """The spellings, indexed for matching by likeness."""
        return CandidateSearch(self.spellings, self.vocabulary, self.owners, self._groups)

    @cached_property
    def ranks(self) -> Ints:
        """The position of each entry in the order of their characters, by which ties are broken."""
        ranks = np.empty(len(self.names), np.int64)
        ranks[self.owners[self._is_entry]] = np.arange(len(self.names))
        return ranks

    @cached_property
    def own_spellings(self) -> Ints:
        """Where each entry stands among the spellings, (entries,)."""
        places = np.empty(len(self.names), np.int64)
        places[self.owners[self._is_entry]] = np.flatnonzero(self._is_entry)
        return places

    @cached_property
    def _is_entry(self) -> Mask:
        """Which spellings are entries, the others being aliases."""
        if len(self.spellings) == len(self.names):
            return np.ones(len(self.spellings), np.bool_)
        return to_mask(pc.is_in(self.spellings, self.entries))

    def look_ups(self, by: Collection[str]) -> list[LookUp]:
        """List the ways to look a value up, surest first; aliases come after entries.

        Args:
            by: The ways to match that are wanted: exact, folded, fuzzy.

        Returns:
            The look-ups, in the order in which they are tried.
        """
        exact = self._exact if "exact" in by else ()
        folded = self._folded if "folded" in by else ()
        fuzzy = self._written_as_two if "fuzzy" in by else ()
        ways = (*exact[:1], *folded[:1], *exact[1:], *folded[1:], *fuzzy)
        return [way for way in ways if way.spellings]

    @cached_property
    def _exact(self) -> tuple[LookUp, LookUp]:
        return self._entries_and_aliases((How.EXACT, How.ALIAS), as_it_is)

    @cached_property
    def _folded(self) -> tuple[LookUp, LookUp]:
        return self._entries_and_aliases((How.FOLDED, How.ALIAS_FOLDED), folded_key)

    def _entries_and_aliases(self, how: tuple[How, How], key: Key) -> tuple[LookUp, LookUp]:
        spellings, owners = self._accepted
        is_entry = np.ones(len(spellings), np.bool_)
        if len(spellings) > len(self.entries):
            is_entry = to_mask(pc.is_in(spellings, self.entries))
        keys = key(spellings)
        entries, aliases = (
            Spellings(keys.filter(pa.array(which)), owners[which]) for which in (is_entry, ~is_entry)
        )
        return LookUp(how[0], key, entries), LookUp(how[1], key, aliases)

    @cached_property
    def _written_as_two(self) -> tuple[LookUp, ...]:
        """Accented letters written as two, in the list or in the value."""
        forms = self.search.forms
        letters = pc.if_else(pa.array(forms.is_truncated), pa.scalar(None, TEXT), forms.letter_keys)
        in_value = LookUp(How.TWO_LETTERS, two_letter_key, Spellings(letters, self.owners))
        in_list = Spellings(two_letter_key(self.spellings), self.owners)
        return LookUp(How.TWO_LETTERS, _plain_letters, in_list), in_value
