"""Things put away and brought back on the real server."""

import pytest

from tests.program import Program, insisting
from tests.server.server import Server
from tests.server.test_objects import everything, made

pytestmark = pytest.mark.server
_LEFT_BY_A_MOVE = {"uSNCreated"}


def test_what_is_brought_back_is_as_it_was(server: Server, workspace: Program) -> None:
    """An account in a privileged group by another one, a computer and a group: away, and back to the last value."""
    workspace("collect", "--full")
    before = everything(server)
    names = ("yorick.tarn", "LAPTOP-14", "Old Regatta")
    line = ("group", "add", "Backup Operators", "yorick.tarn", "--why", "for the trial", "--yes")
    # What earlier tests have left of rights may open a way in for others, which must be named.
    done = workspace(*line)
    done = insisting(workspace, *line) if "--new-reach" in done.err else done
    assert done.code == 0, done.err
    joined = everything(server)
    changes = made(workspace, "retire", *names, "--why", "left behind")
    assert {row["kind"] for row in changes} == {"set-account-control", "move", "remove-member"}
    away = everything(server)
    dns = {row["name"].rpartition("\\")[2]: row["dn"] for row in workspace("retire", "list", "--format", "json").json}
    assert set(dns) == set(names)
    assert all(",OU=Retired," in dn for dn in dns.values())
    assert int(away[dns["yorick.tarn"]]["userAccountControl"][0]) & 2
    assert not any(
        "Yorick" in member for member in away[f"CN=Backup Operators,CN=Builtin,{server.base}"].get("member", [])
    )
    line = ("retire", "restore", *names, "--why", "needed after all", "--yes")
    done = workspace(*line)
    done = insisting(workspace, *line) if "--new-reach" in done.err else done
    assert done.code == 0, done.err
    assert everything(server) == joined
    assert workspace("retire", "list", "--format", "json").json == []
    made(workspace, "group", "remove", "Backup Operators", "yorick.tarn", "--why", "the trial is over")
    assert everything(server) == before
