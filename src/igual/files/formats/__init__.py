"""Formats of table files, one module each: what stands in this package is read and written everywhere."""

from __future__ import annotations

import importlib
import pkgutil
from collections.abc import Mapping
from functools import cache

from igual.files.formats.base import Format

# In the order in which messages list their endings; others come after.
_IN_ORDER = ("text", "jsonl", "parquet", "ipc", "xlsx", "ods")


@cache
def find_formats() -> Mapping[str, Format]:
    """Find the formats that there are.

    Returns:
        Ending, in lower case, to format.
    """
    names = [module.name for module in pkgutil.iter_modules(__path__) if module.name != "base"]
    ordered = [name for name in dict.fromkeys([*_IN_ORDER, *sorted(names)]) if name in names]
    formats = [importlib.import_module(f"{__name__}.{name}").FORMAT for name in ordered]
    return {ending: format_ for format_ in formats for ending in format_.endings}
