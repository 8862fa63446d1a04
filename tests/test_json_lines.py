"""JSON Lines: cells of any kinds, held to Python's own reader, digit for digit."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

from igual.files.tables import read_table, write_table
from igual.text.cells import read_cells
from igual.values import value_of

CELLS = (
    '"a"', '"\\u00e9"', '""', '" x "', '"2024-05-31"', '"2024-05-31T07:05:00"', '"1.0"', '"true"', '"null"', '"a\\nb"', "1", "0", "1.0",
    "1.5", "-1.5e3", "9007199254740993", "-9007199254740993", "12345678901234567890", "0.1", "1e-7", "10000000000000000000000",
    "1e400", "true", "false", "null", "[1, 2]", '{"x": 1}', "[]", "[null]", '{"a": {"b": [1.5]}}',
)  # fmt: skip


def is_read(cell: str | None, meant: Any) -> bool:
    """Whether a value is what Python's reader makes of the cell."""
    if isinstance(meant, list | dict):
        return cell is not None and json.loads(cell) == meant
    if isinstance(meant, float):
        # Beside texts a number stays as it is written.
        return cell is not None and float(cell) == meant
    return cell == (meant if meant is None or isinstance(meant, str) else value_of(meant))


@given(
    st.sampled_from([CELLS, CELLS[10:22], CELLS[13:25], CELLS[:10], CELLS[22:]]).flatmap(
        lambda cells: st.lists(
            st.dictionaries(st.sampled_from("ab"), st.sampled_from(cells), min_size=1), min_size=1, max_size=5
        )
    )
)
def test_cells_are_those_of_the_standard_library(
    tmp_path_factory: pytest.TempPathFactory, rows: list[dict[str, str]]
) -> None:
    path = tmp_path_factory.mktemp("t") / "t.jsonl"
    lines = ["{" + ", ".join(f'"{name}": {cell}' for name, cell in row.items()) + "}" for row in rows]
    path.write_text("\n".join(lines), encoding="utf-8")
    meant = [json.loads(line) for line in lines]
    table = read_table(path)
    assert set(table.column_names) == {name for row in rows for name in row}
    for name in table.column_names:
        values = read_cells(table.column(name).combine_chunks()).values.to_pylist()
        wrong = [
            (value, row.get(name))
            for value, row in zip(values, meant, strict=True)
            if not is_read(value, row.get(name))
        ]
        assert not wrong


def test_long_whole_numbers_stay_so_over_all_blocks(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("igual.files.formats.jsonl._BLOCK", 40)
    longs = ["9007199254740993", "123456789012345678", "1"]
    for others in (["2", "3"], ["1.5", "2"], ["18446744073709551616"], ["true"]):
        cells = [*longs, *others]
        for some in (cells, cells[::-1]):
            (tmp_path / "t.jsonl").write_text("".join(f'{{"a": {cell}}}\n' for cell in some))
            column = read_table(tmp_path / "t.jsonl").column("a").combine_chunks()
            assert read_cells(column).values.to_pylist() == some
            assert str(column.type) == ("int64" if others == ["2", "3"] else "string")


def test_points_in_time_are_written_in_one_form_wherever_the_rows_are_cut(tmp_path: Path) -> None:
    points = pa.array([0, 86_400_000, 36_300_000], pa.timestamp("ms"))
    whole = pa.table({"seen": points, "day": points.cast(pa.date32(), safe=False)})
    lines = []
    for name, table in (("whole", whole), ("first", whole.slice(0, 2)), ("last", whole.slice(2))):
        write_table(table, tmp_path / f"{name}.jsonl", ".jsonl")
        lines.append((tmp_path / f"{name}.jsonl").read_text(encoding="utf-8"))
    assert lines[0] == lines[1] + lines[2]
    assert lines[1].startswith('{"seen": "1970-01-01T00:00:00", "day": "1970-01-01"}\n')
