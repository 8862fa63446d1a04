"""The textbook measures, against published values and against slow and obvious ways."""

from __future__ import annotations

import numpy as np
import pandas as pd
import pytest

import igual
from igual import similarity

# Winkler (1990), table of pairs of names. JON and JAN stand there with 0, though by the formula they are 0.8
# alike: implementations differ in this corner.
WINKLER = [
    ("SHACKLEFORD", "SHACKELFORD", 0.982), ("DUNNINGHAM", "CUNNIGHAM", 0.896), ("NICHLESON", "NICHULSON", 0.956),
    ("JONES", "JOHNSON", 0.832), ("MASSEY", "MASSIE", 0.933), ("ABROMS", "ABRAMS", 0.922),
    ("HARDIN", "MARTINEZ", 0.722), ("ITMAN", "SMITH", 0.467), ("JERALDINE", "GERALDINE", 0.926),
    ("MARHTA", "MARTHA", 0.961), ("MICHELLE", "MICHAEL", 0.921), ("JULIES", "JULIUS", 0.933),
    ("TANYA", "TONYA", 0.880), ("DWAYNE", "DUANE", 0.840), ("SEAN", "SUSAN", 0.805), ("JON", "JOHN", 0.933),
    ("JON", "JAN", 0.800),
]  # fmt: skip


def test_jaro_winkler_as_published() -> None:
    one, other, wanted = zip(*WINKLER, strict=True)
    assert similarity.jaro_winkler(one, other).round(3).tolist() == list(wanted)
    assert np.array_equal(similarity.jaro_winkler(one, other), similarity.jaro_winkler(other, one))


@pytest.mark.parametrize(
    ("one", "other", "edits", "with_swaps"),
    [
        ("kitten", "sitting", 3, 3),
        ("saturday", "sunday", 3, 3),
        ("ca", "abc", 3, 3),
        ("mapel", "maple", 2, 1),
        ("", "oak", 3, 3),
        ("", "", 0, 0),
        ("日本語", "日語本", 2, 1),
        ("naïve", "naive", 1, 1),
        ("😀😁", "😁😀", 2, 1),
    ],
)
def test_edit_distances(one: str, other: str, edits: int, with_swaps: int) -> None:
    assert similarity.levenshtein([one, other], [other, one]).tolist() == [edits, edits]
    assert similarity.damerau_levenshtein([one, other], [other, one]).tolist() == [with_swaps, with_swaps]


def slowly(one: str, other: str, swaps: bool, threes: bool = False) -> int:
    """The recurrence of the edit distance as it stands in textbooks; three letters in another order on request."""
    cells: dict[tuple[int, int], int] = {}
    for i in range(len(one) + 1):
        for j in range(len(other) + 1):
            if not i or not j:
                cells[i, j] = i + j
                continue
            cells[i, j] = min(
                cells[i - 1, j] + 1, cells[i, j - 1] + 1, cells[i - 1, j - 1] + (one[i - 1] != other[j - 1])
            )
            if swaps and i > 1 and j > 1 and one[i - 1] == other[j - 2] and one[i - 2] == other[j - 1]:
                cells[i, j] = min(cells[i, j], cells[i - 2, j - 2] + 1)
            if threes and sorted(one[max(i - 3, 0) : i]) == sorted(other[max(j - 3, 0) : j]) and i > 2:
                cells[i, j] = min(cells[i, j], cells[i - 3, j - 3] + 1)
    return cells[len(one), len(other)]


def some_pairs(number: int) -> tuple[list[str], list[str]]:
    """Seeded pairs of texts of several scripts; half of them are near each other."""
    random = np.random.default_rng(5)
    letters = "abcdeé日本語😀ñ ßüАб"

    def text() -> str:
        return "".join(letters[place] for place in random.integers(len(letters), size=random.integers(0, 14)))

    one = [text() for _ in range(number)]
    return one, [
        text() if random.random() < 0.5 else first.replace("a", "b", 1) + text()[:2] for first in one
    ]


def test_edit_distances_of_random_texts() -> None:
    one, other = some_pairs(400)
    for measure, swaps in ((similarity.levenshtein, False), (similarity.damerau_levenshtein, True)):
        wanted = [slowly(a, b, swaps) for a, b in zip(one, other, strict=True)]
        assert measure(one, other).tolist() == wanted


def test_many_pairs_as_duckdb_has_them() -> None:
    duckdb = pytest.importorskip("duckdb", reason="DuckDB comes with the packages of the benchmarks")
    one, other = some_pairs(30_000)
    # DuckDB compares bytes: each character is given one of its own.
    bytes_of = str.maketrans({c: chr(65 + at) for at, c in enumerate(sorted(set("".join(one + other))))})
    plain = pd.DataFrame(
        {"a": [a.translate(bytes_of) for a in one], "b": [b.translate(bytes_of) for b in other]}
    )
    functions = "levenshtein(a, b) l, damerau_levenshtein(a, b) d, jaro_winkler_similarity(a, b) j"
    theirs = duckdb.from_df(plain).query("plain", f"select {functions} from plain").fetchnumpy()
    assert np.array_equal(similarity.levenshtein(one, other), theirs["l"])
    mine = similarity.damerau_levenshtein(one, other)
    # Its variant may edit a swapped pair once more, and so find a way that is shorter, never a longer one.
    assert (mine >= theirs["d"]).all()
    assert (mine == theirs["d"]).mean() > 0.99
    some = np.array([bool(a) and bool(b) for a, b in zip(one, other, strict=True)])
    assert np.allclose(similarity.jaro_winkler(one, other)[some], theirs["j"][some], atol=1e-9)


def test_qgram_cosine_as_counted_by_hand() -> None:
    # "ab" has the runs ·a, ab, b· ; "abb" has ·a, ab, bb, b· : three shared, of 3 and 4.
    assert similarity.qgram_cosine(["ab"], ["abb"])[0] == pytest.approx(3 / np.sqrt(12))
    assert similarity.qgram_cosine(["", "", "x"], ["", "x", "x"]).tolist() == [1, 0, 1]
    assert similarity.qgram_cosine(["abab"], ["baba"], q=1).tolist() == [1]
    with pytest.raises(igual.TableError, match="q-grams need at least one character"):
        similarity.qgram_cosine(["a"], ["b"], q=0)


def test_missing_values_and_lengths() -> None:
    assert np.isnan(similarity.levenshtein(["a", None], [None, "b"])).all()
    assert similarity.jaro_winkler(["", "", "a"], ["", "a", ""]).tolist() == [1, 0, 0]
    for measure in (similarity.levenshtein, similarity.jaro_winkler, similarity.qgram_cosine):
        assert measure([], []).tolist() == []
        with pytest.raises(igual.TableError, match="pair by pair; found 1 and 2"):
            measure(["a"], ["a", "b"])
