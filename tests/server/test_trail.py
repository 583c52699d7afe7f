"""The real server's own log: who did what to which membership, held against what was really done."""

import contextlib
import os
import random
import time
from collections.abc import Callable, Iterator
from datetime import UTC, datetime

import pytest
from impacket.smbconnection import SessionError, SMBConnection

from adzeguard.core.errors import CredentialsRefusedError
from adzeguard.directory.ldap_address import Address
from adzeguard.directory.ldap_wire import Wire
from adzeguard.directory.port import Modification
from tests.long_tests import times
from tests.program import Program
from tests.server.member import Member
from tests.server.server import PASSWORD, Server

pytestmark = pytest.mark.server
CHANGES = times(500, 80)
TRIES = 15
ACTORS = [f"trail.actor{n}" for n in range(5)]
PEOPLE = [f"trail.person{n}" for n in range(6)]
GROUPS = [f"Trail Group {n}" for n in range(5)]
Done = tuple[str, str, str, str, datetime, frozenset[str]]
"""What was done, to which group and whom, by whom and when, and the groups that led into the first one then."""


def bound(server: Server, account: str) -> Wire:
    """A plain connection of somebody."""
    name = server.bind_as if account == "Administrator" else f"LOWMERE\\{account}"
    return Wire(Address(server.url, str(server.ca_file), server.tls_name), name, PASSWORD)


@pytest.fixture
def places(server: Server) -> Iterator[dict[str, str]]:
    """Five administrators, six people and five groups of their own, by name with their DNs."""
    wire = bound(server, "Administrator")
    ou = f"OU=Trailing,{server.base}"
    wire.add(ou, {"objectClass": [b"organizationalUnit"]})
    found = {}
    for name in [*ACTORS, *PEOPLE, *GROUPS]:
        found[name] = f"CN={name},{ou}"
        kind = b"group" if name in GROUPS else b"user"
        wire.add(found[name], {"objectClass": [kind], "sAMAccountName": [name.encode()]})
    admins = f"CN=Domain Admins,CN=Users,{server.base}"
    for name in ACTORS:
        quoted = f'"{PASSWORD}"'.encode("utf-16-le")
        wire.modify(found[name], [Modification("replace", "unicodePwd", (quoted,))])
        wire.modify(found[name], [Modification("replace", "userAccountControl", (b"512",))])
        wire.modify(admins, [Modification("add", "member", (found[name].encode(),))])
    yield found
    for dn in (*found.values(), ou):  # the next test wants the domain as it was
        wire.delete(dn)
    wire.close()


def test_history_tells_exactly_what_the_server_logged(
    server: Server, workspace: Program, places: dict[str, str]
) -> None:
    """Every change since the collection, by whom and when; nested, what led in at that moment alone."""
    chance = random.Random(20261126)
    inside: dict[str, set[str]] = {group: set() for group in GROUPS}
    wires = {actor: bound(server, actor) for actor in ACTORS}
    done: list[Done] = []
    workspace("collect")
    while len(done) < CHANGES:
        group, member = chance.choice(GROUPS), chance.choice([*PEOPLE, *GROUPS])
        if member == group:
            continue
        actor = chance.choice(ACTORS)
        verb = "removed" if member in inside[group] else "added"
        operation = "delete" if verb == "removed" else "add"
        wires[actor].modify(places[group], [Modification(operation, "member", (places[member].encode(),))])
        inside[group] ^= {member}
        done.append((verb, group, member, actor, datetime.now(UTC), _leading_in(inside)))
    for wire in wires.values():
        wire.close()
    _logged(server, lambda log: log.count("OU=Trailing") >= len(done))
    assert workspace("trail", "import", server.audit_log).code == 0
    rows = workspace("history", "--format", "json").json[::-1]
    told = [row for row in rows if _bare(row["group"]) in GROUPS]
    assert [(r["verb"], _bare(r["group"]), _bare(r["member"]), _bare(r["by"])) for r in told] == [d[:4] for d in done]
    for row, one in zip(told, done, strict=True):
        assert abs((datetime.fromisoformat(row["happened_at"]) - one[4]).total_seconds()) < 1
        assert row["from"] == "127.0.0.1"
    effective = workspace("history", GROUPS[0], "--format", "json").json[::-1]
    wanted = [one[:4] for one in done if one[1] in one[5]]
    assert [(r["verb"], _bare(r["group"]), _bare(r["member"]), _bare(r["by"])) for r in effective] == wanted
    for row in told:
        stands = _bare(row["member"]) in inside[_bare(row["group"])]
        assert row["still"] == (stands == (row["verb"] == "added") and not _undone_later(row, told))
    line = workspace("history", GROUPS[0], "--drawn", "--since", "1h", "--format", "json").json
    shown = {
        _bare(one["member"]): [(s["begins_at"], s["ends_at"]) for s in one["stretches"]] for one in line["members"]
    }
    assert shown == _stretches(told)
    logons = workspace("trail", "support", "--format", "json").json
    assert {"logon", "added", "removed"} <= {row["verb"] for row in logons["events_by_verb"]}


