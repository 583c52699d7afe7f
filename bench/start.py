"""What it costs to begin: looks at the demo, against a program that imports what every look needs and does nothing."""

import math
import os
import subprocess
import sys
import tempfile
from collections.abc import Iterator, Sequence
from pathlib import Path
from statistics import median
from typing import Final

from bench.looks import MODULES_OF_CHECK
from bench.measure import Measured, floor_of_imports, program

_TURNS: Final = 25
_MODELS: Final = [sys.executable, "-c", "import click, numpy; from pydantic import BaseModel, Field, ValidationError"]
_LOOKS: Final = (
    (("who", "LOWMERE\\Domain Admins"), 1.5, 1.8),
    (("why", "isolde.varn.adm", "LOWMERE\\Domain Admins"), 1.5, 1.8),
    (("show", "LOWMERE\\Domain Admins"), 1.5, 1.8),
    (("check",), 3.0, 3.3),
)


def run() -> Iterator[Measured]:
    """Measure in turns, each look between two runs of what does nothing."""
    with tempfile.TemporaryDirectory() as temporary:
        demo = Path(temporary) / "demo"
        program("demo", str(demo))
        for words, piped, on_terminal in _LOOKS:
            name = " ".join(words)
            command = [sys.executable, "-m", "adzeguard", *words]
            yield Measured(f"start: `{name}` into a pipe", "D", _floors(command, demo), "floors", piped)
            shown = _floors(command, demo, terminal=True)
            yield Measured(f"start: `{name}` on a terminal", "D", shown, "floors", on_terminal)
        modules = _floors([sys.executable, "-c", MODULES_OF_CHECK], demo)
        yield Measured("start: the modules of check alone, and nothing done", "D", modules, "floors", math.inf)
        alone = _floors(_MODELS, demo)
        yield Measured("start: the library of models alone, which check needs", "D", alone, "floors", math.inf)


def _floors(command: Sequence[str], folder: Path, *, terminal: bool = False) -> float:
    def ratio() -> float:
        before = floor_of_imports(runs=1, warm=False)
        used = _cpu(command, folder, terminal=terminal)
        return 2 * used / (before + floor_of_imports(runs=1, warm=False))

    ratio()
    return median(ratio() for _ in range(_TURNS))


def _cpu(command: Sequence[str], folder: Path, *, terminal: bool = False) -> float:
    """Return the processor time of a program, whose answer goes into a pipe or to a terminal."""
    reader, writer = os.openpty() if terminal else os.pipe()
    running = subprocess.Popen(
        command, cwd=folder, stdin=subprocess.DEVNULL, stdout=writer, stderr=subprocess.DEVNULL, close_fds=True
    )
    os.close(writer)
    try:
        while os.read(reader, 65_536):
            pass
    except OSError:  # this is how a terminal tells that nobody writes to it any more
        pass
    finally:
        os.close(reader)
    _, status, used = os.wait4(running.pid, 0)
    running.returncode = os.waitstatus_to_exitcode(status)
    if running.returncode in (1, 2):
        raise RuntimeError(f"{command} failed")
    return used.ru_utime + used.ru_stime
