"""The example notebook, run by a real kernel; what lists, rulebooks and results look like there."""

from __future__ import annotations

import html
import re
from pathlib import Path
from typing import Any

import pytest

import igual
from tests.browsing import Browser

ROOT = Path(__file__).parent.parent


@pytest.mark.filterwarnings("ignore")
def test_the_example_notebook_runs(tmp_path: Path, browser: Browser) -> None:
    nbclient = pytest.importorskip("nbclient", reason="nbclient runs notebooks")
    nbformat = pytest.importorskip("nbformat")
    notebook = nbformat.read(ROOT / "examples" / "notebook.ipynb", as_version=4)
    assert all(not cell.get("outputs") for cell in notebook.cells)
    client = nbclient.NotebookClient(notebook, timeout=120, resources={"metadata": {"path": str(tmp_path)}})
    client.execute()
    shown = [cell.outputs[-1].data for cell in notebook.cells if cell.cell_type == "code" and cell.outputs]
    tables = [data["text/html"] for data in shown if "text/html" in data]
    assert "AESCULUS·HIPPOCASTANUM·" in tables[0]
    assert "<h4>Entries</h4>" in tables[1]
    assert "<h4>Rules</h4>" in tables[2]
    assert any("image/png" in data for data in shown)
    assert all("text/plain" in data for data in shown)
    frame = next(text for text in tables if "<iframe" in text)
    _decide_within(frame, tmp_path / "notebook.html", browser)


def _decide_within(frame: str, path: Path, browser: Browser) -> None:
    """The page works within its frame, where it has no storage, and reaches nothing around it."""
    path.write_text(f"<!doctype html><meta charset=utf-8><title>n</title>{frame}", encoding="utf-8")
    with browser.open(path) as opened:
        inner = opened.page.frame_locator("iframe")
        inner.get_by_role("button", name="yes").click()
        assert "8 values left" in inner.locator("#left").inner_text()
        with opened.page.expect_download() as waiting:
            inner.get_by_role("button", name="Save the sheet").click()
        assert waiting.value.suggested_filename == "trees-answers.csv"
        assert opened.said == []


def test_what_is_kept_shows_its_first_rows_and_how_many_more() -> None:
    entries = igual.ReferenceList(
        [f"<b>entry {n}</b>" for n in range(1_000)], aliases={"<b>entry 0</b>": ["a  b"]}
    )
    shown: Any = entries._repr_html_()
    assert "and 980 more rows" in shown
    assert "&lt;b&gt;entry 0&lt;/b&gt;" in shown
    assert "a··b" in shown
    assert len(re.findall("<tr>", shown)) == 21
    assert repr(entries).startswith("<igual.ReferenceList of 1,000 entries")
    codes: Any = igual.Codebook({1: "good", 2: "fair"})._repr_html_()
    assert "good" in codes
    assert "more row" not in codes
    pairs: Any = igual.PairList({"mapel": "maple"})._repr_html_()
    assert "mapel" in pairs
    book = igual.Rulebook(
        [igual.rules.Case(column="a", style="upper"), igual.rules.Spacing(columns=["a", "b"])]
    )
    rules: Any = book._repr_html_()
    assert "style = upper" in rules
    assert "a, b" in rules
    outcome = book.apply({"a": [" x "], "b": ["y"]})
    walk: Any = outcome.crosswalks._repr_html_()
    assert "·x·" in walk
    page = igual.review(outcome)
    assert "0 values open" in repr(page)
    assert "sandbox" in html.unescape(page._repr_html_())[:100_000]
