"""Whole commands on three sizes of the same estate: processor time, memory, statements, and how they grow."""

import json
import math
import multiprocessing
import os
import subprocess
import sys
import tempfile
from collections.abc import Iterator, Sequence
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Final

from bench import ways
from bench.large import K, L, Size, T, privileged
from bench.measure import IDLE_FLOOR, Measured, floor_of_imports, idle
from bench.stored import write_estate

_LOOK, _HOST, _MANY = (0.5, 120), (1.0, 250), (2.0, 400)
RESULTS: Final = Path("bench/results/looks.json")


@dataclass(frozen=True, slots=True)
class Look:
    """One command, with its bars at L: CPU seconds on an idle core, megabytes, and statements."""

    name: str
    arguments: Sequence[str]
    bar: tuple[float, float]
    statements: int = 60


def looks(size: Size) -> list[Look]:
    """Return the commands; names are those of an estate of the size."""
    group = rf"LOWMERE\group.{privileged(size)[7] - size.people:06}"
    person, host = "person.0000042", "HOST-00042"
    return [
        Look("who GROUP", ("who", group), _LOOK),
        Look("why PERSON --in GROUP", ("why", person, "--in", group), _LOOK),
        Look("find TEXT", ("find", person[:-1]), _LOOK),
        Look("show PERSON", ("show", person), _LOOK),
        Look("may WHO RIGHT OBJECT", ("may", person, "write:member", group), _LOOK),
        Look("who --on HOST", ("who", "--on", host), _HOST),
        Look("show HOST", ("show", host), _HOST),
        Look("doors HOST", ("doors", host), _HOST),
        Look("doors PERSON", ("doors", person), _HOST),
        Look("reach GROUP", ("reach", group), _HOST),
        Look("grant list", ("grant", "list"), _HOST),
        Look("doors", ("doors",), _MANY),
        Look("who --hosts", ("who", "--hosts"), _MANY),
        Look("who --groups", ("who", "--groups"), _MANY),
        Look("stale groups", ("stale", "groups"), _MANY),
        Look("stale accounts", ("stale", "accounts"), _MANY),
        Look("stale computers", ("stale", "computers"), _MANY),
        Look("stale ous", ("stale", "ous"), _MANY),
        Look("uses GROUP", ("uses", group), _MANY),
        Look("compare, no difference", ("compare",), _MANY),
        Look("hosts list", ("hosts", "list"), _MANY),
        Look("report hosts", ("report", "hosts", "--format", "csv"), _MANY),
        Look("history GROUP", ("history", group), _MANY),
        Look("status", ("status",), (0.7, 400)),
        Look("check", ("check", "--format", "csv"), (2.5, 500), 300),
        Look("propose", ("propose", "--format", "json"), (2.2, 500), 300),
    ]


def run() -> Iterator[Measured]:
    """Write each size once, and run every command on it."""
    kept: dict[str, dict[str, Figures]] = {}
    with tempfile.TemporaryDirectory() as temporary:
        for size in (T, K, L):
            folder = Path(temporary) / size.name
            # In a process of its own: what this one has held would count as memory of every process that it begins.
            writer = multiprocessing.get_context("spawn").Process(target=write_estate, args=(folder, size))
            writer.start()
            writer.join()
            if size is L:
                yield from _references(folder)
            for look in looks(size):
                of_look = kept.setdefault(look.name, {})
                of_look[size.name] = _measured(look, folder, runs=5 if size is L else 3)
                if size is L:
                    yield from _against_bars(look, of_look["K"], of_look["L"])
            if size is L:
                yield from ways.measured_on(folder, IDLE_FLOOR)
    RESULTS.parent.mkdir(parents=True, exist_ok=True)
    told = {name: {size: asdict(one) for size, one in sizes.items()} for name, sizes in kept.items()}
    RESULTS.write_text(json.dumps(told, indent=1) + "\n")


