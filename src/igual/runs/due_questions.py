"""What a steward is asked about after a run, in which order, and what it was asked for."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping

from igual.matching.questions import Question
from igual.runs.account import Account
from igual.runs.open_values import OpenValue
from igual.runs.plan import Plan

RULES = "the rules"
_DIGITS = 12


def list_due_questions(account: Account) -> list[Question | OpenValue]:
    """List what is asked: kinds and groups of several values first, then single values; most rows first.

    Args:
        account: The account of a run.

    Returns:
        Questions on several values, and the values that stand in none of them.
    """
    kinds = [question for question in account.questions if len(question.members) > 1]
    asked = {key for question in kinds for key in question.keys}
    alone = [one for one in account.waiting if one.key not in asked]
    return [*kinds, *sort_waiting(alone)]


def sort_waiting(waiting: list[OpenValue]) -> list[OpenValue]:
    """Sort values that wait: most rows first."""
    return sorted(waiting, key=lambda one: (-one.rows, *one.key))


def list_choices(one: OpenValue) -> list[tuple[str, float]]:
    """List the entries that may be picked for a value.

    Args:
        one: The value.

    Returns:
        The entries and their scores, likeliest first.
    """
    return [(one.proposal, one.score), *one.runners_up] if one.proposal else []


def digest_plan(plan: Plan) -> dict[str, str]:
    """Digest the rules, and each list that values are matched to, so that what was asked for another version is known.

    Args:
        plan: The rules and what they need.

    Returns:
        What it is, 'the rules' or a list's name, to the first digits of its SHA-256.
    """
    # Which columns a pattern means differs between tables, and changes no rule.
    rules = [rule.dump_words() for rule in plan.written or [rule for _, rule in plan.rules]]
    digests = {RULES: _digest(rules)}
    for _, rule in plan.rules:
        if rule.takes_rulings:
            for need in rule.needs()[:1]:
                entries = plan.shelf.lists[need.name]
                digests[need.name] = _digest(
                    [list(entries.values), {k: list(v) for k, v in entries.aliases.items()}]
                )
    return digests


def _digest(content: object) -> str:
    written = json.dumps(content, sort_keys=True, default=str)
    return hashlib.sha256(written.encode("utf-8", "surrogatepass")).hexdigest()[:_DIGITS]


def write_made_for(digests: Mapping[str, str]) -> str:
    """Write what a sheet was made for into one text, that `find_outdated` reads again."""
    return json.dumps(digests, ensure_ascii=False)


def find_outdated(made_for: str, plan: Plan) -> list[str]:
    """Find what has changed since a sheet was made.

    Args:
        made_for: What `write_made_for` wrote into the sheet; '' where it says nothing.
        plan: The rules as they are now.

    Returns:
        'the rules', or the names of lists, that are no longer as they were; whatever can't be read has changed.
    """
    if not made_for:
        return []
    try:
        before = json.loads(made_for)
    except (ValueError, RecursionError):
        before = None
    now = digest_plan(plan)
    if not isinstance(before, dict):
        return list(now)
    return [name for name, digest in now.items() if before.get(name) != digest]
