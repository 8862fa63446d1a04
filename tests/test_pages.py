"""Pages: every control in a real browser, hostile values, the way from a page to rulings and back."""

from __future__ import annotations

import csv
import json
import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

import igual
from igual.report.pages.flows import Spelling, draw_flow, shorten
from igual.report.pages.parts import mark
from tests.browsing import NARROW, Browser, Opened
from tests.conftest import Run

HOSTILE = [
    "<script>window.hacked=1</script>", '"onmouseover="window.hacked=1', "]]><img src=x onerror=window.hacked=1>",
    "</script><script>window.hacked=1</script>", "<!--", "{{ 7 * 7 }}", "a\u202ecod\u202c", "x" * 10_000, "\x00\x1b[2J",
    "tab\there", "' or 1=1", "=1+1", "@cmd", "-2", "’;–", "\u2028line", "&amp;", "  two  ", "\U000e0041tag",
]  # fmt: skip
COMMANDS = {
    "run": "apply trees.toml trees.csv --report page.html",
    "since": "apply trees.toml june.csv --since may.csv --report page.html",
    "survey": "survey trees.csv --report page.html",
    "tally": "tally trees.csv -c species --report page.html",
    "match": "match trees.csv -c species -l species.csv --report page.html",
    "lookalikes": "lookalikes trees.csv -c species --weaker --report page.html",
    "check": "check trees.toml june.csv --since may.csv --allow open=3 --report page.html",
}


@pytest.mark.parametrize("name", COMMANDS)
def test_every_command_writes_a_page_that_anybody_can_read(
    name: str, run: Run, few_trees: Path, browser: Browser
) -> None:
    if "--since" in COMMANDS[name]:
        assert run("apply trees.toml trees.csv --crosswalk may.csv").returncode == 0
    done = run(COMMANDS[name])
    assert done.returncode == int(name == "check")
    path = few_trees / "page.html"
    first = path.read_bytes()
    assert len(first) < 2_000_000
    assert run(COMMANDS[name]).returncode == done.returncode  # over a page of its own, with the same bytes
    assert path.read_bytes() == first
    with browser.open(path) as opened:
        opened.refuse_overflow()
        # Colours differ by scheme alone: one page in both is enough.
        if name == "check":
            opened.refuse_axe()
        opened.page.set_viewport_size({"width": NARROW, "height": 800})
        opened.page.emulate_media(color_scheme="dark")
        opened.refuse_overflow()
        opened.refuse_trouble()
        opened.refuse_axe()


def test_the_page_of_a_run_tells_all_in_order(run: Run, few_trees: Path, browser: Browser) -> None:
    assert run("apply trees.toml trees.csv --crosswalk may.csv").returncode == 0
    assert run(COMMANDS["since"]).returncode == 0
    with browser.open(few_trees / "page.html") as opened:
        page = opened.page
        headings = page.locator("h2").all_inner_texts()
        assert headings == [
            "To do", "How spellings flow together", "What each rule changed", "Crosswalk", "Hints", "Checks",
            "Since the last run",
        ]  # fmt: skip
        assert [link.get_attribute("href") for link in page.locator("nav a").all()] == [
            f"#{section.get_attribute('id')}" for section in page.locator("section[aria-labelledby]").all()
        ]
        page.get_by_role("link", name="Crosswalk").click()
        assert page.url.endswith("#crosswalk")
        page.locator(".digests summary").click()
        assert "trees.toml" in page.locator("header dl").first.inner_text()
        assert len(page.locator(".digests code").first.inner_text()) == 64
        _use_the_flow(page)
        _use_the_crosswalk(opened)
        assert page.locator("del").count() > 5
        assert "NORWAY" in page.locator("del").all_inner_texts()[0] or page.locator("ins").count() > 5
        opened.refuse_trouble()


