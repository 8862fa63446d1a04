"""`igual demo`."""

from __future__ import annotations

import click


@click.command(short_help="Lay out sample data, and show how Igual works.")
@click.argument("folder", default="igual-demo")
def demo(folder: str) -> None:
    """Lay out the sample data in FOLDER (default: igual-demo), and show on it how Igual works.

    Example:  igual demo trees
    """
    from pathlib import Path

    from igual.demo.layout import lay_out
    from igual.demo.story import tell_story

    tell_story(lay_out(Path(folder)))
