"""Rounds that go on by themselves."""

import json
import os
import signal
import subprocess
import sys
from datetime import UTC, datetime, timedelta
from typing import IO

import pytest

from tests.conftest import Json, Program


@pytest.fixture
def calm(demo: Program) -> Program:
    """The demo with nothing to mend."""
    (demo.folder / "charter/charter.yaml").write_text("charter: 1\nrules: []\n")
    return demo


def watching(program: Program, *arguments: str) -> subprocess.Popen[str]:
    """The program, watching."""
    command = [sys.executable, "-m", "adzeguard", "watch", *arguments]
    pipes = {"stdout": subprocess.PIPE, "stderr": subprocess.PIPE, "stdin": subprocess.DEVNULL}
    return subprocess.Popen(command, cwd=program.folder, env=program.environment, text=True, **pipes)


def line_of(stream: IO[str] | None) -> Json:
    """The next line of a round."""
    assert stream is not None
    return json.loads(stream.readline())


def soon_over(program: Program, lease: str) -> datetime:
    """When the lease is over now: as soon as the machine allows, which must still hear of it before that moment."""
    for seconds in (2, 4, 8, 16, 32, 64):
        soon = datetime.now(UTC) + timedelta(seconds=seconds)
        if program("lease", "extend", lease, "--until", soon.isoformat()).code == 0:
            return soon
    raise AssertionError("the machine is too slow for a lease of a minute")


def test_it_says_what_it_does_by_itself_and_ends_when_it_is_told_to(demo: Program) -> None:
    """One line a round; SIGTERM ends it after the round in hand, and what rules mend is mended by then."""
    running = watching(demo)
    first = line_of(running.stdout)
    assert (first["because"], first["mended"] > 5) == ("begin", True)
    running.send_signal(signal.SIGTERM)
    _, said = running.communicate(timeout=60)
    assert running.returncode == 0
    assert "mends what 3 rules say: two-administrators, kiosk-administrators, laptop-helpers" in said
    assert "Nothing to change" in demo("propose").out


def test_a_lease_is_ended_at_its_time_and_not_at_the_next_quarter_of_an_hour(calm: Program) -> None:
    """The wait is no longer than until something is to be done."""
    until = datetime.now(UTC) + timedelta(seconds=12)
    give = ("lease", "start", "roan.pell", "Chart Editors", "--until", until.isoformat(), "--yes")
    assert calm(*give).code == 0
    running = watching(calm, "--rounds", "2")
    assert line_of(running.stdout)["leases_ended"] == []
    second = line_of(running.stdout)
    assert (second["because"], second["leases_ended"]) == ("time", ["L1"])
    assert timedelta() <= datetime.fromisoformat(second["at"]) - until < timedelta(seconds=20)
    assert running.wait(60) == 0
    running.communicate()
    [lease] = calm("lease", "list", "--all", "--format", "json").json
    assert lease["late_seconds"] < 60


def test_a_round_that_fails_is_told_and_the_watch_goes_on(calm: Program) -> None:
    """A directory that cannot be read, then one that can: within half a minute, though the lease was over by then."""
    calm("lease", "start", "roan.pell", "Chart Editors", "--for", "1h", "--yes")
    path = calm.folder / "lowmere.ldif"
    whole = path.read_bytes()
    path.write_bytes(b"no directory")
    soon = soon_over(calm, "L1")
    while datetime.now(UTC) < soon:
        os.sched_yield()
    running = watching(calm, "--rounds", "2")
    first = line_of(running.stdout)
    assert "error" in first
    path.write_bytes(whole)
    second = line_of(running.stdout)
    assert (second["because"], second["leases_ended"]) == ("time", ["L1"])
    assert datetime.fromisoformat(second["at"]) - datetime.fromisoformat(first["at"]) < timedelta(seconds=45)
    assert running.wait(60) == 0
    running.communicate()


def test_what_was_begun_and_not_ended_is_not_gone_on_with(calm: Program) -> None:
    """No round is made beside another one that holds the workspace."""
    busy = subprocess.Popen(
        [
            sys.executable,
            "-c",
            "import fcntl,sys;f=open('.adzeguard/lock','a+');fcntl.flock(f,2);print('x',flush=True);sys.stdin.read()",
        ],
        cwd=calm.folder,
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        text=True,
    )
    assert busy.stdout is not None
    assert busy.stdout.readline() == "x\n"
    held = calm("round")
    busy.communicate("")
    assert held.code != 0
    assert calm("round").code == 0
