"""Passwords of hosts' administrators that the directory keeps: who really reads one, against who is said to."""

import json
from collections.abc import Iterator
from contextlib import closing
from datetime import UTC, datetime, timedelta
from sqlite3 import connect

import pytest

from tests.program import Json, Program
from tests.server.added_schema import ADDED
from tests.server.planting import Place, planting
from tests.server.server import Server

pytestmark = pytest.mark.server
GROUP = r"LOWMERE\Domain Admins"
KEPT, ENDS = "msLAPS-Password", "msLAPS-PasswordExpirationTime"
OWN = ADDED[KEPT].guid
OTHER = ADDED[ENDS].guid
COMPUTER, PERSON = "bf967a86-0de6-11d0-a285-00aa003049e2", "bf967aba-0de6-11d0-a285-00aa003049e2"
READING = {
    "by.attribute": f"(OA;;RPCR;{OWN};;{{}})",
    "by.everything": "(A;;GA;;;{})",
    "by.both": "(A;;RPCR;;;{})",
    "by.control": f"(OA;;CR;{OWN};;{{}})",
    "by.mixed": f"(A;;CR;;;{{}})(OA;;RP;{OWN};;{{}})",
    "by.class": f"(OA;;RPCR;{COMPUTER};;{{}})",
}
FROM_ABOVE = {
    "from.above": f"(OA;CI;RPCR;{OWN};;{{}})",
    "from.class": f"(OA;CIIO;RPCR;{OWN};{COMPUTER};{{}})",
    "from.all": "(A;CIIO;GA;;;{})",
}
READING["by.parts"] = f"(OA;;RP;{OWN};;{{}})(OA;;CR;{OWN};;{{}})"
BY_GROUP = ("by.group", "by.nested")
NEAR = {
    "near.reading": f"(OA;;RP;{OWN};;{{}})",
    "near.control": f"(OA;;CR;{OTHER};;{{}})",
    "near.writing": "(A;;RPWP;;;{})",
    "near.other": f"(OA;;RPCR;{OTHER};;{{}})",
    "near.denied": f"(OD;;CR;{OWN};;{{}})(OA;;RPCR;{OWN};;{{}})",
    "near.unread": f"(OD;;RP;{OWN};;{{}})(OA;;RPCR;{OWN};;{{}})",
    "near.here": f"(OA;CIIO;RPCR;{OWN};;{{}})",
    "near.nothing": "(A;;LC;;;{})",
}
NEAR_ABOVE = {
    "near.people": f"(OA;CIIO;RPCR;{OWN};{PERSON};{{}})",
    "near.container": f"(OA;;RPCR;{OWN};;{{}})",
    "near.once": f"(OA;CIIONP;RPCR;{OWN};{PERSON};{{}})",
}
KEPT_VALUES = {KEPT: b'{"n":"administrator","p":"Quay-7"}', ENDS: b"134500000000000000"}
LET = (*READING, *FROM_ABOVE, *BY_GROUP)
NOT_LET = (*NEAR, *NEAR_ABOVE, "near.empty")


@pytest.fixture
def planted(server: Server) -> Iterator[None]:
    """Hosts of which the directory keeps a password, one of which it keeps none, and the people."""
    with planting(server, "Berths") as place:
        _planted(place)
        yield


def _planted(place: Place) -> None:
    for name in (*LET, *NOT_LET):
        place.person(name)
    place.group("Berth Crew", "by.nested")
    place.group("Berth Readers", "by.group", "Berth Crew")
    for name in ("BERTH-01", "BERTH-02", "BERTH-03"):
        place.add(name, "computer", **({} if name == "BERTH-03" else KEPT_VALUES))
    place.give("BERTH-01", {**READING, **NEAR, "Berth Readers": READING["by.attribute"]})
    place.give("BERTH-03", {"near.empty": READING["by.attribute"]})
    place.give("", {**FROM_ABOVE, **NEAR_ABOVE})


def reads(server: Server, name: str, host: str) -> bool:
    """Whether the server hands somebody the password."""
    with closing(server.bound(name)) as mine:
        found = mine.read(f"CN={host},OU=Berths,{server.base}", [KEPT])
    return bool((found or {}).get(KEPT.casefold()))


