"""The real server's own log: who did what to which membership, held against what was really done."""

import os
import random
import time
from collections.abc import Iterator
from datetime import UTC, datetime

import pytest

from adzeguard.directory.ldap_wire import Address, Wire
from adzeguard.directory.port import Modification
from tests.long_tests import times
from tests.program import Program
from tests.server.server import PASSWORD, Server

pytestmark = pytest.mark.server
CHANGES = times(500, 80)
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
    _logged(server, len(done))
    assert workspace("trail", "import", server.audit_log).code == 0
    rows = workspace("history", "--format", "json").json[::-1]
    told = [row for row in rows if _bare(row["group"]) in GROUPS]
    assert [(r["verb"], _bare(r["group"]), _bare(r["member"]), _bare(r["by"])) for r in told] == [d[:4] for d in done]
    for row, one in zip(told, done, strict=True):
        assert abs((datetime.fromisoformat(row["time"]) - one[4]).total_seconds()) < 1
        assert row["from"] == "127.0.0.1"
    effective = workspace("history", GROUPS[0], "--format", "json").json[::-1]
    wanted = [one[:4] for one in done if one[1] in one[5]]
    assert [(r["verb"], _bare(r["group"]), _bare(r["member"]), _bare(r["by"])) for r in effective] == wanted
    for row in told:
        stands = _bare(row["member"]) in inside[_bare(row["group"])]
        assert row["still"] == (stands == (row["verb"] == "added") and not _undone_later(row, told))
    line = workspace("timeline", GROUPS[0], "--since", "1h", "--format", "json").json
    shown = {_bare(one["member"]): [(s["begin"], s["end"]) for s in one["stretches"]] for one in line["people"]}
    assert shown == _stretches(told)
    logons = workspace("trail", "support", "--format", "json").json
    assert {"logon", "added", "removed"} <= {row["verb"] for row in logons["events"]}


def _undone_later(row: dict, told: list[dict]) -> bool:
    """Whether something later was done to the same pair."""
    pair = (row["group"], row["member"])
    return any((one["group"], one["member"]) == pair and one["time"] > row["time"] for one in told)


def _stretches(told: list[dict]) -> dict[str, list[tuple[str, str | None]]]:
    """Who was inside the first group from when to when: what was done, played again."""
    inside: dict[str, set[str]] = {group: set() for group in GROUPS}
    found: dict[str, list[tuple[str, str | None]]] = {}
    before: set[str] = set()
    for row in told:
        at = row["time"]
        inside[_bare(row["group"])] ^= {_bare(row["member"])}
        now = {one for leading in _leading_in(inside) for one in inside[leading] if one in PEOPLE}
        for person in now - before:
            found.setdefault(person, []).append((at, None))
        for person in before - now:
            found[person][-1] = (found[person][-1][0], at)
        before = now
    return found


def _leading_in(inside: dict[str, set[str]]) -> frozenset[str]:
    """The groups that lead into the first one."""
    found, waiting = {GROUPS[0]}, [GROUPS[0]]
    while waiting:
        for child in inside[waiting.pop()] & set(GROUPS):
            if child not in found:
                found.add(child)
                waiting.append(child)
    return frozenset(found)


def _logged(server: Server, least: int) -> None:
    """Wait until the server has written what it did."""
    end = time.monotonic() + 30
    while server.audit_log.read_text().count("OU=Trailing") < least:
        assert time.monotonic() < end, "the server does not log"
        os.sched_yield()


def _bare(name: str) -> str:
    return name.rpartition("\\")[2]
