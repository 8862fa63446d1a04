"""Rules added to a rulebook file, whose text stays as it is."""

from __future__ import annotations

import os

from igual.errors import OutputError, RulebookError, error_context
from igual.files.outputs import outputs
from igual.files.rulebooks import format_rule, load_rulebook, save_rulebook
from igual.files.sources import to_path
from igual.runs.rulebook import Rulebook


def add_rules(path: str | os.PathLike[str], book: Rulebook) -> None:
    """Add rules behind those of a rulebook file, whose text stays as it is; where there is none it is written.

    Args:
        path: The file (.toml).
        book: A rulebook of nothing but rules.

    Raises:
        RulebookError: Where the file isn't a rulebook, or isn't one any more with these rules.
        OutputError: Where it can't be written.
    """
    target = to_path(path, OutputError)
    if not os.path.lexists(target):
        save_rulebook(book, target)
        return
    load_rulebook(target)
    text = target.read_bytes().decode("utf-8-sig").rstrip()
    added = "\n".join(format_rule(rule.dump_words()) for rule in book.rules)
    with outputs() as staged:
        passing = staged.place(target)
        passing.write_text(f"{text}\n\n{added}", encoding="utf-8", newline="\n")
        with error_context(f"{target.name} with the new rules", RulebookError):
            load_rulebook(passing)
