"""Pages as HTML: templates that escape whatever they are given, with our own style and script inside the page."""

from __future__ import annotations

import base64
import hashlib
import json
from collections.abc import Sequence
from functools import lru_cache
from importlib.resources import files
from typing import Any

from jinja2 import Environment, PackageLoader, StrictUndefined
from markupsafe import Markup

from igual.report.pages.parts import Page
from igual.text.characters import escape_unseen


@lru_cache(maxsize=1)
def _environment() -> Environment:
    loader = PackageLoader("igual.report.pages")
    environment = Environment(
        loader=loader, autoescape=True, undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True
    )
    environment.filters["embed"] = embed
    return environment


@lru_cache(maxsize=8)
def _load(name: str) -> str:
    return files("igual.report.pages").joinpath("templates", name).read_text(encoding="utf-8")


def _hash(text: str) -> str:
    return base64.b64encode(hashlib.sha256(text.encode()).digest()).decode()


def render(template: str, styles: Sequence[str], script: str, **given: Any) -> str:
    """Render a page that allows only its own style and script, and loads nothing.

    Args:
        template: The name of the template.
        styles: The names of the style sheets.
        script: The name of the script.
        given: What the template is about; all of it is escaped.

    Returns:
        The HTML.
    """
    css, code = "".join(map(_load, styles)), _load(script)
    policy = (
        f"default-src 'none'; style-src 'sha256-{_hash(css)}'; script-src 'sha256-{_hash(code)}'; "
        "base-uri 'none'; form-action 'none'"
    )
    # Ours, from the package: nothing of the data is in them.
    return (
        _environment()
        .get_template(template)
        .render(policy=policy, style=Markup(css), script=Markup(code), **given)  # noqa: S704
    )


def embed(data: Any) -> Markup:
    """Write data as JSON that can stand in a page: nothing in it can end the element that holds it.

    Args:
        data: What JSON can hold.

    Returns:
        The JSON, safe within a script element.
    """
    written = json.dumps(data, ensure_ascii=False, separators=(",", ":"))
    for character in "<>&\u2028\u2029":
        written = written.replace(character, f"\\u{ord(character):04x}")
    return Markup(escape_unseen(written))  # noqa: S704


def render_page(page: Page) -> str:
    """Render a page.

    Args:
        page: The page.

    Returns:
        The HTML, one file with nothing to fetch.
    """
    return render("page.html", ("page.css",), "page.js", page=page)
