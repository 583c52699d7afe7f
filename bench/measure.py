"""Timing, and how a figure stands beside its bar."""

import resource
import subprocess
import sys
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from statistics import median
from typing import Final

IDLE_FLOOR: Final = 0.195
"""CPU seconds of a program that imports Click and NumPy on an idle core of the test machine."""


@dataclass(frozen=True)
class Measured:
    """One figure. `bar` is the most that it may be, or the least where `at_least`."""

    what: str
    at: str
    value: float
    unit: str
    bar: float
    at_least: bool = False
    floor: float = 0
    """CPU seconds that the imports of any look cost in the same minute; 0 where that is not beside the point."""

    @property
    def holds(self) -> bool:
        """Whether the bar is held."""
        return self.value >= self.bar if self.at_least else self.value <= self.bar

    def line(self) -> str:
        """Return a row of the table."""
        sign = "at least" if self.at_least else "at most"
        verdict = "held" if self.holds else "MISSED"
        beside = f"  (imports alone {self.floor:.2f} s)" if self.floor else ""
        return f"{self.what:<58} {self.at:<3} {self.value:>10.3f} {self.unit:<5} {sign} {self.bar:g}  {verdict}{beside}"


def seconds(task: Callable[[], object], runs: int = 5) -> float:
    """Return the median time of some runs after one that is not counted."""
    task()
    return median(_once(task) for _ in range(runs))


def once(task: Callable[[], object]) -> float:
    """Return the time of a single run, for what is long or changes something."""
    return _once(task)


def _once(task: Callable[[], object]) -> float:
    begun = time.perf_counter()
    task()
    return time.perf_counter() - begun


def program(*arguments: str, folder: Path | None = None) -> None:
    """Run the built program; findings are no failure here."""
    done = subprocess.run(
        [sys.executable, "-m", "adzeguard", *arguments],
        cwd=folder,
        stdout=subprocess.DEVNULL,
        stderr=subprocess.PIPE,
        stdin=subprocess.DEVNULL,
        check=False,
    )
    if done.returncode in (1, 2):
        raise RuntimeError(done.stderr.decode())


def cpu_of_program(*arguments: str, folder: Path, runs: int = 3) -> float:
    """Return the median processor time of the built program, which a busy machine changes less than its time."""

    def used() -> float:
        before = resource.getrusage(resource.RUSAGE_CHILDREN)
        program(*arguments, folder=folder)
        after = resource.getrusage(resource.RUSAGE_CHILDREN)
        return after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime

    used()
    return median(used() for _ in range(runs))


def floor_of_imports(runs: int = 3, *, warm: bool = True) -> float:
    """Return the processor time of a program that imports what every look needs, and does nothing.

    `warm` runs it once before, so that its files are in memory.
    """

    def used() -> float:
        before = resource.getrusage(resource.RUSAGE_CHILDREN)
        subprocess.run([sys.executable, "-c", "import click, numpy"], check=True)
        after = resource.getrusage(resource.RUSAGE_CHILDREN)
        return after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime

    if warm:
        used()
    return median(used() for _ in range(runs))


def idle(cpu: float, floor: float) -> float:
    """Return what so much processor time would be on an idle core, by what imports took in the same minute."""
    return cpu * min(1.0, IDLE_FLOOR / floor)


def idle_seconds(task: Callable[[], object]) -> float:
    """Return the processor time of a single run as on an idle core, between two floors of its own."""
    before, begun = floor_of_imports(), time.process_time()
    task()
    used = time.process_time() - begun
    return idle(used, (before + floor_of_imports()) / 2)


def peak_megabytes() -> float:
    """Return the most memory that this process has held."""
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
