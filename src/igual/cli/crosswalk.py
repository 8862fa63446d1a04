"""`igual crosswalk`."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

from igual.cli._options import TableSource, force_option, json_option, print_json, table_argument

if TYPE_CHECKING:
    import pyarrow as pa

    from igual.files.formats.base import OpenedTable


@click.command(short_help="Apply a crosswalk to a table, without its rulebook.")
@click.argument("crosswalk")
@table_argument
@click.option("--out", "-o", metavar="FILE", help="Write the clean table here: .csv, .parquet, …")
@force_option
@json_option
def crosswalk(crosswalk: str, table: TableSource, out: str | None, force: bool, as_json: bool) -> None:
    """Write every raw value that a crosswalk knows as it is clean, and list what it doesn't know.

    Example:  igual crosswalk may-crosswalk.csv june.csv --out clean.csv
    """
    from igual.cli._loading import open_table, report_reading
    from igual.files.crosswalks import load_crosswalk
    from igual.report import records
    from igual.report.review_views import not_known_view
    from igual.report.terminal import show, show_line
    from igual.report.wording import format_count

    walk = load_crosswalk(crosswalk)
    opened = open_table(table)
    applied = walk.apply(opened.read())
    if out is not None:
        _write(applied.table, opened, crosswalk, out, force=force)
    if as_json:
        unknown = records.to_records(applied.not_known)
        print_json({"crosswalk": crosswalk, "table": table.shown, "unknown": unknown, "written": out})
        return
    report_reading(opened)
    if applied.not_known:
        show(not_known_view(applied.not_known))
    else:
        show_line(f"every value of {format_count(len(walk.columns), 'column')} was in the crosswalk")
    show_line(f"clean table: {out}" if out else "The table itself was not written: --out FILE does that.")


def _write(clean: pa.Table, opened: OpenedTable, walk: str, out: str, *, force: bool) -> None:
    from pathlib import Path

    from igual.files.existing import NewFile, refuse_to_replace
    from igual.files.formats.base import TextStyle
    from igual.files.outputs import outputs
    from igual.files.tables import checked_ending, write_table

    ending = checked_ending(out)
    with outputs([*opened.files, Path(walk)]) as staged:
        place = staged.place(out)
        if not force:
            refuse_to_replace(out, NewFile("table", tuple(clean.column_names)))
        write_table(clean, place, ending, TextStyle(opened.dialect))
