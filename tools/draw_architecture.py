"""Draw docs/architecture.svg from the real imports: floors, rooms, and how many imports go from room to room."""

from __future__ import annotations

import ast
import sys
from collections import Counter
from pathlib import Path

ROOT = Path(__file__).parent.parent
SOURCE = ROOT / "src" / "igual"
FLOORS = (
    ("cli", "demo"),
    ("api", "starting"),
    ("files", "engines.sql", "engines.spark", "engines.readers"),
    ("report",),
    ("learning",),
    ("runs",),
    ("looking",),
    ("rules",),
    ("engines",),
    ("matching",),
    ("conditions", "decisions", "rulings", "sheet_columns"),
    ("text", "lists"),
    ("errors", "values", "threads", "pieces", "hashing", "distinct", "column", "settings", "display"),
)
WIDTH, HEIGHT, GAP = 1_650, 34, 14


def room_of(module: str) -> str | None:
    rooms = [room for floor in FLOORS for room in floor if module == room or module.startswith(f"{room}.")]
    return max(rooms, key=len, default=None)


def count_imports() -> tuple[Counter[str], Counter[tuple[str, str]]]:
    """Lines of code of each room, and imports from room to room."""
    lines: Counter[str] = Counter()
    imports: Counter[tuple[str, str]] = Counter()
    for path in sorted(SOURCE.rglob("*.py")):
        room = room_of(".".join(path.relative_to(SOURCE).with_suffix("").parts).removesuffix(".__init__"))
        if room is None:
            continue
        text = path.read_text(encoding="utf-8")
        lines[room] += len(text.splitlines())
        for node in ast.walk(ast.parse(text)):
            if isinstance(node, ast.ImportFrom) and (node.module or "").startswith("igual."):
                target = room_of((node.module or "").removeprefix("igual."))
                if target is not None and target != room:
                    imports[room, target] += 1
    return lines, imports


def draw() -> str:
    lines, imports = count_imports()
    parts, places = [], {}
    for number, floor in enumerate(FLOORS):
        top = 10 + number * (HEIGHT + GAP)
        width = (WIDTH * 0.6 - 20 - (len(floor) - 1) * GAP) / len(floor)
        for at, room in enumerate(floor):
            left = 10 + at * (width + GAP)
            places[room] = left + width, top + HEIGHT / 2
            used = ", ".join(
                f"{target} {count}" for (source, target), count in imports.most_common() if source == room
            )
            parts.append(
                f'<rect x="{left:.0f}" y="{top}" width="{width:.0f}" height="{HEIGHT}" fill="#e8eef7" stroke="#57a"/>'
                f'<text x="{left + 8:.0f}" y="{top + 22}" font-size="14">{room}/ '
                f'<tspan fill="#667" font-size="11">{lines[room]:,} lines</tspan></text>'
            )
            if at == len(floor) - 1:
                parts.append(
                    f'<text x="{left + width + 12:.0f}" y="{top + 21}" font-size="10" fill="#445">'
                    f"imports {used or 'nothing'}</text>"
                )
    height = 10 + len(FLOORS) * (HEIGHT + GAP)
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{WIDTH + 260}" height="{height}" '
        f'font-family="sans-serif"><rect width="100%" height="100%" fill="white"/>{"".join(parts)}</svg>\n'
    )


if __name__ == "__main__":
    target = Path(sys.argv[1]) if len(sys.argv) > 1 else ROOT / "docs" / "architecture.svg"
    target.write_text(draw(), encoding="utf-8")