def _use_the_flow(page: Any) -> None:
    """Arrow keys go through the spellings; a second picture unfolds."""
    flow = page.locator(".flow").first
    told = flow.locator(".told")
    items = flow.locator("[role=listitem]")
    items.first.focus()
    first = told.inner_text()
    assert " row" in first
    page.keyboard.press("ArrowDown")
    assert told.inner_text() != first
    page.keyboard.press("End")
    last = told.inner_text()
    page.keyboard.press("ArrowDown")
    assert told.inner_text() == last
    page.keyboard.press("Home")
    assert told.inner_text() == first
    items.nth(2).locator("text").first.hover()
    assert "became" in told.inner_text() or "as it was" in told.inner_text()
    folded = page.locator(".flow:not([open])").first
    folded.locator("summary").click()
    page.locator(".flow svg:visible").nth(1).wait_for()
    assert page.locator(".flow svg:visible").count() == 2


def _use_the_crosswalk(opened: Opened) -> None:
    page = opened.page
    grid = page.locator("#crosswalk .grid")
    whole = 200 + page.evaluate("JSON.parse(document.querySelector('#crosswalk .rest').textContent).length")
    opened.wait_until(f"document.querySelectorAll('#crosswalk tbody tr').length === {whole}")
    grid.locator("input").fill("NORWAY  ")  # a space at the end is part of what is sought
    opened.wait_until("document.querySelector('#crosswalk [role=status]').textContent !== ''")
    grid.locator("input").fill("norway")
    opened.wait_until(f"document.querySelectorAll('#crosswalk tbody tr:not([hidden])').length < {whole}")
    shown = "[...document.querySelectorAll('#crosswalk tbody tr:not([hidden])')].map(row => row.textContent)"
    assert all("norway" in text.casefold() for text in page.evaluate(shown))
    grid.locator("input").fill("")
    opened.wait_until(f"document.querySelectorAll('#crosswalk tbody tr:not([hidden])').length === {whole}")
    counts = grid.get_by_role("button", name="rows")
    counts.click()
    numbers = [
        int(text.replace(",", ""))
        for text in grid.locator("tbody tr:nth-child(-n+50) td:nth-child(4)").all_inner_texts()
    ]
    assert numbers == sorted(numbers, reverse=True)
    assert grid.locator("th[aria-sort=descending]").count() == 1
    counts.click()
    assert grid.locator("tbody tr td:nth-child(4)").first.inner_text() == "1"
    grid.get_by_role("button", name="raw").click()
    assert grid.locator("th[aria-sort=ascending]").inner_text().startswith("raw")


def test_hostile_values_are_texts(tmp_path: Path, browser: Browser) -> None:
    species = igual.ReferenceList(["Norway maple", "<b>bold</b>", "]]>", "=1+1 oak"])
    table = {"<i>species</i>": [*HOSTILE, "Norway mapel", "=1+1 oka", "<b>bold</bb>"]}
    name = "<i>species</i>"
    book = igual.Rulebook(
        [igual.rules.Spacing(column=name), igual.rules.Match(column=name, list="species")],
        lists={"species": species},
    )
    results: dict[str, Any] = {
        "run": book.apply(table), "survey": igual.survey(table), "tally": igual.tally(table[name]),
        "match": igual.match(table[name], species), "lookalikes": igual.lookalikes(table[name]),
    }  # fmt: skip
    for what, result in results.items():
        path = tmp_path / f"{what}.html"
        result.report(path, title="<script>window.hacked=1</script>")
        text = path.read_text(encoding="utf-8")
        assert "\u202e" not in text
        assert "\x1b" not in text
        with browser.open(path) as opened:
            assert opened.page.locator("h1").inner_text() == "<script>window.hacked=1</script>"
            if what in ("run", "tally", "match"):
                shown = opened.page.locator("main").inner_text()
                assert HOSTILE[0] in shown
                assert "⟨right-to-left override⟩" in shown
                assert "{{ 7 * 7 }}" in shown
            opened.refuse_trouble()
    page = igual.review(results["run"])
    page.save(tmp_path / "decide.html")
    with browser.open(tmp_path / "decide.html") as opened:
        while opened.page.get_by_role("button", name="s skip").count():
            opened.page.keyboard.press("s")
        opened.refuse_trouble()


