"""Calls of any command with any of its options, and odd words in their places, as a script with a mistake gives them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from random import Random

import click

from igual.cli import igual as commands

_WORDS = (
    "", " ", "-", "--", "-1", "0", "1", "2", "99999999999999999999", "1e400", "nan", "inf", "0.5", "5%", "0x10", "١", "1_000", "true",
    "2024-05-31", "2024-99-99", "a", "species", "street", "*", "h*", "ä", "\u202e", "\udcff", "\x1b[31m", "a\nb", "a\tb", "x" * 5_000,
    "a=b", "=", "=5", "open=", "open=5%", "open=-1", "[", "(", "{a}", "%s", "\\1", "=1+1", "value", "rows", "#",
    ".", "..", "/", "~", "/dev/null", "/dev/zero", "nothere.csv", "nodir/x.csv", "file:///x.csv", "http://127.0.0.1:9/x.csv", "TREES.CSV",
    "csv", ".csv", "utf-8", "utf-7", "idna", "base64", "out.csv", "o.xlsx", "o.parquet", "o.jsonl.gz", "o.sssom.tsv", "o.html", "o.png",
    "o.json", "o.toml",
)  # fmt: skip
_TEXTS = ("maple", "oak", "2024-05-31", "1")
_FITTING = {
    "N": ("1", "2", "5"), "FILE": ("out.csv", "o.xlsx", "o.parquet", "o.jsonl.gz", "o.sssom.tsv", "o.html", "o.json"), "LIST": ("species.csv",),
    "RULEBOOK": ("trees.toml", "o.toml"), "CROSSWALK": ("walk.csv", "walk.sssom.tsv"), "TABLE": ("trees.csv", "june.csv"), "NAME": ("species", "new"),
    "FOLDER": (".",), "N N": ("1", "2"), "KIND=N": ("open=5", "open=1%"), "RAW WANTED": ("Oak", "oak"),
}  # fmt: skip
_MEANT = {
    "rulebook": "trees.toml", "sheet": "open.csv", "old": "species.csv", "new": "species.csv", "crosswalk": "walk.csv", "do": "match",
}  # fmt: skip
_COLUMNS = ("species", "street", "condition", "notes", "tree")


def make_arguments(random: Random, files: Sequence[str]) -> list[str]:
    """A call of any command but the demo, which lays out files of its own.

    Args:
        random: What chooses.
        files: The names of the files that stand where the command runs.
    """
    context = click.Context(commands)
    name = random.choice([one for one in commands.list_commands(context) if one != "demo"])
    command = commands.get_command(context, name)
    assert command is not None
    return [name, *(word for one in command.params for word in _give(random, one, files))]


def _give(random: Random, parameter: click.Parameter, files: Sequence[str]) -> Iterator[str]:
    if isinstance(parameter, click.Argument):
        times = 1 if parameter.nargs > 0 else random.choice((1, 1, 1, 2, 0))
        for _ in range(times):
            odd = random.choice(files if random.random() < 0.5 else _WORDS)
            yield odd if random.random() < 0.1 else _MEANT.get(parameter.name or "", "trees.csv")
        return
    assert isinstance(parameter, click.Option)
    while random.random() < (0.9 if parameter.required else 0.12):
        yield random.choice([*parameter.opts, *parameter.secondary_opts])
        for _ in range(0 if parameter.is_flag else parameter.nargs):
            yield _make_word(random, parameter, files)
        if not parameter.multiple:
            break


def _make_word(random: Random, option: click.Option, files: Sequence[str]) -> str:
    """A word that fits, mostly: one odd word is enough for a refusal, which hides what others would do."""
    if random.random() < 0.2:
        return random.choice(files if random.random() < 0.35 else _WORDS)
    if isinstance(option.type, click.Choice):
        return str(random.choice(list(option.type.choices)))
    if "encoding" in (option.name or ""):
        return random.choice(("utf-8", "utf-16", "latin-1"))
    return random.choice(
        _COLUMNS if "column" in (option.name or "") else _FITTING.get(option.metavar or "", _TEXTS)
    )
