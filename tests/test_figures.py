"""Figures: what they show, and that no label lies over another."""

from __future__ import annotations

import itertools
import sys
from pathlib import Path
from typing import Any

import pandas as pd
import pytest

import igual
from igual.demo.layout import lay_out

pytest.importorskip("matplotlib", reason="figures are drawn with Matplotlib")

ODD = ["$x^2$", "$broken", "a" * 300, "\x1b[2J", "a_b^c", "\\frac", "", "  "]


@pytest.fixture(scope="module")
def demo(tmp_path_factory: pytest.TempPathFactory) -> dict[str, Any]:
    folder = tmp_path_factory.mktemp("demo")
    lay_out(folder)
    book = igual.Rulebook.load(folder / "trees.toml")
    may, june = (
        pd.read_csv(folder / name, dtype=str, keep_default_na=False) for name in ("trees.csv", "june.csv")
    )
    outcome, later = book.apply(may), book.apply(june)
    species = igual.ReferenceList.load(folder / "species.csv")
    return {"may": may, "outcome": outcome, "later": later, "matches": igual.match(may["species"], species)}


def figures(demo: dict[str, Any]) -> dict[str, Any]:
    outcome, species = demo["outcome"], demo["may"]["species"]
    clean = igual.tally(outcome.table["species"].astype(str))
    return {
        "survey": igual.survey(demo["may"]).figure(),
        "tally": igual.tally(species, top=12).figure(),
        "beside": igual.tally(species, top=12).figure(clean),
        "matches": demo["matches"].figure(),
        "truth": demo["matches"].figure(dict(zip(species, outcome.table["species"].astype(str), strict=True))),
        "outcome": outcome.figure(),
        "drift": demo["later"].crosswalks.figure("species", {"May": outcome.crosswalks}, name="June"),
    }  # fmt: skip


def test_no_label_lies_over_another(demo: dict[str, Any], tmp_path: Path) -> None:
    for name, figure in figures(demo).items():
        for ending in ("png", "svg")[: 1 + (name == "drift")]:
            figure.savefig(tmp_path / f"{name}.{ending}")
            assert (tmp_path / f"{name}.{ending}").stat().st_size > 3_000
        for ax in figure.axes:
            assert ax.get_title(loc="left")
            labels = [text.get_window_extent() for text in ax.get_yticklabels() if text.get_text()]
            labels += [text.get_window_extent() for text in ax.texts]
            for one, other in itertools.pairwise(sorted(labels, key=lambda box: (box.x0 > 200, box.y0))):
                assert not one.overlaps(other) or abs(one.x1 - other.x0) < 2, f"{name}: labels overlap"


def test_figures_show_what_was_found(demo: dict[str, Any]) -> None:
    drawn = figures(demo)
    names = [text.get_text() for text in drawn["survey"].axes[0].get_yticklabels()]
    assert names == list(demo["may"].columns)
    assert any(
        "1,640" not in text.get_text() and "odd" in text.get_text() for text in drawn["survey"].axes[0].texts
    )
    most = drawn["tally"].axes[0].patches[0].get_width()
    assert most == demo["may"]["species"].value_counts().iloc[0]
    beside = [text.get_text() for text in drawn["beside"].axes[0].get_yticklabels()]
    assert beside[0] == "Norway maple"
    heights = sum(patch.get_height() for patch in drawn["matches"].axes[0].patches)
    assert heights == len(demo["matches"].matched.values)
    assert [ax.get_title(loc="left") for ax in drawn["outcome"].axes] == ["Distinct values", "What is open"]
    ticks = [text.get_text() for text in drawn["drift"].axes[0].get_xticklabels()]
    assert ticks[0].startswith("May\n")
    assert ticks[1].startswith("June\n")


def test_odd_texts_are_texts_and_axes_can_be_given(tmp_path: Path) -> None:
    from matplotlib.figure import Figure

    tally = igual.tally([text for text in ODD for _ in range(2)])
    figure = tally.figure()
    figure.savefig(tmp_path / "odd.png")
    labels = [text.get_text() for text in figure.axes[0].get_yticklabels()]
    assert "$x^2$" in labels
    assert max(map(len, labels)) <= 34
    assert any("…" in label for label in labels)
    mine = Figure(figsize=(4, 1.2))
    ax = mine.add_subplot()
    assert tally.figure(ax=ax) is mine
    assert len(ax.patches) < len(ODD)
    assert "not drawn" in ax.get_title(loc="left")
    outcome = igual.Rulebook([igual.rules.Spacing(column="a")]).apply({"a": ODD})
    two = Figure().subplots(1, 2)
    outcome.figure(ax=two)
    assert two[0].patches
    igual.survey({"a": []}).figure().savefig(tmp_path / "none.png")
    with pytest.raises(igual.TableError, match="none of the values"):
        igual.match(["a"], igual.ReferenceList(["a"])).figure({"b": "a"})


def test_without_matplotlib_it_is_said_which_extra(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.delitem(sys.modules, "igual.report.drawn_figure", raising=False)
    monkeypatch.setitem(sys.modules, "matplotlib.figure", None)
    with pytest.raises(igual.IgualError, match=r"pip install 'igual\[figures\]'"):
        igual.tally(["a"]).figure()