def test_large_tables_give_bounded_pages_that_say_so(tmp_path: Path, browser: Browser) -> None:
    values = [f"value  {number}" for number in range(20_000)]
    outcome = igual.Rulebook([igual.rules.Spacing(column="a")]).apply({"a": values})
    outcome.report(tmp_path / "run.html")
    igual.tally(values).report(tmp_path / "tally.html")
    pages = [tmp_path / "run.html", tmp_path / "tally.html"]
    assert max(path.stat().st_size for path in pages) < 2_000_000
    assert all("and 15,000 more values" in path.read_text(encoding="utf-8") for path in pages)
    with browser.open(pages[1]) as opened:
        # The first rows are there at once, the others soon after.
        opened.wait_until("document.querySelectorAll('[data-long] tbody tr').length === 5000")
        opened.page.locator("[data-long] input").first.fill("4999")
        opened.wait_until(
            "document.querySelector('[data-long] [role=status]').textContent.endsWith(' of 5,000')"
        )
        opened.refuse_trouble()


def test_tables_without_rows_have_pages_too(
    run: Run, write: Callable[[str, str], Path], tmp_path: Path
) -> None:
    write("empty.csv", "a\n")
    write("list.csv", "value\noak\n")
    write(
        "book.toml",
        'igual = 1\n[lists.l]\nfile = "list.csv"\n[[rule]]\ncolumn = "a"\ndo = "match"\nlist = "l"\n',
    )
    for line in (
        "survey empty.csv", "tally empty.csv -c a", "match empty.csv -c a -l list.csv", "lookalikes empty.csv -c a",
        "apply book.toml empty.csv", "check book.toml empty.csv",
    ):  # fmt: skip
        done = run(f"{line} --report page.html")
        assert done.returncode == 0, (line, done.stderr)
        assert "<h1>" in (tmp_path / "page.html").read_text(encoding="utf-8")
    assert run("review book.toml --table empty.csv --page page.html").returncode == 0


def test_pages_replace_pages_alone(tmp_path: Path) -> None:
    tally = igual.tally(["a", "b"])
    path = tmp_path / "page.html"
    path.write_text("<p>mine</p>")
    with pytest.raises(igual.OutputError, match="is there already"):
        tally.report(path)
    assert path.read_text() == "<p>mine</p>"
    with pytest.raises(igual.OutputError, match="a page ends with"):
        tally.report(tmp_path / "page.pdf")
    path.unlink()
    tally.report(path)
    first = path.read_bytes()
    tally.report(path)
    assert path.read_bytes() == first


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ("survey trees.csv --report trees.csv", "a page ends with .html"),
        ("tally trees.csv -c site --by condition --report page.html", "--report is of one tally"),
        ("lookalikes trees.csv -c site --pairs new.csv --report README.md", "a page ends with .html"),
        ("match trees.csv -c species -l species.csv -o new.csv --report ours.html", "is there already"),
        ("apply trees.toml trees.csv --since may.csv --preview 1", "give --report FILE too"),
        ("review trees.toml --page page.html", "--page needs --table"),
        ("review trees.toml --table trees.csv --page page.csv", "a page ends with .html"),
        ("review trees.toml --table trees.csv --page page.html --show nothing", "nothing"),
    ],
)
def test_what_pages_can_not_be(line: str, said: str, run: Run, few_trees: Path) -> None:
    (few_trees / "ours.html").write_text("<p>ours</p>", encoding="utf-8")
    done = run(line)
    assert done.returncode == 2
    assert said in done.stderr
    assert not (few_trees / "page.html").exists()
    assert not (few_trees / "new.csv").exists()


