"""Textbook measures of how alike texts are: two equally long sequences of texts in, one NumPy array out.

They are here to compare with and to check by; matching has a measure of its own, fitted to how people err.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from igual.engines import read_values
from igual.matching import measures

__all__ = ["damerau_levenshtein", "jaro_winkler", "levenshtein", "qgram_cosine"]


def levenshtein(a: Any, b: Any) -> npt.NDArray[np.float64]:
    """The edit distance of Levenshtein (1966): characters to insert, delete or replace.

    Args:
        a: Texts, (pairs,) each.
        b: As many texts, (pairs,).

    Returns:
        (pairs,); NaN where either is missing.

    Raises:
        TableError: Where the two differ in length or hold anything but texts.

    Example:
        >>> from igual import similarity
        >>> similarity.levenshtein(["mapel", "oak"], ["maple", None]).tolist()
        [2.0, nan]
    """
    return _of(measures.levenshtein, a, b)


def damerau_levenshtein(a: Any, b: Any) -> npt.NDArray[np.float64]:
    """The same with two swapped neighbours as one edit (Damerau 1964), as optimal string alignment.

    In this variant no part of a text is edited twice, so that `ca` and `abc` are 3 apart and not 2. Missing values
    and errors as in `levenshtein`.

    Example:
        >>> from igual import similarity
        >>> similarity.damerau_levenshtein(["mapel", "ca"], ["maple", "abc"]).tolist()
        [1.0, 3.0]
    """
    return _of(measures.damerau_levenshtein, a, b)


def jaro_winkler(a: Any, b: Any) -> npt.NDArray[np.float64]:
    """The similarity of Jaro (1989) as Winkler (1990) raised it for texts that begin alike, 0 to 1.

    Up to four equal first characters count a tenth each, where Jaro's similarity is above 0.7. Two empty texts are
    the same, 1; an empty one is like no other, 0. Missing values and errors as in `levenshtein`.

    Example:
        >>> from igual import similarity
        >>> similarity.jaro_winkler(["MARTHA"], ["MARHTA"]).round(3).tolist()
        [0.961]
    """
    return _of(measures.jaro_winkler, a, b)


def qgram_cosine(a: Any, b: Any, q: int = 2) -> npt.NDArray[np.float64]:
    """The cosine between how often runs of `q` characters occur (Ukkonen 1992), 0 to 1.

    The ends count: a text's first and last characters are runs with blanks. Missing values and errors as in
    `levenshtein`.

    Example:
        >>> from igual import similarity
        >>> similarity.qgram_cosine(["maple"], ["maple tree"]).round(3).tolist()
        [0.739]
    """

    def cosine(first: list[str], second: list[str]) -> npt.NDArray[np.float64]:
        return measures.qgram_cosine(first, second, q)

    return _of(cosine, a, b)


def _of(measure: Any, a: Any, b: Any) -> npt.NDArray[np.float64]:
    first, second = (_texts(values) for values in (a, b))
    if len(first) == len(second):
        missing = np.array([x is None or y is None for x, y in zip(first, second, strict=True)], np.bool_)
        measured = measure([x or "" for x in first], [y or "" for y in second]).astype(np.float64)
        return np.where(missing, np.nan, measured)
    return measure([x or "" for x in first], [y or "" for y in second])  # type: ignore[no-any-return]  # it raises


def _texts(values: Any) -> list[str | None]:
    column = read_values(values)
    texts: list[str | None] = column.decode(column.values).to_pylist()
    return texts
