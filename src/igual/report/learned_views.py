"""What learned rules look like."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from rich.console import Group, RenderableType
from rich.text import Text

from igual.learning.columns import SEPARATOR
from igual.learning.learned import Learned
from igual.report.rule_sentences import format_chain
from igual.report.tables import Cell, draw_table, draw_text, draw_value, format_percent
from igual.report.wording import format_count, quote_value
from igual.text.characters import visible

VALUES = ("value", "rows", "wanted", "best", "next", "third")
_SHOWN_VALUES, _SHOWN_CHAINS = 8, 3


def learned_view(learned: Learned, *, asks: bool = False) -> RenderableType:
    """The best rules, what they make of some values, the next candidates, and what is in doubt.

    Args:
        learned: What was learned.
        asks: Whether the question follows, so that it needn't be told here.

    Returns:
        The view.
    """
    parts: list[RenderableType] = []
    if not learned.rules:
        parts.append(Text("Nothing is learned yet.", style="yellow"))
    else:
        best, *others = learned.rules
        parts.append(draw_text(f"Best ({format_percent(best.score)}): {format_chain(best)}", "bold"))
        parts.append(_draw_values(learned))
        rows: list[Sequence[Cell]] = [
            (format_percent(one.score), draw_text(format_chain(one))) for one in others[: _SHOWN_CHAINS - 1]
        ]
        if rows:
            parts.append(draw_table("Other candidates", ("score#", "rules"), rows))
    parts += [Text(line, style="yellow") for line in list_notes(learned, asks=asks)]
    return Group(*parts)


def format_raw(text: str | None) -> str | None:
    """A raw value, of several columns with bars between."""
    return None if text is None else text.replace(SEPARATOR, " | ")


def list_notes(learned: Learned, *, asks: bool = False) -> list[str]:
    """What a steward should know besides: an example that breaks the rules, values not taken, what is asked next."""
    notes = []
    if learned.breaks is not None:
        raw = quote_value(format_raw(learned.raw_at(learned.breaks)))
        notes.append(
            f"No rule explains the example for {raw} together with the others; pairs stand for all of them."
        )
    if learned.unexplained:
        raw = quote_value(format_raw(learned.raw_at(learned.unexplained[0])))
        notes.append(
            f"{format_count(learned.unexplained_rows, 'row')} not taken by any candidate, such as {raw}."
        )
    if learned.was_stopped:
        notes.append("The search was stopped; there may be better rules.")
    if learned.ask is not None and not asks:
        raw = quote_value(format_raw(learned.raw_at(learned.ask)))
        rows = int(learned.combined.rows[learned.combined.codes[learned.ask]])
        notes.append(f"To be surer: what is to become of {raw} ({format_count(rows, 'row')})?")
    return notes


def list_values(learned: Learned) -> list[dict[str, str | int | None]]:
    """For each distinct value its rows, what is wanted, and what the best and the next two candidates make of it."""
    texts = learned.combined.texts.to_pylist()
    made = [one.values.to_pylist() for one in learned.rules[:_SHOWN_CHAINS]]
    return [
        {
            "value": format_raw(text),
            "rows": int(learned.combined.rows[place]),
            "wanted": learned.wanted.get(place),
            "best": made[0][place] if made else None,
            "next": made[1][place] if len(made) > 1 else None,
            "third": made[2][place] if len(made) > 2 else None,
        }
        for place, text in enumerate(texts)
    ]


def _draw_values(learned: Learned) -> RenderableType:
    """A few values: those that the next candidate makes something else of, then the commonest."""
    values = learned.combined.texts
    best = learned.rules[0].values
    order = np.argsort(-learned.combined.rows, kind="stable").tolist()
    order.sort(key=lambda place: place in learned.wanted)
    rows = [
        (
            draw_value(format_raw(values[place].as_py())),
            int(learned.combined.rows[place]),
            draw_value(best[place].as_py()),
        )
        for place in order[:_SHOWN_VALUES]
    ]
    title = f"What becomes of {format_count(len(rows), 'value')} of {len(values):,}"
    return draw_table(title, ("value", "rows#", learned.target), rows)


def format_note(learned: Learned) -> str:
    """Write why learned rules are there: how many examples, and the first of them."""
    texts = learned.combined.texts
    place, wanted = next(iter(sorted(learned.wanted.items())))
    first = visible(f"{format_raw(texts[place].as_py()) or ''} → {wanted or ''}", 80, every_space=False)
    return f"learned from {format_count(len(learned.wanted), 'example')}, such as {first}"


def list_results(learned: Learned, row: int, most: int = 5) -> list[str]:
    """What the candidates make of a row, all different, the best first."""
    place = int(learned.combined.codes[row])
    made = [one.values[place].as_py() or "" for one in learned.rules]
    return list(dict.fromkeys(made))[:most]


def question_view(learned: Learned, row: int) -> RenderableType:
    """Ask what is to become of a row: the raw value, and what the candidates make of it."""
    lines = [draw_text(f"What is to become of {quote_value(format_raw(learned.raw_at(row)))}?", "bold")]
    lines += [
        Text.assemble((f"  {number}  ", "cyan"), draw_value(text))
        for number, text in enumerate(list_results(learned, row), 1)
    ]
    lines.append(Text("  a number, or what it is to become (= before a number); enter: 1; q: stop", "dim"))
    return Group(*lines)


def from_learned(learned: Learned) -> dict[str, object]:
    """What was learned, as a record: rules, values, what to ask, what breaks."""
    return {
        "rules": [
            {"score": one.score, "sentence": one.sentence, "rules": [rule.dump_words() for rule in one.rules]}
            for one in learned.rules
        ],
        "values": list_values(learned),
        "ask": None
        if learned.ask is None
        else {
            "value": format_raw(learned.raw_at(learned.ask)),
            "results": list_results(learned, learned.ask),
        },
        "breaks": None if learned.breaks is None else format_raw(learned.raw_at(learned.breaks)),
        "unexplained_rows": learned.unexplained_rows,
    }
