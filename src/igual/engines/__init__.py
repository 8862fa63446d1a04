"""How tables of each kind get in and out; one file per kind, the same functions in each."""

from igual.engines.base import (
    CleanColumn,
    Engine,
    OutputType,
    Source,
    find_engine,
    open_table,
    read_values,
    wrap_values,
)

__all__ = [
    "CleanColumn", "Engine", "OutputType", "Source", "find_engine", "open_table", "read_values", "wrap_values",
]  # fmt: skip
