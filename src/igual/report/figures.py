"""Results as figures with Matplotlib, in the colours of the pages; readable in grey."""

from __future__ import annotations

import itertools
from collections.abc import Iterable, Mapping, Sequence
from typing import TYPE_CHECKING, Any, cast

import numpy as np

from igual.errors import IgualError, TableError
from igual.looking.survey import Survey
from igual.looking.tally import Tally
from igual.matching.matched import STATUSES
from igual.matching.matches import Matches
from igual.report.pages.flows import shorten
from igual.report.wording import format_count
from igual.runs.crosswalk import Crosswalk
from igual.runs.outcome import Outcome

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

ACCENT, QUIET, DUE, INK, PAPER = "#6b3a7d", "#c9c5bc", "#d98a4a", "#20242c", "#ffffff"
_COLOURS = {"settled": ACCENT, "open": DUE, "unknown": QUIET}
# What tells lines apart in grey as well.
_LINES = list(itertools.product(("-", "--", ":", "-."), (ACCENT, DUE, "#4a7a8c", INK)))
_INCHES_PER_BAR, _HEAD = 0.27, 0.9
# A few bars don't fill a whole figure.
_FEWEST = 6
_MOST_BARS, _MOST_LINES, _BINS = 40, 8, 20


def _begin(ax: Axes | None, bars: int, width: float = 8.0) -> tuple[Figure, Axes]:
    """Axes to draw on: those that are given, or those of a new figure that has room for so many bars."""
    if ax is not None:
        return cast("Figure", ax.figure), ax
    try:
        from igual.report.drawn_figure import DrawnFigure
    except ImportError:
        raise IgualError("figures require the extra 'figures': pip install 'igual[figures]'") from None
    figure = DrawnFigure(
        figsize=(width, _HEAD + _INCHES_PER_BAR * max(bars, _FEWEST)), layout="constrained", facecolor=PAPER
    )
    return figure, figure.add_subplot()


def _room(ax: Axes | None) -> int:
    """How many bars given axes have room for."""
    if ax is None:
        return _MOST_BARS
    inches = ax.get_window_extent().height / ax.figure.dpi
    return max(int(inches / _INCHES_PER_BAR), 3)


def _finish(ax: Axes, title: str, across: str) -> None:
    ax.set_title(title, loc="left", color=INK, fontsize=11, parse_math=False)
    ax.set_xlabel(across, color=INK)
    ax.spines[["top", "right"]].set_visible(False)
    ax.tick_params(colors=INK, labelsize=9)


def _add_legend(ax: Axes) -> None:
    """Say above the axes what the kinds of bars are, where no bar lies under it."""
    ax.legend(
        frameon=False, fontsize=8, loc="lower right", bbox_to_anchor=(1.0, 1.0), borderaxespad=0.1, ncols=2
    )


def _label(ax: Axes, names: Iterable[str | None]) -> None:
    """Name bars from top to bottom; nothing in a name is taken for mathematics."""
    labels = [shorten(name) for name in names]
    ax.set_yticks(range(len(labels)), labels, parse_math=False)
    ax.set_ylim(max(len(labels), _FEWEST) - 0.4, -0.6)


def _label_bars(ax: Axes, places: Sequence[float], texts: Sequence[str]) -> None:
    """A text behind the end of each bar."""
    room = max(places, default=1) or 1
    for row, (place, text) in enumerate(zip(places, texts, strict=True)):
        ax.text(place + 0.01 * room, row, text, va="center", fontsize=8, color=INK, parse_math=False)
    ax.margins(x=0.16)


def draw_survey(survey: Survey, ax: Axes | None = None) -> Figure:
    """Draw how full each column is, with its distinct values and what is odd about it."""
    columns = survey.surveyed[: _room(ax)]
    figure, ax = _begin(ax, len(columns))
    rows = np.array([max(one.rows, 1) for one in columns])
    empty = np.array([one.missing + one.blank for one in columns])
    full = 100 * (rows - empty) / rows
    ax.barh(range(len(columns)), full, color=ACCENT, label="filled")
    ax.barh(
        range(len(columns)),
        100 - full,
        left=full,
        color=QUIET,
        hatch="//",
        edgecolor=PAPER,
        label="blank or missing",
    )
    said = [
        f"{format_count(one.distinct, 'value')}" + (f", {len(one.oddities)} odd" if one.oddities else "")
        for one in columns
    ]
    _label(ax, [one.name for one in columns])
    _label_bars(ax, [100.0] * len(columns), said)
    left = len(survey.surveyed) - len(columns)
    more = f", of which {len(columns)} are drawn" if left else ""
    size = f"{format_count(survey.rows, 'row')}, {format_count(len(survey.surveyed), 'column')}{more}"
    _finish(ax, size, "share of rows, %")
    ax.set_xlim(0, 135)
    ax.set_xticks([0, 25, 50, 75, 100])
    _add_legend(ax)
    return figure


