"""The program as people run it: in a folder, with an environment and three streams."""

import gc
import io
import json
import os
import re
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import timedelta
from pathlib import Path
from typing import Any

from adzeguard import clock
from adzeguard.cli.edge import run

Json = Any
_OURS = ("ADZEGUARD_PASSWORD", "ADZEGUARD_PASSWORD_FOR", "FORCE_COLOR", "COLUMNS")


@dataclass(frozen=True)
class Ran:
    """One finished run of the program."""

    code: int
    out: str
    err: str

    @property
    def json(self) -> Json:
        return json.loads(self.out)


class Program:
    """The program in one folder. A call runs it in this process, since a start costs ten times the command."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.ahead = timedelta()
        """How far its clock is ahead of the machine's; only for what runs in this process."""
        self.environment = {name: value for name, value in os.environ.items() if name not in _OURS}

    def __call__(self, *arguments: str | Path, typed: str = "") -> Ran:
        streams = _Streams(typed)
        with _standing_in(self.folder, self.environment), clock_ahead(lambda: self.ahead), streams.taken():
            try:
                code = run([str(argument) for argument in arguments])
            except SystemExit as ended:  # Click ends so after completing a word
                code = int(ended.code or 0)
        return _checked(code, *streams.said())

    def as_process(self, *arguments: str | Path, typed: str = "", timeout: float = 120) -> Ran:
        """Run it as a process of its own, where that is the point."""
        done = subprocess.run(
            [sys.executable, "-m", "adzeguard", *map(str, arguments)],
            cwd=self.folder,
            input=typed,
            capture_output=True,
            text=True,
            timeout=timeout,
            check=False,
            env=self.environment,
        )
        return _checked(done.returncode, done.stdout, done.stderr)


def enacted(program: Program) -> list[Json]:
    """Enact what is to be mended; everything is verified."""
    done = program("enact", "--yes", "--format", "json")
    assert done.out, done.err
    assert {row["status"] for row in done.json} <= {"verified"}, done.out
    rows: list[Json] = done.json
    return rows


def _checked(code: int, out: str, err: str) -> Ran:
    assert "Traceback" not in err, err
    assert "should not happen" not in err, err
    return Ran(code, out, err)


class _Streams:
    """Three streams that are no terminal, with the bytes below them that some commands read and write."""

    def __init__(self, typed: str) -> None:
        self.stdin = io.TextIOWrapper(io.BytesIO(typed.encode()), encoding="utf-8")
        self.stdout = io.TextIOWrapper(io.BytesIO(), encoding="utf-8")
        self.stderr = io.TextIOWrapper(io.BytesIO(), encoding="utf-8", errors="backslashreplace")

    @contextmanager
    def taken(self) -> Iterator[None]:
        before = sys.stdin, sys.stdout, sys.stderr
        sys.stdin, sys.stdout, sys.stderr = self.stdin, self.stdout, self.stderr
        try:
            yield
        finally:
            sys.stdin, sys.stdout, sys.stderr = before

    def said(self) -> tuple[str, str]:
        return _text(self.stdout), _text(self.stderr)


def _text(stream: io.TextIOWrapper) -> str:
    """What was written, with line ends as a reader of text gets them."""
    stream.flush()
    below = stream.buffer
    assert isinstance(below, io.BytesIO)
    return below.getvalue().decode().replace("\r\n", "\n")


@contextmanager
def _standing_in(folder: Path, environment: dict[str, str]) -> Iterator[None]:
    """Stand in a folder and an environment, and put back what the program sets for its process."""
    before, home, mask, threshold = dict(os.environ), Path.cwd(), os.umask(0o022), gc.get_threshold()
    _become(environment)
    os.chdir(folder)
    try:
        yield
    finally:
        os.chdir(home)
        _become(before)
        os.umask(mask)
        gc.set_threshold(*threshold)


@contextmanager
def clock_ahead(ahead: Callable[[], timedelta]) -> Iterator[None]:
    """Let the clock of the program be ahead of the machine's."""
    by_machine = clock.now
    clock.now = lambda: by_machine() + ahead()
    try:
        yield
    finally:
        clock.now = by_machine


def _become(environment: dict[str, str]) -> None:
    zone = os.environ.get("TZ")
    for name in os.environ.keys() - environment.keys():
        del os.environ[name]
    os.environ.update(environment)
    if os.environ.get("TZ") != zone:
        time.tzset()


def killed_after(process: "subprocess.Popen[Any]", seconds: float | None) -> int:
    """Let a process go on for a while and kill it or let it end; return its exit code."""
    try:
        return process.wait(seconds)
    except subprocess.TimeoutExpired:
        process.kill()
        return process.wait()


def insisting(program: Program, *arguments: str) -> Ran:
    """Run a command that opens a way into a privileged group again, and name the number that it asks for."""
    asked = program(*arguments)
    named = re.search(r"Give --new-reach (\d+) if", asked.err)
    assert (asked.code, bool(named)) == (1, True), asked.err
    return program(*arguments, "--new-reach", named.group(1) if named else "")


def naming_numbers(program: Program, *arguments: str) -> Ran:
    """Run a command, and again with the numbers that it asks for, if it asks for some."""
    done = program(*arguments)
    numbers = re.findall(r"Give (--new-reach|--deletions|--removals) (\d+)", done.err)
    return program(*arguments, *(part for one in numbers for part in one)) if numbers else done