def _undone_later(row: dict, told: list[dict]) -> bool:
    """Whether something later was done to the same pair."""
    pair = (row["group"], row["member"])
    return any((one["group"], one["member"]) == pair and one["happened_at"] > row["happened_at"] for one in told)


def _stretches(told: list[dict]) -> dict[str, list[tuple[str, str | None]]]:
    """Who was inside the first group from when to when: what was done, played again."""
    inside: dict[str, set[str]] = {group: set() for group in GROUPS}
    found: dict[str, list[tuple[str, str | None]]] = {}
    before: set[str] = set()
    for row in told:
        at = row["happened_at"]
        inside[_bare(row["group"])] ^= {_bare(row["member"])}
        now = {one for leading in _leading_in(inside) for one in inside[leading] if one in PEOPLE}
        for person in now - before:
            found.setdefault(person, []).append((at, None))
        for person in before - now:
            found[person][-1] = (found[person][-1][0], at)
        before = now
    return found


def test_every_wrong_try_is_counted_by_whatever_name_it_was_made(
    server: Server, workspace: Program, places: dict[str, str]
) -> None:
    """Four ways of naming one account, over LDAP and SMB: all are one account's, and the check says it."""
    name = ACTORS[0]
    dns = "lowmere.example"
    ways: list[Callable[[], None]] = [
        lambda: _binds(server, rf"LOWMERE\{name}"),
        lambda: _binds(server, f"{name}@{dns}"),
        lambda: _signs_in(name, "", "wrong"),
        lambda: _signs_in(f"{name}@{dns}", "", "wrong"),
    ]
    for way in ways:
        for _ in range(TRIES):
            way()
    _signs_in(ACTORS[1], "NOWHERE", "wrong")
    workspace("collect")
    _logged(server, lambda log: log.count('"eventId": 4625') > TRIES * len(ways))
    assert workspace("trail", "import", server.audit_log).code == 0
    rows = {_bare(row["account"]): row for row in workspace("logons", "--format", "json").json}
    assert (rows[name]["refused"], rows[ACTORS[1]]["refused"]) == (TRIES * len(ways), 1)
    findings = workspace("check", "--where", "check=tried-in-vain", "--format", "json").json
    assert [(_bare(one["subject"]), one["evidence"]["tries"]) for one in findings] == [(name, TRIES * len(ways))]


def test_a_logon_is_told_by_the_host_that_proved_itself(server: Server, member: Member, workspace: Program) -> None:
    """What the client calls itself stands beside it; at the console and over the network are two things."""
    begin = datetime.now(UTC).isoformat()
    _signs_in("Administrator", "LOWMERE", PASSWORD, member.address)
    assert member.run("wbinfo", f"--pam-logon=LOWMERE\\Administrator%{PASSWORD}").returncode == 0
    _signs_in("Administrator", "LOWMERE", PASSWORD)
    workspace("collect")
    _logged(server, lambda log: '"logonType": 2' in log)
    workspace("trail", "import", server.audit_log)
    rows = workspace("logons", "Administrator", "--since", begin, "--format", "json").json[::-1]
    told = [(row["host"], row["claimed"], row["way"]) for row in rows if row["way"] in ("network", "console")]
    assert told == [
        ("HARBOUR-01", "DC-TRUSTED", "network"),
        ("HARBOUR-01", "HARBOUR-01", "console"),
        (None, "DC-TRUSTED", "network"),
    ]
    assert "says it is DC-TRUSTED" in workspace("logons", "Administrator", "--since", begin).out


def _binds(server: Server, name: str) -> None:
    with pytest.raises(CredentialsRefusedError):
        Wire(Address(server.url, str(server.ca_file), server.tls_name), name, "wrong")


def _signs_in(name: str, domain: str, password: str, address: str = "127.0.0.1") -> None:
    """Try to sign in over SMB, as a host that one is not."""
    connection = SMBConnection(address, address, myName="DC-TRUSTED")
    with contextlib.suppress(SessionError):
        connection.login(name, password, domain)
    connection.close()


def _leading_in(inside: dict[str, set[str]]) -> frozenset[str]:
    """The groups that lead into the first one."""
    found, waiting = {GROUPS[0]}, [GROUPS[0]]
    while waiting:
        for child in inside[waiting.pop()] & set(GROUPS):
            if child not in found:
                found.add(child)
                waiting.append(child)
    return frozenset(found)


def _logged(server: Server, enough: Callable[[str], bool]) -> None:
    """Wait until the server has written what it did."""
    end = time.monotonic() + 30
    while not enough(server.audit_log.read_text()):
        assert time.monotonic() < end, "the server does not log"
        os.sched_yield()


def _bare(name: str) -> str:
    return name.rpartition("\\")[2]
