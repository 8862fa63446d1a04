"""Build the docs site from README.md, docs/ and the files that they link to; broken links fail."""

from __future__ import annotations

import re
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

ROOT = Path(__file__).parent.parent
# As people work: first look, then decide, then read up, then work on Igual itself.
BOOK = {
    "Igual": "index.md",
    "Tutorial": "tutorial.md",
    "Deciding once": "deciding.md",
    "Tables": "tables.md",
    "Files": "files.md",
    "Command line": "command-line.md",
    "How matching works": "matching.md",
    "Scaling": "scaling.md",
    "Reference": "reference.md",
    "Architecture": "architecture.md",
    "Extending": "extending.md",
    "Contributing": "CONTRIBUTING.md",
    "Security": "SECURITY.md",
    "Changelog": "CHANGELOG.md",
}
# Nothing is fetched while a page is read: no highlighter and no fonts from elsewhere.
SETTINGS = """
site_name: Igual
docs_dir: pages
site_dir: {site}
use_directory_urls: false
theme: {{name: mkdocs, highlightjs: false, color_mode: auto}}
validation: {{links: {{not_found: warn, anchors: warn, unrecognized_links: warn}}}}
nav:
{nav}
"""


def gather(pages: Path) -> None:
    """Put the pages into one folder, with links that hold there."""
    shutil.copytree(ROOT / "docs", pages)
    shutil.copytree(
        ROOT / "examples", pages / "examples", ignore=shutil.ignore_patterns("__pycache__", "port")
    )
    for name in ("README.md", "CONTRIBUTING.md", "SECURITY.md", "CHANGELOG.md", "LICENSE"):
        text = (ROOT / name).read_text(encoding="utf-8")
        text = re.sub(r"\]\((?:docs/)", "](", text)
        (pages / ("index.md" if name == "README.md" else name)).write_text(text, encoding="utf-8")
    for page in pages.glob("*.md"):
        text = page.read_text(encoding="utf-8").replace("](../", "](").replace("](README.md", "](index.md")
        for linked in re.findall(r"\]\((src/[^)#]+)", text):
            (pages / linked).parent.mkdir(parents=True, exist_ok=True)
            shutil.copy(ROOT / linked, pages / linked)
        page.write_text(text, encoding="utf-8")


def main() -> None:
    site = Path(sys.argv[1] if len(sys.argv) > 1 else ROOT / "build" / "site").resolve()
    with tempfile.TemporaryDirectory() as folder:
        gather(Path(folder, "pages"))
        nav = "\n".join(f"  - {title}: {page}" for title, page in BOOK.items())
        settings = Path(folder, "mkdocs.yml")
        settings.write_text(SETTINGS.format(site=site, nav=nav), encoding="utf-8")
        subprocess.run(
            [sys.executable, "-m", "mkdocs", "build", "--quiet", "--strict", "-f", settings], check=True
        )
    print(f"{site}/index.html")


if __name__ == "__main__":
    main()
