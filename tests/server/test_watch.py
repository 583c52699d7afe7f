"""The real server tells of changes, and a round follows at once."""

import json
import subprocess
import sys
import time
from datetime import UTC, datetime, timedelta

import pytest

from tests.mail_server import MailServer
from tests.program import Json, Program
from tests.server.server import Server

pytestmark = pytest.mark.server


def test_a_change_behind_our_back_is_noticed_within_seconds(server: Server, workspace: Program) -> None:
    """Made by a plain client, collected by the next round, which needs no quarter of an hour to begin."""
    (workspace.folder / "charter/charter.yaml").write_text("charter: 1\nrules: []\n")
    watched = f"dn: CN=Watched,OU=Groups,{server.base}"
    server.change(f"{watched}\nchangetype: add\nobjectClass: group\nsAMAccountName: Watched")
    workspace("collect")
    command = [sys.executable, "-m", "adzeguard", "round", "watch", "--rounds", "2"]
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
    assert seconds < 60
    assert (second["because"], second["collected"]["groups"]) == ("change", 1)
    assert running.wait(60) == 0
    running.communicate()
    assert "roan.pell" in {m["name"] for m in workspace("who", "Watched", "--format", "json").json}


def test_a_change_behind_our_back_finds_its_owner(server: Server, workspace: Program, mail_server: MailServer) -> None:
    """Noticed, attributed to whom the server logged, asked once by mail, left, asked again on its date, and mended."""
    group = f"CN=Lantern Keys,OU=Groups,{server.base}"
    server.change(f"dn: {group}\nchangetype: add\nobjectClass: group\nsAMAccountName: Lantern Keys")
    (workspace.folder / "charter/charter.yaml").write_text(
        "charter: 1\nrules:\n  - id: lantern-keys\n    why: Nobody holds them in winter.\n"
        "    owner: lanterns@lowmere.example\n    group: LOWMERE\\Lantern Keys\n    only: []\n"
    )
    with (workspace.folder / "adzeguard.toml").open("a") as settings:
        settings.write(mail_server.settings(workspace.folder))
        settings.write(f'\n[trail]\nlogs = ["{server.audit_log}"]\n')
    workspace("collect")
    command = [sys.executable, "-m", "adzeguard", "round", "watch", "--rounds", "2"]
    pipes = {"stdout": subprocess.PIPE, "stderr": subprocess.PIPE, "stdin": subprocess.DEVNULL}
    running = subprocess.Popen(command, cwd=workspace.folder, env=workspace.environment, text=True, **pipes)
    assert running.stdout is not None
    assert json.loads(running.stdout.readline())["asked"] == []
    _wait_until_it_listens(running)
    begun = time.monotonic()
    server.change(f"dn: {group}\nchangetype: modify\nadd: member\nmember: {_dn(server, 'roan.pell')}")
    asked: Json = json.loads(running.stdout.readline())
    assert (asked["because"], asked["asked"], asked["told"]) == ("change", ["Q1"], 1), asked
    assert time.monotonic() - begun < 60
    [mail] = mail_server.mails
    text = mail.get_body(("plain",))
    assert text is not None
    assert "by LOWMERE\\Administrator from 127.0.0.1" in text.get_content().replace("ipv4:", "")
    assert running.wait(60) == 0
    running.communicate()
    until = datetime.now(UTC) + timedelta(hours=1)
    assert (
        workspace("questions", "answer", "Q1", "--leave-until", until.isoformat(), "--why", "the lamp is mended").code
        == 0
    )
    assert workspace("round", "--format", "json").json["asked"] == []
    workspace.ahead = timedelta(hours=2)
    again = workspace("round", "--format", "json").json
    assert (again["asked"], again["told"]) == (["Q2"], 1), again
    assert len(mail_server.mails) == 3  # the owner hears, too, what somebody else has answered
    assert workspace("questions", "answer", "Q2", "--mend", "--why", "winter", "--yes").code == 0
    assert server.ask("(sAMAccountName=Lantern Keys)", "member")[0].get("member", []) == []
    assert workspace("questions").code == 0


def test_a_server_that_was_away_is_watched_again(server: Server, workspace: Program) -> None:
    """Rounds without it say so and go on; once it is back a change is noticed, and a lease that was over has ended."""
    (workspace.folder / "charter/charter.yaml").write_text("charter: 1\nrules: []\n")
    group = f"CN=Tide Keys,OU=Groups,{server.base}"
    server.change(f"dn: {group}\nchangetype: add\nobjectClass: group\nsAMAccountName: Tide Keys")
    workspace("collect")
    until = datetime.now(UTC) + timedelta(seconds=20)
    given = workspace("lease", "start", "roan.pell", "Tide Keys", "--until", until.isoformat(), "--yes")
    assert given.code == 0, given.err
    command = [sys.executable, "-m", "adzeguard", "round", "watch", "--every", "1"]
    pipes = {"stdout": subprocess.PIPE, "stderr": subprocess.PIPE, "stdin": subprocess.DEVNULL}
    running = subprocess.Popen(command, cwd=workspace.folder, env=workspace.environment, text=True, **pipes)
    assert running.stdout is not None
    first = json.loads(running.stdout.readline())
    assert "error" not in first
    server.stop()
    while "error" not in (missed := json.loads(running.stdout.readline())):
        pass
    assert "server" in missed["error"] or "connect" in missed["error"], missed
    server.start()
    while "error" in (back := json.loads(running.stdout.readline())):
        pass
    assert first["leases_ended"] + back["leases_ended"] == ["L1"]
    assert server.ask("(sAMAccountName=Tide Keys)", "member")[0].get("member", []) == []
    begun = time.monotonic()
    server.change(f"dn: {group}\nchangetype: modify\nreplace: description\ndescription: by the slip")
    while json.loads(running.stdout.readline())["because"] != "change":
        assert time.monotonic() - begun < 200
    running.terminate()
    running.communicate(timeout=60)
    assert running.returncode == 0


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
