"""Names in their usual case, word by word, each word in each kind of place written once."""

from __future__ import annotations

from collections.abc import Callable, Collection

import numpy as np
import pyarrow as pa

from igual.column import TEXT, Mask
from igual.text.beyond import CharacterPlaces
from igual.text.names import WordPlace, write_word
from igual.text.packed import Offsets, Packed, is_between, slices, splice

_BOX = "box"


def write_words(
    packed: Packed,
    starts: Offsets,
    stops: Offsets,
    characters: CharacterPlaces,
    small: Collection[str],
    keep: Collection[str],
    lower: Callable[[str], str],
) -> Packed:
    """Write the words of texts in the case of names.

    Args:
        packed: The texts.
        starts: Where their words begin, (words,).
        stops: Where these have ended, (words,).
        characters: Their characters beyond ASCII.
        small: Words that are low inside a name.
        keep: Words that stay as they are.
        lower: What makes a word low.

    Returns:
        The texts.
    """
    if not len(starts):
        return packed
    words = slices(packed, starts, stops).dictionary_encode()
    codes, vocabulary = words.indices.to_numpy(zero_copy_only=False), words.dictionary.to_pylist()
    is_box = np.array([lower(word) == _BOX for word in vocabulary], np.bool_)[codes]
    owners = packed.texts_at(starts)
    goes_on: Mask = owners[1:] == owners[:-1]
    is_digit = characters.mark(is_between(packed.data, "0", "9"), str.isdigit)
    flags = (
        np.append(False, goes_on),
        np.append(~goes_on, True),
        (starts > packed.offsets[owners]) & is_digit[starts - 1],
        np.append(is_box[1:] & goes_on, False),
    )
    keys = codes.astype(np.int64) << len(flags)
    for place, flag in enumerate(flags):
        keys |= flag.astype(np.int64) << place
    distinct, which = np.unique(keys, return_inverse=True)
    written = [
        write_word(
            vocabulary[key >> len(flags)],
            WordPlace(*(bool(key >> place & 1) for place in range(len(flags)))),
            small,
            keep,
            lower,
        )
        for key in distinct.tolist()
    ]
    return splice(packed, starts, stops, pa.array(written, TEXT), which, owners)
