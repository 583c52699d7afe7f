"""The real server tells of changes, and a round follows at once."""

import json
import subprocess
import sys
import time

import pytest

from tests.conftest import Json, Program
from tests.server.server import Server

pytestmark = pytest.mark.server


def test_a_change_behind_our_back_is_noticed_within_seconds(server: Server, workspace: Program) -> None:
    """Made by a plain client, collected by the next round, which needs no quarter of an hour to begin."""
    (workspace.folder / "charter/charter.yaml").write_text("charter: 1\nrules: []\n")
    watched = f"dn: CN=Watched,OU=Groups,{server.base}"
    server.change(f"{watched}\nchangetype: add\nobjectClass: group\nsAMAccountName: Watched")
    workspace("collect")
    command = [sys.executable, "-m", "adzeguard", "watch", "--rounds", "2"]
    pipes = {"stdout": subprocess.PIPE, "stderr": subprocess.PIPE, "stdin": subprocess.DEVNULL}
    running = subprocess.Popen(command, cwd=workspace.folder, env=workspace.environment, text=True, **pipes)
    assert running.stdout is not None
    first: Json = json.loads(running.stdout.readline())
    assert first["because"] == "begin"
    _wait_until_it_listens(running)
    begun = time.monotonic()
    server.change(f"{watched}\nchangetype: modify\nadd: member\nmember: {_dn(server, 'roan.pell')}")
    second: Json = json.loads(running.stdout.readline())
    seconds = time.monotonic() - begun
    assert seconds < 15
    assert (second["because"], second["collected"]["groups"]) == ("change", 1)
    assert running.wait(60) == 0
    running.communicate()
    assert "roan.pell" in {m["name"] for m in workspace("who", "Watched", "--format", "json").json}


def _wait_until_it_listens(running: subprocess.Popen[str]) -> None:
    """Wait until the second connection, the one for changes alone, is open."""
    end = time.monotonic() + 30
    while True:
        done = subprocess.run(["ss", "-tnp"], capture_output=True, text=True, check=False)
        if sum(f"pid={running.pid}," in line and ":636" in line for line in done.stdout.splitlines()) >= 1:
            break
        assert time.monotonic() < end, "it does not watch"
    time_passed = time.monotonic() + 2
    while time.monotonic() < time_passed:
        pass


def _dn(server: Server, account: str) -> str:
    return server.ask(f"(sAMAccountName={account})", "distinguishedName")[0]["distinguishedName"][0]
