"""What may be the matter with a value, in one table: the kinds, and how each is put."""

from __future__ import annotations

from typing import NamedTuple


class ValueKind(NamedTuple):
    """A kind of value that a rule, a check or a gate lists.

    Attributes:
        name: How tables, JSON and `--allow` call it.
        one: What is said of one value, such as "has no label".
        several: What is said of several, such as "have no label".
    """

    name: str
    one: str
    several: str


OPEN = ValueKind("open", "needs a decision", "need a decision")
UNLISTED = ValueKind("unlisted", "is not in the list", "are not in the list")
UNLABELLED = ValueKind("unlabelled", "has no label", "have no label")
UNREAD = ValueKind("unread", "can't be read in the stated form", "can't be read in the stated form")
UNDECIDED = ValueKind("undecided", "mentions several entries, or none", "mention several entries, or none")
RULED_OUT = ValueKind("ruled out", "is ruled not to be in the list", "are ruled not to be in the list")