def test_from_a_page_to_rulings_and_back(run: Run, trees: Path, browser: Browser) -> None:
    done = run("review trees.toml --table trees.csv --page open.html --show street,height_m")
    assert done.returncode == 0
    assert "10 values open" in done.stdout
    with browser.open(trees / "open.html", scheme="dark") as opened:
        page = opened.page
        opened.refuse_axe()
        asked = page.locator("#card h2").inner_text()
        assert asked.startswith("Are these 2 right?")
        page.keyboard.press("y")
        assert "8 values left" in page.locator("#left").inner_text()
        assert page.locator("#card th").all_inner_texts()[:2] == ["street", "height_m"]
        page.reload()  # what was answered is kept
        page.locator("#left", has_text="8 values left").wait_for()
        page.get_by_role("button", name="Keep them").click()
        page.keyboard.press("u")
        assert "10 values left" in page.locator("#left").inner_text()
        page.get_by_role("button", name="yes").click()
        ruled = _rule_the_rest(page)
        assert page.locator("#card h2").inner_text() == "Everything is answered."
        opened.refuse_axe()
        with page.expect_download() as waiting:
            page.get_by_role("button", name="Save the sheet").click()
        assert waiting.value.suggested_filename == "trees-answers.csv"
        waiting.value.save_as(trees / "answers.csv")
        assert opened.said == []
    done = run("review trees.toml answers.csv --by Ines")
    assert done.returncode == 0, done.stdout + done.stderr
    assert "The page was made before" not in done.stdout
    assert (trees / "trees.rulings.csv").read_text(encoding="utf-8").count("\n") == 11
    after = json.loads(run("apply trees.toml trees.csv --crosswalk after.csv --json").stdout)
    assert after["open"] == []
    with (trees / "after.csv").open(encoding="utf-8", newline="") as file:
        became = {row["raw"]: row["clean"] for row in csv.DictReader(file)}
    known = {raw: clean for raw, clean in ruled.items() if raw in became}
    assert len(known) >= 6
    assert {raw: became[raw] for raw in known} == known
    # A second time it is as ruled before; after a change of the list it is known that the page is older.
    assert "10 rows as ruled before" in run("review trees.toml answers.csv --by Ines").stdout
    with (trees / "species.csv").open("a", encoding="utf-8") as file:
        file.write("Sea buckthorn,,,\n")
    done = run("review trees.toml answers.csv --by Ines")
    assert "made before the list 'species' changed" in " ".join(done.stdout.split())


def _rule_the_rest(page: Any) -> dict[str, str]:
    """Rule by every key in turn; gives what values are to become, as far as that is known."""
    ruled: dict[str, str] = {}
    turn = 0
    while page.get_by_role("button", name="skip").count():
        value = page.locator("#card h2").inner_text()
        turn += 1
        if turn == 1:
            column = page.locator("#card p").first.inner_text().split(" · ")[0]
            lists = page.evaluate("JSON.parse(document.getElementById('data').textContent).lists")
            entry = str(lists[column][-1][0])
            page.keyboard.press("/")
            page.keyboard.type("nothing like it")
            assert "No entry holds that." in page.locator("#card").inner_text()
            page.keyboard.press("Control+A")
            page.keyboard.type(entry.upper())
            assert page.locator(".field + .picks button").all_inner_texts()[0] == entry
            page.keyboard.press("Enter")
            ruled[value] = entry
        elif turn == 2:
            page.get_by_label("Reason, if you like").fill("as the crew writes it")
            page.keyboard.press("Escape")
            page.keyboard.press("k")
            ruled[value] = value
        elif turn == 3:
            assert not page.get_by_label("Spelled").is_visible()
            page.keyboard.press("n")
            page.keyboard.type("Brand new")
            page.keyboard.press("Enter")
            ruled[value] = "Brand new"
        elif turn == 4:
            page.keyboard.press("x")
        elif page.locator(".picks .score").count():
            entry = page.locator(".picks button span:not(.score)").first.inner_text()
            page.keyboard.press("1")
            ruled[value] = entry
        else:
            page.get_by_role("button", name="keep it").click()
            ruled[value] = value
    return ruled