def logged_on(sid: str, who: str, host: str) -> Json:
    """The record of a log that tells of a logon at the console of a host."""
    at = datetime.now(UTC) - timedelta(hours=2)
    body = {
        "eventId": 4624,
        "status": "NT_STATUS_OK",
        "serviceDescription": "SamLogon",
        "logonType": 2,
        "clientAccount": who,
        "becameSid": sid,
        "netlogonTrustAccount": f"{host}$",
        "netlogonSecureChannelType": 2,
    }
    return {"timestamp": f"{at:%Y-%m-%dT%H:%M:%S}.000000+0000", "type": "Authentication", "Authentication": body}


@pytest.mark.usefixtures("planted")
def test_whoever_reads_the_password_of_a_host_is_told_and_nobody_else(server: Server, workspace: Program) -> None:
    """Twelve whom the server hands it, twelve it does not, though it looks so; who is cut off is so for both."""
    everybody = (*LET, *NOT_LET)
    really = {name for name in everybody if reads(server, name, "BERTH-01")}
    assert really == set(LET)
    assert not reads(server, "near.empty", "BERTH-03")
    assert workspace("collect").code in (0, 4)

    def said() -> set[str]:
        asked = {name: workspace("may", name, f"read:{KEPT}", "BERTH-01", "--format", "json") for name in everybody}
        return {name for name, answer in asked.items() if all(row["allowed"] for row in answer.json)}

    assert said() == really
    hosts = ("BERTH-01", "BERTH-03")
    lines = [logged_on(server.sids["Administrator"], "Administrator", host) for host in hosts]
    (workspace.folder / "log.jsonl").write_text("".join(f"{json.dumps(line)}\n" for line in lines))
    assert workspace("trail", "import", "log.jsonl").code == 0

    def told() -> dict[str, str]:
        rows = workspace("reach", GROUP, "--over-hosts", "--format", "json").json
        return {row["name"]: row["sentence"] for row in rows if row["name"] in (*everybody, "Berth Readers")}

    found = told()
    # Who may write everything of a host has it by that, whatever they may read.
    assert found.keys() == {*READING, *FROM_ABOVE, "Berth Readers", "near.writing"}
    reading = {name for name, sentence in found.items() if "may read the password of" in sentence}
    assert {"by.attribute", "by.parts", "from.above", "from.class", "Berth Readers"} <= reading
    assert not reading & set(NOT_LET)
    assert found["by.attribute"].startswith(
        r"LOWMERE\by.attribute may read the password of the local administrator of LOWMERE\BERTH-01, which saw "
        r"LOWMERE\Administrator log on at its console on "
    )
    place = f"OU=Berths,{server.base}"
    for name, over in {
        **dict.fromkeys((*READING, "Berth Readers"), "BERTH-01"),
        **dict.fromkeys(FROM_ABOVE, place),
    }.items():
        done = workspace("grant", "withdraw", name, "--over", over, "--yes")
        assert done.code == 0, (name, done.err)
    assert {name for name in everybody if reads(server, name, "BERTH-01")} == set()
    assert said() == set()
    assert told().keys() == {"near.writing"}


def test_what_an_earlier_version_did_not_read_is_read_with_the_next_collection(workspace: Program) -> None:
    """Everything, once: what is read of each object by now stands also in those that nobody changed since."""

    def kinds() -> list[str]:
        with closing(connect(workspace.folder / ".adzeguard/store.db")) as store:
            return [kind for (kind,) in store.execute("SELECT kind FROM collection ORDER BY id")]

    for _ in range(2):
        assert workspace("collect").code in (0, 4)
    assert kinds() == ["full", "changes"]
    with closing(connect(workspace.folder / ".adzeguard/store.db")) as store, store:
        [(stamp, body)] = store.execute("SELECT stamp, body FROM server_schema")
        less = {key: value for key, value in json.loads(body).items() if key != "confidential"}
        as_it_was = (":".join(stamp.split(":")[:2]), json.dumps(less, sort_keys=True))
        store.execute("UPDATE server_schema SET stamp = ?, body = ?", as_it_was)
    for _ in range(2):
        assert workspace("collect").code in (0, 4)
    assert kinds() == ["full", "changes", "full", "changes"]