def _references(folder: Path) -> Iterator[Measured]:
    """Measure what a look at all hosts costs at least: its modules, and the states of the hosts taken apart."""
    scripts = {
        "look: the modules of check are loaded, and nothing else": MODULES_OF_CHECK,
        "look: 20,000 states are read by SQLite, and each distinct one by Python's JSON reader": _STATES,
    }
    for what, script in scripts.items():
        floor = _floor()
        _, cpu = megabytes_and_cpu((sys.executable, "-c", script), folder)
        yield Measured(what, "L", idle(cpu, floor), "s", math.inf)


MODULES_OF_CHECK: Final = """
import adzeguard.cli.main, adzeguard.cli.check, adzeguard.workspace.open_workspace, adzeguard.workspace.deviations
import adzeguard.core.checks.all, adzeguard.core.views.findings, adzeguard.report.renderers
"""
_STATES: Final = """
import click, numpy, json, re, sqlite3
store = sqlite3.connect(".adzeguard/store.db")
rows = store.execute("SELECT o.name, o.dn, h.state FROM host h CROSS JOIN object o ON o.id = h.id AND o.until IS NULL"
                     " WHERE h.until IS NULL").fetchall()
own, known = re.compile('"machine_sid":"([^"]*)"'), {}
for name, dn, state in rows:
    form = state.replace(own.search(state)[1], "") if state else ""
    known[form] = known.get(form) or (json.loads(state) if state else None)
"""


@dataclass(frozen=True, slots=True)
class Figures:
    """What one command took: CPU seconds, peak megabytes, statements; and the CPU seconds of the imports beside it."""

    cpu: float
    megabytes: float
    statements: int
    floor: float

    @property
    def idle(self) -> float:
        """CPU seconds on an idle core: what a slow or busy machine makes of a second is told by the floor beside it."""
        return idle(self.cpu, self.floor)


def exponent(smaller: Figures, larger: Figures) -> float:
    """Return to which power of the size what is beside the imports grows, ten times the size being given."""
    small, large = (max(one.cpu / one.floor - 1, 0.1) for one in (smaller, larger))
    return math.log10(large / small)


def _against_bars(look: Look, at_k: Figures, at_l: Figures) -> Iterator[Measured]:
    yield Measured(f"{look.name}: on an idle core", "L", at_l.idle, "s", look.bar[0], floor=at_l.floor)
    yield Measured(f"{look.name}: memory", "L", at_l.megabytes, "MB", look.bar[1])
    yield Measured(f"{look.name}: statements", "L", at_l.statements, "", look.statements)
    yield Measured(f"{look.name}: grows with the size to the power of", "K-L", exponent(at_k, at_l), "", 1.1)


def _measured(look: Look, folder: Path, runs: int) -> Figures:
    command = (sys.executable, "-m", "adzeguard", *look.arguments)
    megabytes_and_cpu(command, folder)
    # The machine changes its speed from one second to the next: each run stands between two floors of its own.
    taken = []
    for _ in range(runs):
        before, (megabytes, cpu), after = _floor(), megabytes_and_cpu(command, folder), _floor()
        taken.append((cpu / (before + after) * 2, megabytes, cpu, (before + after) / 2))
    counts = folder.parent / "statements"
    megabytes_and_cpu((sys.executable, "-m", "bench.counted", str(counts), *look.arguments), folder)
    _, megabytes, cpu, floor = sorted(taken)[runs // 2]
    return Figures(cpu, megabytes, int(counts.read_text()), floor)


def _floor() -> float:
    return floor_of_imports(runs=1, warm=False)


def megabytes_and_cpu(command: Sequence[str], folder: Path) -> tuple[float, float]:
    """Run a command; return its peak megabytes and its CPU seconds, with those of processes that it began."""
    usage = Path(__file__).with_name("usage.py")
    done = subprocess.run(
        [sys.executable, "-S", str(usage), *command],
        cwd=folder,
        env={**os.environ, "PYTHONPATH": str(Path.cwd())},
        stdin=subprocess.DEVNULL,
        capture_output=True,
        text=True,
        check=False,
    )
    if done.returncode not in (0, 3, 4):
        raise RuntimeError(f"{command} ended with {done.returncode}: {done.stderr}")
    cpu, megabytes = done.stdout.split()
    return float(megabytes), float(cpu)
