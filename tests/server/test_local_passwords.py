"""Passwords of hosts' administrators that the directory keeps: who really reads one, against who is said to."""

import json
from collections.abc import Iterator
from contextlib import closing
from datetime import UTC, datetime, timedelta

import pytest

from adzeguard.core.descriptors.descriptor import Descriptor
from adzeguard.core.descriptors.sddl import entries_of_text
from adzeguard.core.identity import Sid
from adzeguard.directory.ldap_address import Address
from adzeguard.directory.ldap_wire import Wire
from adzeguard.directory.port import Modification
from tests.program import Json, Program
from tests.server.added_schema import ADDED
from tests.server.server import PASSWORD, Server

pytestmark = pytest.mark.server
GROUP = r"LOWMERE\Domain Admins"
PLACE = "OU=Berths"
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
LET = (*READING, *FROM_ABOVE, *BY_GROUP)
NOT_LET = (*NEAR, *NEAR_ABOVE, "near.empty")


def wire(server: Server, name: str) -> Wire:
    """A connection of its own, as somebody."""
    return Wire(Address(server.url, str(server.ca_file), server.tls_name), rf"LOWMERE\{name}", PASSWORD)


@pytest.fixture
def planted(server: Server) -> Iterator[dict[str, Sid]]:
    """Hosts of which the directory keeps a password, one of which it keeps none, and the people."""
    place = f"{PLACE},{server.base}"
    with closing(wire(server, "Administrator")) as admin:
        admin.add(place, {"objectClass": [b"organizationalUnit"]})
        try:
            yield _planted(admin, place)
        finally:
            for dn, _ in sorted(admin.search(place, "(objectClass=*)", ["cn"]), key=lambda one: -one[0].count(",")):
                admin.delete(dn)


def _planted(admin: Wire, place: str) -> dict[str, Sid]:
    sids: dict[str, Sid] = {}
    quoted = f'"{PASSWORD}"'.encode("utf-16-le")

    def made(dn: str, of_class: str, **values: bytes) -> None:
        name = dn.partition(",")[0][3:]
        admin.add(dn, {"objectClass": [of_class.encode()], "sAMAccountName": [values.pop("account", name.encode())]})
        for attribute, value in values.items():
            admin.modify(dn, [Modification("replace", attribute.replace("_", "-"), (value,))])
        sids[name] = Sid.from_bytes(admin.read(dn, ["objectSid"])["objectsid"][0])

    for name in (*LET, *NOT_LET):
        made(f"CN={name},{place}", "user", unicodePwd=quoted, userAccountControl=b"512")
    for name, member in (("Berth Readers", "by.group"), ("Berth Crew", "by.nested")):
        made(f"CN={name},{place}", "group", member=f"CN={member},{place}".encode())
    admin.modify(f"CN=Berth Readers,{place}", [Modification("add", "member", (f"CN=Berth Crew,{place}".encode(),))])
    kept = {
        "msLAPS_Password": b'{"n":"administrator","p":"Quay-7"}',
        "msLAPS_PasswordExpirationTime": b"134500000000000000",
    }
    for name in ("BERTH-01", "BERTH-02", "BERTH-03"):
        made(f"CN={name},{place}", "computer", account=f"{name}$".encode(), **(kept if name != "BERTH-03" else {}))
    entries = {**READING, **NEAR, "Berth Readers": READING["by.attribute"]}
    _give(admin, f"CN=BERTH-01,{place}", "".join(text.replace("{}", sids[who]) for who, text in entries.items()))
    _give(admin, f"CN=BERTH-03,{place}", READING["by.attribute"].replace("{}", sids["near.empty"]))
    _give(admin, place, "".join(text.replace("{}", sids[who]) for who, text in (FROM_ABOVE | NEAR_ABOVE).items()))
    return sids


def _give(admin: Wire, dn: str, text: str) -> None:
    """Add entries to the descriptor of an object, what is denied first."""
    before = Descriptor.from_bytes(admin.read(dn, ["nTSecurityDescriptor"])["ntsecuritydescriptor"][0])
    added = entries_of_text(text, Sid("S-1-5-21-1-2-3"))
    packed = before.with_changes(added, []).to_bytes()
    admin.modify(dn, [Modification("replace", "nTSecurityDescriptor", (packed,))])


def reads(server: Server, name: str, host: str) -> bool:
    """Whether the server hands somebody the password."""
    with closing(wire(server, name)) as mine:
        found = mine.read(f"CN={host},{PLACE},{server.base}", [KEPT])
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
    place = f"{PLACE},{server.base}"
    for name, over in {
        **dict.fromkeys((*READING, "Berth Readers"), "BERTH-01"),
        **dict.fromkeys(FROM_ABOVE, place),
    }.items():
        done = workspace("grant", "withdraw", name, "--over", over, "--yes")
        assert done.code == 0, (name, done.err)
    assert {name for name in everybody if reads(server, name, "BERTH-01")} == set()
    assert said() == set()
    assert told().keys() == {"near.writing"}