def test_skipping_stopping_and_asking_one_by_one(run: Run, trees: Path, browser: Browser) -> None:
    assert run("review trees.toml --table trees.csv --page open.html").returncode == 0
    with browser.open(trees / "open.html") as opened:
        page = opened.page
        page.keyboard.press("n")  # no: its values are asked one by one, and undo takes that back
        assert "of 11" in page.locator("#left").inner_text()
        page.keyboard.press("u")
        assert "Question 1 of 9" in page.locator("#left").inner_text()
        page.keyboard.press("o")  # the question's values one by one
        assert "of 11" in page.locator("#left").inner_text()
        page.keyboard.press("Enter")
        assert "9 values left" in page.locator("#left").inner_text()
        page.keyboard.press("q")
        assert page.locator("#card h2").inner_text() == "That was the last question."
        page.get_by_role("button", name="see what is left").click()
        while page.get_by_role("button", name="skip").count():
            page.keyboard.press("s")
        assert "9 values left" in page.locator("#left").inner_text()
        page.keyboard.press("u")
        assert "10 values left" in page.locator("#left").inner_text()
        page.keyboard.press("u")
        assert "nothing to take back" in page.locator("#told").inner_text()
        page.get_by_role("button", name="stop").click()
        with page.expect_download() as waiting:
            page.get_by_role("button", name="Save the sheet").click()
        waiting.value.save_as(trees / "answers.csv")
        opened.refuse_axe()
        assert opened.said == []
    done = run("review trees.toml answers.csv")
    assert done.returncode == 0
    assert "10 rows without a ruling" in done.stdout
    assert not (trees / "trees.rulings.csv").exists()


def test_kinds_are_answered_for_all(tmp_path: Path, browser: Browser) -> None:
    names = [
        f"{place} Library"
        for place in ("Harbour", "Old Town", "Saltmarsh", "Millfield", "North Quay", "Brannock")
    ]
    book = igual.Rulebook(
        [igual.rules.Match(column="branch", list="branches")], lists={"branches": igual.ReferenceList([*names, "Harbour Hall", "Old Town Hall", "Saltmarsh Hall", "Millfield Hall", "North Quay Hall", "Brannock Hall"])}
    )  # fmt: skip
    outcome = book.apply(
        {"branch": [name.replace("Library", "Librry of") for name in names] + ["Harbour", "Old Town"]}
    )
    asked = igual.review(outcome)
    assert "igual.review" in repr(asked) or "page to decide on" in repr(asked)
    path = tmp_path / "page.html"
    asked.save(path)
    with browser.open(path) as opened:
        page = opened.page
        while page.get_by_role("button", name="skip").count():
            page.keyboard.press("y" if page.get_by_role("button", name="yes").count() else "1")
        with page.expect_download() as waiting:
            page.get_by_role("button", name="Save the sheet").click()
        waiting.value.save_as(tmp_path / "answers.csv")
        opened.refuse_trouble()
    review = asked.take(tmp_path / "answers.csv", by="Ines")
    assert review.rejected == []
    again = igual.Rulebook(book.rules, lists=book.lists, rulings=review.rulings).apply(outcome.table)
    assert len(again.open) == 0


def test_a_kind_shows_more_of_its_values_and_may_be_refused(tmp_path: Path, browser: Browser) -> None:
    places = "Harbour Saltmarsh Millfield Brannock Lantern Kestrel Quay Eastwick".split()
    rule = igual.rules.Match(column="b", list="l", settle=0.999)
    book = igual.Rulebook([rule], lists={"l": igual.ReferenceList(places)})
    outcome = book.apply({"b": [f"{name} Depot" for name in places]})
    kinds = [question for question in outcome.questions if question.cause is not None]
    assert [len(kind.members) for kind in kinds] == [len(places)]
    asked = igual.review(outcome)
    asked.save(tmp_path / "page.html")
    with browser.open(tmp_path / "page.html") as opened:
        page = opened.page
        assert page.locator(".pairs tbody tr").count() == 5
        assert page.locator(".pairs tr").nth(1).inner_text().split("\t")[1] == kinds[0].members[0].proposal
        page.keyboard.press("m")
        assert page.locator(".pairs tbody tr").count() == len(kinds[0].members)
        page.keyboard.press("n")
        assert page.locator(".picks .score").count() >= 1
        with page.expect_download() as waiting:
            page.get_by_role("button", name="Save the sheet").click()
        waiting.value.save_as(tmp_path / "answers.csv")
        opened.refuse_axe()
    (taken,) = asked.take(tmp_path / "answers.csv", by="Ines").accepted
    assert (taken.ruling.kind, taken.ruling.ruling) == (kinds[0].cause.kind if kinds[0].cause else "", "no")