def draw_tally(tally: Tally, ax: Axes | None = None, beside: Tally | None = None) -> Figure:
    """Draw how many rows each value has; beside another tally, both, value by value."""
    most = min(tally.top or _MOST_BARS, _room(ax) // (1 if beside is None else 2))
    names: list[str | None] = tally.counts["value"].to_pylist()
    rows: dict[str | None, int] = dict(zip(names, tally.counts["rows"].to_pylist(), strict=True))
    others: dict[str | None, int] = {}
    if beside is not None:
        others = dict(zip(beside.counts["value"].to_pylist(), beside.counts["rows"].to_pylist(), strict=True))
        names += [name for name in others if name not in rows]
        names.sort(key=lambda name: -max(rows.get(name, 0), others.get(name, 0)))
    shown = names[:most]
    figure, ax = _begin(ax, len(shown) * (1 if beside is None else 2))
    counts = [rows.get(name, 0) for name in shown]
    places = np.arange(len(shown))
    if beside is None:
        ax.barh(places, counts, color=ACCENT)
        _label_bars(ax, counts, [f"{count:,}" for count in counts])
    else:
        ax.barh(places - 0.2, counts, height=0.38, color=QUIET, hatch="//", edgecolor=PAPER, label="this one")
        ax.barh(
            places + 0.2,
            [others.get(name, 0) for name in shown],
            height=0.38,
            color=ACCENT,
            label="the other",
        )
        _add_legend(ax)
    _label(ax, shown)
    left = len(names) - len(shown)
    more = f"; {format_count(left, 'more value')} not drawn" if left else ""
    _finish(ax, f"{format_count(len(tally.counts), 'distinct value')}{more}", "rows")
    return figure


def draw_matches(matches: Matches, ax: Axes | None = None, truth: Mapping[str, str] | None = None) -> Figure:
    """Draw the scores by status; with the truth, how many proposals are right at each score."""
    figure, ax = _begin(ax, 14)
    matched = matches.matched
    edges = np.linspace(0, 1, _BINS + 1)
    if truth is None:
        parts = [matched.score[matched.status == number] for number in range(len(STATUSES))]
        look: Any = {
            "color": [_COLOURS[status] for status in STATUSES],
            "label": list(STATUSES),
            "edgecolor": PAPER,
        }
        ax.hist(parts, bins=edges.tolist(), stacked=True, **look)
        for patch in ax.patches[_BINS : 2 * _BINS]:
            patch.set_hatch("//")
        ax.set_ylabel("values", color=INK)
        ax.legend(frameon=False, fontsize=8)
        _finish(ax, f"Scores of {format_count(len(matched.score), 'value')}", "score")
        return figure
    names = [*matches.names, ""]
    known = [
        (float(matched.score[place]), names[matched.entry[place]] == truth[value])
        for place, value in enumerate(matched.values.to_pylist())
        if value in truth
    ]
    if not known:
        raise TableError("the truth has none of the values")
    scores, right = np.array(known, np.float64).T
    bins = np.minimum((scores * _BINS).astype(int), _BINS - 1)
    counts = np.bincount(bins, minlength=_BINS)
    filled = counts > 0
    shares = np.bincount(bins, right, _BINS)[filled] / counts[filled]
    means = np.bincount(bins, scores, _BINS)[filled] / counts[filled]
    ax.plot([0, 1], [0, 1], color=QUIET, linestyle="--", label="as sure as right")
    ax.scatter(
        means, shares, s=20 + 180 * counts[filled] / counts.max(), color=ACCENT, label="values, by how many"
    )
    ax.set_ylabel("share that is right", color=INK)
    ax.set_ylim(-0.03, 1.05)
    ax.legend(frameon=False, fontsize=8, loc="upper left")
    _finish(ax, f"Reliability of {format_count(len(known), 'score')}", "score")
    return figure


def draw_outcome(outcome: Outcome, ax: Axes | Sequence[Axes] | None = None) -> Figure:
    """Draw how many distinct values each rule leaves of what it met, and what is open by column."""
    waiting: dict[str, int] = {}
    for one in outcome.account.open:
        waiting[one.column] = waiting.get(one.column, 0) + 1
    stages = [
        (
            f"{stage.number} {stage.rule.do}, {stage.target}",
            len(stage.before.unique()),
            len(stage.after.unique()),
        )
        for stage in outcome.account.stages
    ]
    if ax is None:
        figure, first = _begin(None, len(stages[:_MOST_BARS]) + 2, 11.0 if waiting else 8.0)
        second = None
        if waiting:
            figure.clear()
            first, second = figure.subplots(1, 2, width_ratios=(2, 1))
    else:
        given = list(ax) if isinstance(ax, Sequence | np.ndarray) else [ax]
        first, second = given[0], given[1] if len(given) > 1 else None
        figure = cast("Figure", first.figure)
    shown = stages[: _MOST_BARS if ax is None else _room(first)]
    places = np.arange(len(shown))
    before = [one[1] for one in shown]
    after = [one[2] for one in shown]
    first.barh(places, before, color=QUIET, hatch="//", edgecolor=PAPER, label="met by the rule")
    first.barh(places, after, height=0.5, color=ACCENT, label="left by it")
    _label(first, [one[0] for one in shown])
    _label_bars(
        first,
        before,
        [f"{old:,} → {new:,}" if old != new else f"{old:,}" for old, new in zip(before, after, strict=True)],
    )
    _add_legend(first)
    left = len(stages) - len(shown)
    _finish(
        first,
        "Distinct values" + (f"; {format_count(left, 'more rule')} not drawn" if left else ""),
        "distinct values",
    )
    if second is not None:
        second.barh(range(len(waiting)), list(waiting.values()), color=DUE, hatch="//", edgecolor=PAPER)
        _label(second, waiting)
        _label_bars(second, list(waiting.values()), [f"{count:,}" for count in waiting.values()])
        _finish(second, "What is open", "values")
    return figure


def draw_drift(
    crosswalk: Crosswalk,
    column: str,
    earlier: Mapping[str, Crosswalk],
    name: str = "now",
    ax: Axes | None = None,
) -> Figure:
    """Draw how the shares of clean values moved from run to run, and how many spellings were new each time."""
    runs = [*earlier.items(), (name, crosswalk)]
    shares: list[dict[str, float]] = []
    fresh: list[int] = []
    known: set[str | None] = set()
    for _, one in runs:
        part = one.of_column(column)
        rows: dict[str, int] = {}
        raws = set(part["raw"].to_pylist())
        for clean, count in zip(part["clean"].to_pylist(), part["rows"].to_pylist(), strict=True):
            rows[clean or ""] = rows.get(clean or "", 0) + (count or 0)
        total = sum(rows.values()) or 1
        shares.append({clean: count / total for clean, count in rows.items()})
        fresh.append(len(raws - known))
        known |= raws
    every = {clean for some in shares for clean in some}
    top = sorted(every, key=lambda clean: (-max(some.get(clean, 0.0) for some in shares), clean))[
        :_MOST_LINES
    ]
    figure, ax = _begin(ax, 16)
    for clean, (line, colour) in zip(top, _LINES, strict=False):
        ax.plot(
            range(len(runs)), [100 * some.get(clean, 0.0) for some in shares], line, color=colour, marker="o",
            label=shorten(clean) or "⟨missing⟩",
        )  # fmt: skip
    ticks = [
        f"{shorten(run, 16)}\n{format_count(count, 'new spelling')}"
        for (run, _), count in zip(runs, fresh, strict=True)
    ]
    ax.set_xticks(range(len(runs)), ticks, parse_math=False)
    ax.set_ylim(bottom=0)
    ax.set_ylabel("share of rows, %", color=INK)
    legend = ax.legend(frameon=False, fontsize=8, loc="center left", bbox_to_anchor=(1.0, 0.5))
    for text in legend.get_texts():
        text.set_parse_math(False)
    _finish(ax, f"{shorten(column)}: shares from run to run", "")
    return figure


def draw_figure(result: Any, ax: Any = None, **given: Any) -> Figure:
    """Draw the figure of a result.

    Args:
        result: The result.
        ax: Matplotlib axes to draw on; None: those of a new figure.
        given: What else its figure shows.

    Returns:
        The figure.

    Raises:
        IgualError: Where Matplotlib isn't installed.
    """
    drawers: dict[type, Any] = {
        Survey: draw_survey, Tally: draw_tally, Matches: draw_matches, Outcome: draw_outcome, Crosswalk: draw_drift,
    }  # fmt: skip
    figure: Figure = drawers[type(result)](result, ax=ax, **given)
    return figure
