"""Values of one column that are probably one."""

from __future__ import annotations

import itertools

import pytest

import igual


def groups(values: dict[str, int], **settings: object) -> list[list[str]]:
    column = [value for value, rows in values.items() for _ in range(rows)]
    table = igual.lookalikes(column, **settings).table  # type: ignore[arg-type]
    return [part["value"].tolist() for _, part in table.groupby("group")]


def test_groups_with_the_most_frequent_spelling_first() -> None:
    found = igual.lookalikes(
        ["Norway maple"] * 5 + ["norway  maple"] * 2 + ["Norwy maple", "Maple, Norway", "Elm", None, " "]
    )
    assert found.table["proposal"].unique().tolist() == ["Norway maple"]
    assert found.table["rows"].tolist() == [5, 2, 1, 1]
    why = dict(zip(found.table["value"], found.table["why"], strict=True))
    assert why["norway  maple"] == "only case, accents, spaces or punctuation differ"
    assert why["Norwy maple"] == "1 letter missing: Norwy maple → Norway maple"
    more = igual.lookalikes(["Norway maple"] * 5 + ["norwy maple", "NORWY MAPLE", "Norway mapel"]).table
    for value, said in zip(more["value"], more["why"], strict=True):
        assert said == "" or value in said
    assert why["Maple, Norway"] == "same words in another order"
    assert why["Norway maple"] == ""
    assert "1 group that" in repr(found) or "1 group" in repr(found)


@pytest.mark.parametrize(
    "values",
    [
        {"Pier 1": 5, "Pier 7": 3},
        {"2019 budget": 2, "2020 budget": 1},
        {"North Quay": 3, "South Quay": 2},
        {"Henry IV": 3, "Henry VI": 2},
        {"elm": 3, "elk": 1},
        {"Common oak": 4, "Norway maple": 2},
        {"paid fees": 4, "unpaid fees": 1},
    ],
)
def test_what_differs_in_meaning_is_no_group(values: dict[str, int]) -> None:
    assert groups(values, min_score=0.3) == []


def test_other_numbers_hide_no_slip() -> None:
    """Values with other numbers come near, but say nothing about a word."""
    values = {f"{number} {street}": 9 for number in range(20, 60) for street in ("Quarry Hill", "Pier Lane")}
    assert groups({**values, "41 Quary Hill": 1}) == [["41 Quarry Hill", "41 Quary Hill"]]


def test_groups_do_not_chain() -> None:
    chain = {
        "marigolding": 9,
        "marigoldung": 5,
        "maregoldung": 4,
        "maregaldung": 3,
        "moregaldung": 2,
        "moregaldunk": 1,
    }
    for found in groups(chain, min_score=0.8):
        # The ends of the chain have nothing to do with each other.
        assert not {"marigolding", "moregaldunk"} <= set(found)
        assert not {"marigolding", "moregaldung"} <= set(found)


def test_ties_go_to_the_list_and_then_to_the_best_formed() -> None:
    assert groups({"NORWAY MAPLE": 2, "Norway maple": 2, "norway  maple ": 2})[0][0] == "Norway maple"
    listed = igual.ReferenceList(["norway maple"])
    assert (
        groups({"NORWAY MAPLE": 2, "Norway maple": 2, "norway maple": 2}, reference=listed)[0][0]
        == "norway maple"
    )
    # Well formed before frequent; what is all capitals stays so where nobody wrote it better.
    assert groups({"NORWAY MAPLE": 3, "Norway maple": 2})[0][0] == "Norway maple"
    assert groups({"ACPL": 3, "acpl": 2})[0][0] == "ACPL"


def test_an_ampersand_is_the_word_and() -> None:
    (found,) = groups({"Pell & Quay": 3, "PELL AND QUAY": 5, "pell&quay": 1})
    assert found[0] == "Pell & Quay"
    assert set(found) == {"Pell & Quay", "PELL AND QUAY", "pell&quay"}


def test_groups_become_a_rule_or_rulings_at_once() -> None:
    values = ["Norway maple"] * 3 + ["Norwy maple", "NORWAY MAPLE", "Elm"]
    found = igual.lookalikes(values)
    assert found.pairs == {"NORWAY MAPLE": "Norway maple", "Norwy maple": "Norway maple"}
    made = igual.Rulebook([found.rule("tree")]).apply({"tree": values})
    assert set(made.table["tree"]) == {"Norway maple", "Elm"}
    sheet = found.rulings("tree")
    assert sheet.columns.tolist() == ["column", "value", "ruling", "reason", "by", "on"]
    assert sheet["ruling"].tolist() == ["Norway maple", "Norway maple"]
    with pytest.raises(igual.RulebookError):
        igual.lookalikes(["a"]).rule("tree")


def test_nothing_to_find_and_odd_texts() -> None:
    for values in (
        [],
        [None, ""],
        ["a"],
        ["?", "!"],
        ["日本", "東京"],
        ["x" * 10_000, "y" * 10_000],
        ["🌳🌲🌳🌲", "🌲🌳🌲🌳"],
    ):
        assert igual.lookalikes(values).table.empty
    assert "nothing looks alike" in repr(igual.lookalikes([]))
    with pytest.raises(igual.RulebookError, match="'min_score' is a probability"):
        igual.lookalikes(["a"], min_score=0)


def test_many_values() -> None:
    column = [
        f"{kind} {place} street" for kind in ("lower", "old") for place in ("abel", "bertha", "cecil")
    ] * 3
    column += ["lower abel streeet", "lower bretha street"]
    assert igual.lookalikes(column).pairs == {
        "lower abel streeet": "lower abel street",
        "lower bretha street": "lower bertha street",
    }


def test_the_same_words_in_any_order() -> None:
    words = ["ash", "birch", "cedar", "elm", "fir", "gorse"]
    values = [" ".join(order) for order in itertools.permutations(words)]
    made = igual.lookalikes([values[0], *values]).table
    # Everything is in a group of up to 201, whose first has most rows.
    assert sorted(made["value"]) == sorted(values)
    assert made.groupby("group").size().tolist() == [201, 201, 201, 117]
    assert made["proposal"][0] == values[0]
    few = igual.lookalikes(["oak grove", "grove oak", "grove, oak", "elm grove"]).table
    assert few["value"].tolist() == ["grove oak", "grove, oak", "oak grove"]