def test_labels_are_cut_in_their_middle() -> None:
    assert shorten("a" * 20 + "b" * 20, 11) == "aaaaa…bbbbb"
    assert len(shorten("x" * 10_000)) <= 34
    flow = draw_flow(
        "c", [Spelling("a ", "a", 3, "spacing", False), Spelling("a", "a", 1, "", False)], is_open=True
    )
    assert flow is not None
    assert [ribbon.look for ribbon in flow.pools[0].ribbons] == ["same", "changed"]
    assert draw_flow("c", [Spelling("a", "a", 3, "", False)], is_open=True) is None
    before, after = mark("a mapel", "a maple")
    assert [piece.look for piece in getattr(after, "stretches")] == ["", "came", ""]  # noqa: B009
    assert before.look == "marked"


def test_every_column_with_something_to_decide_shows_and_is_searched(
    tmp_path: Path, browser: Browser
) -> None:
    near = igual.ReferenceList([f"{letter}ites Quest" for letter in "KMB"] + ["Old Town"])
    columns = [f"column{number}" for number in range(6)]
    few = [f"Nowhere {number}" for number in range(300)]
    table = {
        name: (few[:2] if place < 4 else few) * (150 if place < 4 else 1)
        for place, name in enumerate(columns)
    }
    table = {
        name: cells if place != 5 else ["ites Quest"] * 300
        for place, (name, cells) in enumerate(table.items())
    }
    book = igual.Rulebook([igual.rules.Match(columns=tuple(columns), list="near")], lists={"near": near})
    book.apply(table).report(tmp_path / "page.html")
    with browser.open(tmp_path / "page.html") as opened:
        opened.refuse_trouble()
        due = opened.page.locator("#due")
        summed = due.locator(".grid").first.inner_text()
        assert [name for name in columns if name not in summed] == [], summed
        for grid, sought in (
            (due.locator(".grid").last, "nowhere 299"),
            (due.locator(".grid").last, "column4"),
        ):
            grid.locator("input[type=search]").fill(sought)
            opened.wait_until(
                f"[...document.querySelectorAll('#due tbody tr')].some(row => !row.hidden && row.textContent.toLowerCase().includes('{sought}'))"
            )
            told = grid.locator("[role=status]").inner_text()
            assert not told.startswith("0 of")


def test_answers_of_an_earlier_visit_are_shown_before_they_are_saved(
    run: Run, trees: Path, browser: Browser
) -> None:
    assert run("review trees.toml --table trees.csv --page open.html", folder=trees).returncode == 0
    page_id = re.findall(r'"id": ?"([0-9a-f]{32})"', (trees / "open.html").read_text("utf-8"))
    assert len(page_id) == 1
    with browser.open(trees / "open.html") as opened:
        page = opened.page
        assert page.locator("#earlier").is_hidden()
        page.keyboard.press("y")
        page.reload()
        assert page.locator("#earlier").is_visible()
        assert "1 answer" in page.locator("#earlier").inner_text()
        page.get_by_role("button", name="Save the sheet").click()
        assert "earlier visit" in page.locator("#told").inner_text()
        page.get_by_role("button", name="Start afresh").click()
        assert page.locator("#answers").is_hidden()
        with page.expect_download():
            page.get_by_role("button", name="Save the sheet").click()


@pytest.mark.parametrize(
    "kept",
    ["5", '"x"', "[]", "{", '{"place": 99999, "order": [0], "answers": []}', '{"place": 0, "order": ["v99999"], "answers": []}',
     '{"place": 0, "order": [0], "answers": [{"place": 0, "order": [0], "rulings": [{"value": 1, "ruling": 5}]}]}',
     '{"place": 0, "order": [0], "answers": [null]}'],
)  # fmt: skip
def test_what_another_page_put_into_the_storage_is_not_taken(
    kept: str, run: Run, few_trees: Path, browser: Browser
) -> None:
    assert run("review trees.toml --table trees.csv --page open.html", folder=few_trees).returncode == 0
    with browser.open(few_trees / "open.html") as opened:
        page = opened.page
        key = f"igual-{json.loads(page.locator('#data').text_content() or '')['id']}"
        page.evaluate("([key, kept]) => localStorage.setItem(key, kept)", [key, kept])
        page.reload()
        assert page.locator("#card h2").count() == 1
        assert page.locator("#earlier").is_hidden()
        assert opened.said == []
