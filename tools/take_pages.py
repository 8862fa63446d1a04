"""Take the pictures of pages and figures: from a folder that `igual demo` laid out, into docs/screenshots."""

from __future__ import annotations

import shutil
import subprocess
import sys
from pathlib import Path

import pandas as pd
from playwright.sync_api import Page, sync_playwright

import igual

PICTURES = Path(__file__).parent.parent / "docs" / "screenshots"
ARGUMENTS = ["--no-sandbox", "--disable-gpu", "--no-first-run", "--disable-background-networking"]


def write_pages(folder: Path) -> None:
    """Write the pages as a steward would before anything is ruled."""
    (folder / "trees.rulings.csv").unlink(missing_ok=True)
    for line in (
        "igual apply trees.toml trees.csv --report run.html --force",
        "igual review trees.toml --table trees.csv --page decide.html --show street,district,height_m --force",
    ):
        subprocess.run(line.split(), cwd=folder, check=True, capture_output=True)


def take(page: Page, name: str) -> None:
    page.wait_for_timeout(300)
    page.screenshot(path=PICTURES / f"{name}.png")


def main() -> None:
    folder = Path(sys.argv[1]).resolve()
    write_pages(folder)
    with sync_playwright() as started:
        browser = started.chromium.launch(executable_path=shutil.which("chromium"), args=ARGUMENTS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto((folder / "run.html").as_uri() + "#flows")
        page.locator(".flow [role=listitem]").nth(2).focus()
        take(page, "page")
        page.goto((folder / "decide.html").as_uri())
        page.keyboard.press("s")  # on to a single value
        take(page, "decide")
        browser.close()
    trees = pd.read_csv(folder / "trees.csv", dtype=str, keep_default_na=False)
    outcome = igual.Rulebook.load(folder / "trees.toml").apply(trees)
    outcome.figure().savefig(PICTURES / "figure.png")


if __name__ == "__main__":
    main()
