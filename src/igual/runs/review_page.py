"""Open values of a run as a page to decide on, and what comes back from it."""

from __future__ import annotations

import os
from dataclasses import dataclass
from datetime import date
from typing import TYPE_CHECKING

from igual.display import Displayed
from igual.runs.account import Account
from igual.runs.rulebook import Rulebook

if TYPE_CHECKING:
    from igual.runs.review import Review


@dataclass(frozen=True, eq=False, repr=False)
class ReviewPage(Displayed):
    """Open values of a run as a page to decide on; in a notebook it shows the page itself.

    Attributes:
        account: The account of the run.
        name: What the page is about; the sheet that it saves is called after it.
    """

    account: Account
    name: str = "open values"

    def save(self, path: str | os.PathLike[str]) -> None:
        """Write the page: one HTML file that works from a double click.

        Args:
            path: The file (.html); only a page that Igual wrote is replaced.

        Raises:
            OutputError: For another ending, where something else is there, or where the file can't be written.
        """
        from igual.files.pages import save_page
        from igual.report.pages.deciding_page import render_deciding_page

        save_page(render_deciding_page(self.account, self.name), path)

    def take(
        self, sheet: str | os.PathLike[str], *, by: str = "", on: str | None = None, overrule: bool = False
    ) -> Review:
        """Take the rulings of the sheet that the page saved.

        Args:
            sheet: The sheet.
            by: Who rules.
            on: The day, such as '2026-05-31'; None is today.
            overrule: Take rulings on values that were ruled otherwise before.

        Returns:
            What became of each row, and all rulings by now; they are written where the rulings have a file.

        Raises:
            RulingError: Where the sheet can't be read.
        """
        from igual.files.sheets import review_sheet

        plan = self.account.plan
        shelf = plan.shelf
        rules = [rule for _, rule in plan.rules]
        book = Rulebook(
            rules, shelf.lists, shelf.codebooks, shelf.pairs, rulings=plan.rulings, written=plan.written
        )
        return review_sheet(sheet, plan.rulings, book, by, on or date.today().isoformat(), overrule)
