"""Pages as HTML: templates that escape whatever they are given, with our own style and script inside the page."""

from __future__ import annotations

import base64
import hashlib
from functools import lru_cache
from importlib.resources import files
from typing import Any

from jinja2 import Environment, PackageLoader, StrictUndefined
from markupsafe import Markup

from igual.report.pages.parts import Page


@lru_cache(maxsize=1)
def _environment() -> Environment:
    loader = PackageLoader("igual.report.pages")
    return Environment(
        loader=loader, autoescape=True, undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True
    )


@lru_cache(maxsize=8)
def _load(name: str) -> str:
    return files("igual.report.pages").joinpath("templates", name).read_text(encoding="utf-8")


def _hash(text: str) -> str:
    return base64.b64encode(hashlib.sha256(text.encode()).digest()).decode()


def render(template: str, style: str, script: str, **given: Any) -> str:
    """Render a page that allows only its own style and script, and loads nothing.

    Args:
        template: The name of the template.
        style: The name of the style sheet.
        script: The name of the script.
        given: What the template is about; all of it is escaped.

    Returns:
        The HTML.
    """
    css, code = _load(style), _load(script)
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


def render_page(page: Page) -> str:
    """Render a page.

    Args:
        page: The page.

    Returns:
        The HTML, one file with nothing to fetch.
    """
    return render("page.html", "page.css", "page.js", page=page)
