"""How quickly the program answers at all."""

import subprocess
import sys
from collections.abc import Iterator
from statistics import median

from bench.measure import Measured, program, seconds

_PAIRS = 15


def run() -> Iterator[Measured]:
    """Time help and version in turn with the import of Click, so that a slow machine slows both."""
    for option in ("--help", "--version"):
        ratios = [_pair(option) for _ in range(_PAIRS)]
        yield Measured(f"adzeguard {option} against import click", "-", median(ratios), "times", 2.5)


def _pair(option: str) -> float:
    ours = seconds(lambda: program(option), runs=1)
    click = seconds(lambda: subprocess.run([sys.executable, "-c", "import click"], check=True), runs=1)
    return ours / click
