"""Things put away and brought back on the real server."""

import random
import sqlite3
import subprocess
from contextlib import closing
from typing import Any

import pytest

from tests.long_tests import SEED, times
from tests.program import Json, Program, insisting, naming_numbers
from tests.server.server import Server
from tests.server.test_objects import everything, made

pytestmark = pytest.mark.server
_LEFT_BY_DELETION = {
    "lastKnownParent",
    "adminCount",
    "operatorCount",
    "uSNCreated",
    "whenCreated",
    "objectGUID",
    "pwdLastSet",
    "isCriticalSystemObject",
}
"""What the server makes of an object that it brings back, or of one that is made again; no client may write it."""


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
    assert {row["kind"] for row in changes} == {"set-note", "set-account-control", "move", "remove-member"}
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


class Hand:
    """Somebody who cleans up, step by step, and takes back the last steps now and then."""

    def __init__(self, server: Server, program: Program, lot: random.Random) -> None:
        self.server = server
        self.program = program
        self.lot = lot
        self.made: list[tuple[str, State]] = []
        """The enactments that stand, with what stood before each."""

    def state(self) -> "State":
        """The directory, the notes of what is put away, and what rules own."""
        notes = self.program("retire", "list", "--format", "json").json
        with closing(sqlite3.connect(self.program.folder / ".adzeguard/store.db")) as store:
            owned = sorted(store.execute("SELECT claim FROM put_in").fetchall())
        return everything(self.server), sorted(notes, key=lambda row: row["name"]), owned

    def does(self, *line: str) -> None:
        """Do one thing, if it can be done now; a refusal changes nothing."""
        before, known = self.state(), self.enactments()
        done = naming_numbers(self.program, *line, "--yes")
        assert done.code in (0, 1, 2, 3), (line, done.out, done.err)
        new = self.enactments() - known
        self.made += [(name, before) for name in new]
        if not new:
            assert _differences(before, self.state()) == [], (line, done.err)

    def undoes(self) -> None:
        """Take back the last step: all is as it was before it."""
        name, before = self.made.pop()
        done = naming_numbers(self.program, "undo", name, "--yes")
        assert done.code == 0, (done.out, done.err)
        assert _differences(before, self.state()) == [], name

    def enactments(self) -> set[str]:
        """The names of all that was enacted."""
        return {row["enactment"] for row in self.program("journal", "--format", "json").json if row["enactment"]}


State = tuple[dict[str, Any], list[Json], list[Any]]
THINGS = ("yorick.tarn", "LAPTOP-14", "Old Regatta", "Summer Extras", "lior.nye")


@pytest.mark.parametrize("order", range(times(30, 1)))
def test_whatever_the_order_of_cleaning_up_all_is_as_before(server: Server, workspace: Program, order: int) -> None:
    """Away, back, deleted, tidied, and undone: every value, every note and every owner of what a rule put in."""
    dead = f"{server.sids['Administrator'].rpartition('-')[0]}-987654"
    workspace("collect", "--full")
    lot = random.Random(SEED * 100 + order)
    (workspace.folder / "charter/charter.yaml").write_text(
        "charter: 1\nrules:\n- {id: extras, response: mend, group: 'LOWMERE\\Chart Editors',"
        " include: ['LOWMERE\\yorick.tarn']}\n"
    )
    workspace("enact", "--yes")
    made(workspace, "grant", "give", "Summer Extras", "password-help", "--over", "OU=Quay")
    _give_to(server, dead)
    workspace("collect", "--full")
    hand = Hand(server, workspace, lot)
    first = hand.state()
    done = []
    for _ in range(8):
        one = lot.choice(THINGS)
        line = lot.choice(
            (
                ("retire", one, "--why", "unused"),
                ("retire", *THINGS[2:4], "--why", "unused"),
                ("retire", "restore", one),
                ("retire", "finish", one, "--anyway", "--deletions", "1"),
                ("group", "delete", lot.choice(THINGS[2:4])),
                ("retire", "tidy", "--sid", dead, "--vanished", "1"),
                ("undo",),
            )
        )
        done.append(line)
        if line == ("undo",):
            if hand.made:
                hand.undoes()
        else:
            hand.does(*line)
    while hand.made:
        hand.undoes()
    assert _differences(first, hand.state()) == [], (SEED, order, done)
    assert workspace("journal", "verify").code == 0
    workspace("undo", "--since", "1h", "--yes")  # the next test wants the domain as it was
    made(workspace, "retire", "tidy", "--sid", dead, "--vanished", "1")


def _differences(before: State, after: State) -> list[Any]:
    """What is otherwise: objects with their attributes, notes, owners."""
    one, other = before[0], after[0]
    values = [
        (dn, key, one.get(dn, {}).get(key), other.get(dn, {}).get(key))
        for dn in one.keys() | other.keys()
        for key in one.get(dn, {}).keys() | other.get(dn, {}).keys()
        if one.get(dn, {}).get(key) != other.get(dn, {}).get(key) and key not in _LEFT_BY_DELETION
    ]
    return [*values, *((a, b) for a, b in zip(before[1:], after[1:], strict=True) if a != b)]


def _give_to(server: Server, sid: str) -> None:
    """Let a dead SID stand over an OU, as an account that was deleted long ago leaves it."""
    where = ["-H", server.local_database, "-s", str(server.folder / "etc/smb.conf")]
    dn = f"OU=Quay,{server.base}"
    subprocess.run(
        ["samba-tool", "dsacl", "set", f"--objectdn={dn}", f"--sddl=(A;;RP;;;{sid})", *where],
        check=True,
        capture_output=True,
    )
