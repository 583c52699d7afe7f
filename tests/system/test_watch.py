"""Rounds that go on by themselves."""

import json
import signal
import subprocess
import sys
from datetime import timedelta
from typing import IO

import pytest

from adzeguard.workspace.watching import Waiting
from tests.program import Json, Program, Ran


@pytest.fixture
def calm(demo: Program) -> Program:
    """The demo with nothing to mend."""
    (demo.folder / "charter/charter.yaml").write_text("charter: 1\nrules: []\n")
    return demo


def watching(program: Program, *arguments: str) -> subprocess.Popen[str]:
    """The program, watching."""
    command = [sys.executable, "-m", "adzeguard", "round", "watch", *arguments]
    pipes = {"stdout": subprocess.PIPE, "stderr": subprocess.PIPE, "stdin": subprocess.DEVNULL}
    return subprocess.Popen(command, cwd=program.folder, env=program.environment, text=True, **pipes)


def line_of(stream: IO[str] | None) -> Json:
    """The next line of a round."""
    assert stream is not None
    return json.loads(stream.readline())


@pytest.fixture
def waits(calm: Program, monkeypatch: pytest.MonkeyPatch) -> list[float]:
    """How long the watch waits before each round after the first; the clock goes on instead."""
    waited: list[float] = []

    def clock_goes_on(_self: object, seconds: float) -> str:
        waited.append(seconds)
        calm.ahead += timedelta(seconds=seconds)
        return "time"

    monkeypatch.setattr("adzeguard.workspace.watching.Waiting.until_needed", clock_goes_on)
    return waited


def rounds_of(ran: Ran) -> list[Json]:
    """What a watch that has ended told of its rounds."""
    assert ran.code == 0, ran.err
    return [json.loads(line) for line in ran.out.splitlines()]


def test_it_says_what_it_does_by_itself_and_ends_when_it_is_told_to(demo: Program) -> None:
    """One line a round; SIGTERM ends it after the round in hand, and what rules mend is mended by then."""
    running = watching(demo)
    first = line_of(running.stdout)
    assert (first["because"], first["mended"] > 5) == ("begin", True)
    running.send_signal(signal.SIGTERM)
    _, said = running.communicate(timeout=60)
    assert running.returncode == 0
    assert "mends what 3 rules say: two-administrators, kiosk-administrators, laptop-helpers" in said
    assert demo("propose", "--format", "json").json["changes"] == []


def test_a_lease_is_ended_at_its_time_and_not_at_the_next_quarter_of_an_hour(calm: Program, waits: list[float]) -> None:
    """The wait is no longer than until something is to be done."""
    assert calm("lease", "start", "roan.pell", "Chart Editors", "--for", "5m", "--yes").code == 0
    first, second = rounds_of(calm("round", "watch", "--rounds", "2"))
    assert (first["leases_ended"], second["because"], second["leases_ended"]) == ([], "time", ["L1"])
    [waited] = waits
    assert 0 < waited <= 5 * 60
    [lease] = calm("lease", "list", "--all", "--format", "json").json
    assert lease["late_seconds"] < 60


def test_a_round_that_fails_is_told_and_the_watch_goes_on(
    calm: Program, waits: list[float], monkeypatch: pytest.MonkeyPatch
) -> None:
    """A directory that cannot be read, then one that can: within half a minute, though the lease was over by then."""
    calm("lease", "start", "roan.pell", "Chart Editors", "--for", "1h", "--yes")
    path = calm.folder / "lowmere.ldif"
    whole = path.read_bytes()
    path.write_bytes(b"no directory")
    calm.ahead = timedelta(hours=2)
    wait = Waiting.until_needed

    def comes_back(self: Waiting, seconds: float) -> str:
        path.write_bytes(whole)
        return wait(self, seconds)

    monkeypatch.setattr(Waiting, "until_needed", comes_back)
    first, second = rounds_of(calm("round", "watch", "--rounds", "2"))
    assert "error" in first
    assert (second["because"], second["leases_ended"]) == ("time", ["L1"])
    [waited] = waits
    assert waited <= 30


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
