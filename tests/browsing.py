"""A real browser for the pages: Debian's Chromium, driven without a screen."""

from __future__ import annotations

import contextlib
import shutil
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import pytest

_CHROMIUM = shutil.which("chromium")
_ARGUMENTS = [
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
    "--disable-component-update", "--disable-sync",
]  # fmt: skip
NARROW, WIDE = 390, 1280


@dataclass
class Opened:
    """A page in the browser, with all that it said and asked for."""

    page: Any
    said: list[str] = field(default_factory=list)
    asked: list[str] = field(default_factory=list)

    def refuse_trouble(self) -> None:
        """Nothing on the console, nothing asked for but the file itself, no element that the data brought in."""
        assert self.said == []
        assert len(self.asked) == 1, self.asked
        assert self.page.evaluate("window.hacked") is None
        allowed = self.page.evaluate(
            "document.querySelectorAll('script:not(.rest)').length + document.querySelectorAll('img, iframe, object, embed, link').length"
        )
        assert allowed == 1 + self.page.locator("#data").count()

    def wait_until(self, condition: str) -> None:
        """Wait for a condition; the page's own policy lets no other script do it."""
        for _ in range(400):
            if self.page.evaluate(condition):
                return
            self.page.wait_for_timeout(25)
        raise AssertionError(f"never came: {condition}")

    def refuse_axe(self) -> None:
        """Nothing that axe-core finds serious; of long grids and pictures the beginning stands for the rest."""
        from axe_playwright_python.base import AXE_FILE_PATH

        # Before it is printed a page puts in all rows that were to come yet.
        self.page.evaluate("dispatchEvent(new Event('beforeprint'))")
        self.page.evaluate(
            "document.querySelectorAll('tbody tr:nth-child(n+6), [role=list]:nth-of-type(n+3), .flow ~ .flow, .grid ~ .grid ~ .grid ~ .grid').forEach(one => one.remove())"
        )
        # As a debugger does it: the page's own policy lets no script in.
        self.page.evaluate(Path(AXE_FILE_PATH).read_text(encoding="utf-8"))
        found = self.page.evaluate(
            "axe.run({resultTypes: ['violations']}).then(results => results.violations)"
        )
        grave = [one for one in found if one["impact"] in ("serious", "critical")]
        assert not grave, [(one["id"], one["nodes"][0]["html"][:200]) for one in grave]

    def refuse_overflow(self) -> None:
        """The page is no wider than the window."""
        assert self.page.evaluate("document.scrollingElement.scrollWidth <= innerWidth")


class Browser:
    """The browser; each page has storage of its own unless it shares that of another."""

    def __init__(self, chromium: Any) -> None:
        self._chromium = chromium

    @contextlib.contextmanager
    def open(self, path: Path, width: int = WIDE, scheme: str = "light") -> Iterator[Opened]:
        context = self._chromium.new_context(
            viewport={"width": width, "height": 800}, color_scheme=scheme, accept_downloads=True
        )
        opened = Opened(context.new_page())
        opened.page.set_default_timeout(20_000)
        opened.page.on("console", lambda message: opened.said.append(message.text))
        opened.page.on("pageerror", lambda error: opened.said.append(str(error)))
        opened.page.on("request", lambda request: opened.asked.append(request.url))
        opened.page.goto(path.as_uri())
        try:
            yield opened
        finally:
            context.close()


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    """The browser, where there is one."""
    if _CHROMIUM is None:
        pytest.skip("there is no Chromium: the pages aren't looked at (Debian has it as chromium)")
    playwright = pytest.importorskip("playwright.sync_api", reason="Playwright drives the browser")
    with playwright.sync_playwright() as started:
        chromium = started.chromium.launch(executable_path=_CHROMIUM, args=_ARGUMENTS)
        yield Browser(chromium)
        chromium.close()
