"""The real command line in forked children: as a process of its own, without starting Python each time.

A server process imports Igual once. Each call forks it: the child gets its arguments, folder, environment and limits,
runs `igual.cli.main` as the script does, and its exit status, output, time and peak of memory come back.
"""

from __future__ import annotations

import contextlib
import json
import os
import resource
import signal
import subprocess
import sys
import tempfile
import time
import traceback
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any, NamedTuple

# What commands import when they need it, besides Igual's own modules.
_PRELOADED = (
    "numpy", "scipy.sparse", "pyarrow.csv", "pyarrow.dataset", "pyarrow.json", "pyarrow.parquet", "pydantic", "tomlkit",
    "rich.table", "rich.console", "openpyxl", "python_calamine", "jinja2", "filelock", "charset_normalizer",
)  # fmt: skip
# Igual's modules that few commands need, with the large libraries behind them.
_SELDOM = ("igual.engines.", "igual.matching.compiled", "igual.report.drawn_figure")
# What makes the parts of a file so small that small tables have many.
SMALL_PARTS = (
    ("igual.files.streams", "PART_BYTES", 700), ("igual.files.streams", "_BYTES_PER_COLUMN", 100),
    ("igual.files.formats.base", "_ENOUGH_ROWS", 16), ("igual.files.formats.jsonl", "_BLOCK", 900),
    ("igual.engines.counting", "_LEAST_WAITING", 50), ("igual.files.streams", "_COUNTED_BYTES", 700),
)  # fmt: skip
# What stands for a function of the system where files can't grow beyond a size.
FILE_SIZE = "file size"


class Done(NamedTuple):
    """What became of a call.

    Attributes:
        returncode: The exit status; negative for the signal that ended it.
        stdout: What it printed.
        printed: The same in bytes.
        stderr: What it said.
        seconds: How long it took.
        peak: The most memory it held, in bytes.
        timed_out: Whether it was killed for taking too long.
    """

    returncode: int
    stdout: str
    printed: bytes
    stderr: str
    seconds: float
    peak: int
    timed_out: bool


class ForkServer:
    """A process that runs the command line in forked children."""

    def __init__(self) -> None:
        self._process = subprocess.Popen(
            [sys.executable, __file__], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
        )

    def run(
        self,
        arguments: Sequence[str],
        folder: Path,
        *,
        env: Mapping[str, str] | None = None,
        seconds: float = 300,
        memory: int | None = None,
        kill: tuple[int, float] | None = None,
        fault: tuple[str, int, int] | None = None,
        reader_leaves: bool = False,
        given: bytes = b"",
        small_parts: bool = False,
    ) -> Done:
        """Run a command line.

        Args:
            arguments: What stands behind `igual`.
            folder: Where it runs.
            env: Its environment; None is the caller's, with UTF-8 for its streams.
            seconds: After so long it is killed.
            memory: The most address space it may take, in bytes.
            kill: A signal, and after how many seconds to send it.
            fault: A function of the system that fails, the number of the call that does, and the error's number; for
                `FILE_SIZE` that is the size in bytes beyond which no file can be written.
            reader_leaves: Whether nobody reads what it prints, as when `head` has had its line.
            given: What comes through a pipe on its standard input; without it, that is empty.
            small_parts: Whether files are read in small parts, as large ones are in large parts.

        Returns:
            What became of it.
        """
        call = {
            "arguments": [*map(os.fspath, arguments)],
            "folder": str(folder),
            "env": dict(env) if env is not None else {**os.environ, "PYTHONIOENCODING": "utf-8"},
            "seconds": seconds,
            "memory": memory,
            "kill": kill,
            "fault": fault,
            "reader_leaves": reader_leaves,
            "small_parts": small_parts,
        }
        return self._run([call], given)[0]

    def run_together(self, lines: Sequence[str], folder: Path, seconds: float = 300) -> list[Done]:
        """Run several command lines at once.

        Args:
            lines: What stands behind `igual` in each, split at spaces.
            folder: Where they run.
            seconds: After so long they are killed.

        Returns:
            What became of each.
        """
        call = {"folder": str(folder), "env": dict(os.environ), "seconds": seconds}
        return self._run([{**call, "arguments": line.split()} for line in lines])

    def _run(self, calls: Sequence[dict[str, Any]], given: bytes = b"") -> list[Done]:
        assert self._process.stdin is not None
        assert self._process.stdout is not None
        with tempfile.TemporaryDirectory() as name:
            places = [Path(name) / str(number) for number in range(len(calls))]
            for place, call in zip(places, calls, strict=True):
                place.mkdir()
                for stream, content in (("in", given), ("out", b""), ("err", b"")):
                    (place / stream).write_bytes(content)
                call["streams"] = str(place)
            self._process.stdin.write(json.dumps(calls) + "\n")
            self._process.stdin.flush()
            ended = json.loads(self._process.stdout.readline())
            return [_gather(place, one) for place, one in zip(places, ended, strict=True)]

    def close(self) -> None:
        """End the server."""
        assert self._process.stdin is not None
        assert self._process.stdout is not None
        self._process.stdin.close()
        self._process.stdout.close()
        self._process.wait()


