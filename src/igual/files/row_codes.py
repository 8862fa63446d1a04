"""Which combination each row of a table file has, and where cells end, kept in a passing file between two passes.

The second pass needn't look for what the first has found. Nothing is left of the file, however the run ends.
"""

from __future__ import annotations

import contextlib
import os
import tempfile
import threading
import weakref
from array import array
from pathlib import Path
from typing import IO, Any

import numpy as np
import numpy.typing as npt

from igual.column import Codes
from igual.engines.combinations import CHANGED
from igual.errors import TableError
from igual.files.formats.base import Layout

_PLACE = np.dtype(np.int32)
_BUFFER = 1 << 20


class RowCodes:
    """Keeps, part by part, the combinations of the rows, and what saves finding their cells once more.

    Of each part it holds how its rows number the combinations of the part, and, when that is known, the places of these
    among all. In memory there are only a few numbers for each part.

    Args:
        folder: Where the passing file is made.
        groups: How many groups of columns were counted.

    Raises:
        OSError: Where no file can be made there.
    """

    def __init__(self, folder: Path, groups: int) -> None:
        self._file = tempfile.TemporaryFile(buffering=_BUFFER, dir=folder)  # noqa: SIM115
        weakref.finalize(self, _close, self._file)
        self._is_whole = hasattr(os, "pread")
        self._written = 0
        self._one_by_one = threading.Lock()
        self._rows = array("q")
        # For each part: where its layout begins, how many numbers it has (0: it has none), and how large these are.
        self._layouts = (array("q"), array("q"), array("b"))
        # By group, for each part: how many combinations it has, and where its codes and its places begin.
        self._counts = [array("q") for _ in range(groups)]
        self._codes = [array("q") for _ in range(groups)]
        self._places = [array("q") for _ in range(groups)]

    def add(self, rows: int, codes: list[tuple[Codes, int]], layout: Layout | None) -> None:
        """Keep the next part.

        Args:
            rows: How many rows it has.
            codes: For each group, for each row the number of its combination in the part, (rows,); and how many
                combinations these are.
            layout: What saves finding its cells once more, if anything does.
        """
        self._rows.append(rows)
        kept = np.zeros(0, np.uint8) if layout is None else layout.astype(_smallest(int(layout.max()) + 1))
        told = (self._write(kept), len(kept), kept.itemsize)
        for column, number in zip(self._layouts, told, strict=True):
            column.append(number)
        for group, (numbers, count) in enumerate(codes):
            self._counts[group].append(count)
            self._codes[group].append(self._write(numbers.astype(_smallest(count), copy=False)))

    def place(self, group: int, places: Codes) -> None:
        """Keep the places of the combinations of the next part of a group among all, (combinations,)."""
        self._places[group].append(self._write(places.astype(_PLACE, copy=False)))

    def _write(self, numbers: npt.NDArray[np.integer]) -> int:
        # Places of several groups may be told at a time.
        with self._one_by_one:
            return self._write_next(numbers)

    def _write_next(self, numbers: npt.NDArray[np.integer]) -> int:
        start = self._written
        if self._is_whole:
            try:
                self._file.write(numbers.tobytes())
            except OSError:
                # Without it, all is done as before, only slower.
                self._is_whole = False
        self._written += numbers.nbytes
        return start

    def finish(self) -> bool:
        """Write what waits to be written.

        Returns:
            Whether all could be kept.
        """
        with contextlib.suppress(OSError):
            self._file.flush()
            return self._is_whole
        return False

    def find(self, part: int, rows: int, group: int) -> tuple[Codes, Codes]:
        """Give the combinations of a part. Several threads may do so at once.

        Args:
            part: Its number, from 0.
            rows: How many rows it has now.
            group: The number of the group.

        Returns:
            For each row the number of its combination in the part, (rows,); and the places of these among all,
            (combinations,).

        Raises:
            TableError: Where the part had other rows.
        """
        if part >= len(self._rows) or rows != self._rows[part]:
            raise TableError(CHANGED)
        count = self._counts[group][part]
        codes = self._read(self._codes[group][part], rows, np.dtype(_smallest(count)))
        return codes, self._read(self._places[group][part], count, _PLACE)

    def find_layout(self, part: int) -> Layout | None:
        """Give the layout of a part that was kept, if there is one."""
        if part >= len(self._rows):
            return None
        start, count, size = (column[part] for column in self._layouts)
        return self._read(start, count, np.dtype(f"u{size}")) if count else None

    def _read(self, start: int, count: int, kind: np.dtype[Any]) -> Any:
        data = os.pread(self._file.fileno(), count * kind.itemsize, start)
        return np.frombuffer(data, kind)


def _close(file: IO[bytes]) -> None:
    # On a full disk, what waits to be written still does.
    with contextlib.suppress(OSError):
        file.close()


def _smallest(count: int) -> type[np.unsignedinteger]:
    """The smallest numbers that tell so many things apart."""
    return np.uint8 if count <= 1 << 8 else np.uint16 if count <= 1 << 16 else np.uint32
