"""Tables that are in order and written as oddly as their formats allow, and outputs read without Igual."""

from __future__ import annotations

import csv
import gzip
import io
import json
import zipfile
from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path
from random import Random
from xml.sax.saxutils import escape

import pyarrow as pa
from pyarrow import parquet

from igual.files.quotes import csv_of_any_size

_DELIMITERS = {".csv": ",;|\t", ".tsv": "\t"}
_ENDS = ("\n", "\r\n", "\r")
_ENCODINGS = ("utf-8",) * 5 + ("utf-8-sig", "utf-16", "utf-32")
OUTPUTS = (".csv", ".csv", ".tsv", ".csv.gz", ".jsonl", ".parquet", ".arrow")
Table = Mapping[str, Sequence[str]]


def write_oddly(random: Random, folder: Path, table: Table) -> tuple[str, str]:
    """Write a table in one of many ways that all mean the same; gives the name of its file and its delimiter."""
    ending = random.choice((".csv", ".csv", ".csv", ".tsv", ".jsonl"))
    delimiter = random.choice(_DELIMITERS.get(ending, ","))
    content = (
        _lay_out_lines(random, table) if ending == ".jsonl" else _lay_out_cells(random, table, delimiter)
    )
    if random.random() < 0.1:
        content, ending = gzip.compress(content, mtime=0), f"{ending}.gz"
    (folder / f"t{ending}").write_bytes(content)
    return f"t{ending}", delimiter


def _lay_out_cells(random: Random, table: Table, delimiter: str) -> bytes:
    quoted = random.choice((0.0, 0.1, 0.5, 1.0))
    ends = [random.choice(_ENDS)] if random.random() < 0.8 else _ENDS

    def cell(text: str) -> str:
        needs = text.startswith('"') or not {delimiter, "\r", "\n"}.isdisjoint(text)
        return '"' + text.replace('"', '""') + '"' if needs or random.random() < quoted else text

    rows = [[*table], *zip(*table.values(), strict=True)]
    text = "".join(delimiter.join(map(cell, row)) + random.choice(ends) for row in rows)
    if random.random() < 0.2:
        text = text.removesuffix("\n").removesuffix("\r")
    if random.random() < 0.1:
        text = f"sep={delimiter}{ends[0]}{text}"
    return (random.choice(ends) * random.choice((0, 0, 0, 1, 2)) + text).encode(random.choice(_ENCODINGS))


def _lay_out_lines(random: Random, table: Table) -> bytes:
    dense, plain = random.random() < 0.5, random.random() < 0.5
    end = random.choice(("\n", "\r\n"))
    names = [*table]

    def line(cells: Sequence[str]) -> str:
        fields = [(name, cell) for name, cell in zip(names, cells, strict=True) if cell or dense]
        # The first row names every column in its order; in others they may stand anywhere.
        return json.dumps(dict(fields), ensure_ascii=plain, separators=(",", ":") if dense else None)

    rows = [*zip(*table.values(), strict=True)]
    first = json.dumps(dict(zip(names, rows[0], strict=True)))
    return (end.join([first, *map(line, rows[1:])]) + random.choice(("", end))).encode()


def read_plainly(path: Path, delimiter: str) -> list[dict[str, str]]:
    """The rows of an output, as other programs read them; a missing cell is ''.

    Text tables are written in the manner of the input, but for a tab, which .tsv says.
    """
    kind = path.name.removeprefix(path.name.split(".")[0]).removesuffix(".gz")
    content = gzip.decompress(path.read_bytes()) if path.suffix == ".gz" else path.read_bytes()
    if kind in (".parquet", ".arrow"):
        rows = read_columns(path).to_pylist()
    elif kind == ".jsonl":
        rows = [json.loads(line) for line in content.decode().split("\n") if line]
    else:
        text = io.StringIO(content.decode("utf-8-sig"), newline="")
        comma = delimiter if delimiter != "\t" else ","
        with csv_of_any_size():
            rows = [*csv.DictReader(text, delimiter="\t" if kind == ".tsv" else comma, strict=True)]
    return [{name: "" if cell is None else str(cell) for name, cell in row.items()} for row in rows]


def read_columns(path: Path) -> pa.Table:
    """A Parquet or Arrow file, as other programs read it."""
    if path.suffix == ".parquet":
        return parquet.read_table(path)
    is_file = path.read_bytes().startswith(b"ARROW1")
    return (pa.ipc.open_file if is_file else pa.ipc.open_stream)(path).read_all()


def write_ods(path: Path, rows: Iterable[Sequence[str]]) -> None:
    """A spreadsheet with one sheet, as the OpenDocument format has it at the least."""

    def cell(text: str) -> str:
        return (
            f'<table:table-cell office:value-type="string"><text:p>{escape(text)}</text:p></table:table-cell>'
        )

    body = "".join(f"<table:table-row>{''.join(map(cell, row))}</table:table-row>" for row in rows)
    names = "".join(
        f' xmlns:{name}="urn:oasis:names:tc:opendocument:xmlns:{name}:1.0"'
        for name in ("office", "table", "text")
    )
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as packed:
        kind = "application/vnd.oasis.opendocument.spreadsheet"
        packed.writestr("mimetype", kind, zipfile.ZIP_STORED)
        packed.writestr(
            "META-INF/manifest.xml",
            '<manifest:manifest xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0">'
            f'<manifest:file-entry manifest:full-path="/" manifest:media-type="{kind}"/></manifest:manifest>',
        )
        packed.writestr(
            "content.xml",
            f'<?xml version="1.0" encoding="UTF-8"?><office:document-content{names}><office:body><office:spreadsheet>'
            f'<table:table table:name="trees">{body}</table:table></office:spreadsheet></office:body>'
            "</office:document-content>",
        )