def _gather(place: Path, ended: Mapping[str, Any]) -> Done:
    out, err = ((place / name).read_bytes() for name in ("out", "err"))
    shown, said = (text.decode("utf-8", "backslashreplace") for text in (out, err))
    return Done(ended["status"], shown, out, said, ended["seconds"], ended["peak"], ended["timed_out"])


def _serve() -> None:
    """Take calls from standard input, those of a line at once, and answer on standard output."""
    import gc
    import importlib
    import pkgutil

    import igual

    signal.signal(signal.SIGINT, signal.SIG_IGN)
    from igual.cli import forbid_pandas

    forbid_pandas()
    own = (module.name for module in pkgutil.walk_packages(igual.__path__, "igual."))
    for name in (*_PRELOADED, *(name for name in own if not name.startswith(_SELDOM))):
        importlib.import_module(name)
    # What is here for good needn't be looked through, and copied for it, in each child.
    gc.freeze()
    for line in sys.stdin:
        print(json.dumps(_run(json.loads(line))), flush=True)


def _run(calls: Sequence[Mapping[str, Any]]) -> list[dict[str, Any]]:
    started = time.monotonic()
    children = []
    for call in calls:
        child = os.fork()
        if not child:
            _become(call)
        children.append(child)
    ended: dict[int, dict[str, Any]] = {}
    sent = set()
    while len(ended) < len(children):
        for child, call in zip(children, calls, strict=True):
            passed = time.monotonic() - started
            is_late = passed > call["seconds"]
            if child in ended:
                continue
            if call.get("kill") and child not in sent and passed >= call["kill"][1]:
                os.kill(child, call["kill"][0])
                sent.add(child)
            if is_late:
                os.kill(child, signal.SIGKILL)
            is_over, status, usage = os.wait4(child, 0 if is_late else os.WNOHANG)
            if is_over:
                ended[child] = {
                    "status": os.waitstatus_to_exitcode(status),
                    "seconds": time.monotonic() - started,
                    "peak": usage.ru_maxrss * 1024,
                    "timed_out": is_late,
                }
        time.sleep(0.002)
    return [ended[child] for child in children]


def _become(call: Mapping[str, Any]) -> None:
    """Be the command from here on, as its script is."""
    status = 1
    try:
        os.chdir(call["folder"])
        place = Path(call["streams"])
        for number, path in enumerate((Path(os.devnull), place / "out", place / "err")):
            opened = os.open(path, os.O_WRONLY | os.O_CREAT if number else os.O_RDONLY, 0o600)
            os.dup2(opened, number)
            os.close(opened)
        if given := (place / "in").read_bytes():
            # As much as a pipe holds without a reader.
            read, write = os.pipe()
            os.write(write, given)
            os.close(write)
            os.dup2(read, 0)
        if call.get("reader_leaves"):
            left, opened = os.pipe()
            os.close(left)
            os.dup2(opened, 1)
        os.environ.clear()
        os.environ.update(call["env"])
        encoding, _, errors = os.environ.get("PYTHONIOENCODING", "utf-8").partition(":")
        sys.stdin = open(0, encoding=encoding, closefd=False)  # noqa: SIM115
        sys.stdout = open(1, "w", encoding=encoding, errors=errors or "strict", closefd=False)  # noqa: SIM115
        sys.stderr = open(  # noqa: SIM115
            2, "w", encoding=encoding, errors="backslashreplace", buffering=1, closefd=False
        )
        if call.get("memory"):
            resource.setrlimit(resource.RLIMIT_AS, (call["memory"], call["memory"]))
        for module, name, value in SMALL_PARTS if call.get("small_parts") else ():
            assert hasattr(sys.modules[module], name)
            setattr(sys.modules[module], name, value)
        if call.get("fault"):
            _break(*call["fault"])
        sys.argv = ["igual", *call["arguments"]]
        from igual.__main__ import main

        # The first thing that the script does: until the command line stands an interrupt is the system's.
        signal.signal(signal.SIGINT, signal.SIG_DFL)
        main()
        status = 0
    except SystemExit as error:
        status = error.code if isinstance(error.code, int) else int(error.code is not None)
    except BaseException:
        traceback.print_exc()
    finally:
        with contextlib.suppress(BaseException):
            sys.stderr.flush()
        try:
            sys.stdout.flush()
        except BaseException:
            status = 120
        os._exit(status)


def _break(name: str, number: int, code: int) -> None:
    """Let one call of a function of the system fail, or every write beyond a size of files."""
    if name == FILE_SIZE:
        resource.setrlimit(resource.RLIMIT_FSIZE, (number, number))
        return
    real, count = getattr(os, name), [0]

    def call(*given: Any, **more: Any) -> Any:
        count[0] += 1
        if count[0] != number:
            return real(*given, **more)
        if name == "close":
            real(*given, **more)
        raise OSError(code, os.strerror(code))

    setattr(os, name, call)


if __name__ == "__main__":
    _serve()
