"""Ways of signing in as somebody else, planted on the real server, found, and closed as the finding says."""

import os
import shutil
import subprocess
from base64 import b64encode
from collections.abc import Iterator
from pathlib import Path

import pytest

from adzeguard.core.checks.signing_in import SIGNING_CHECKS
from adzeguard.core.descriptors.ace import Ace, AceKind, Right
from adzeguard.core.descriptors.descriptor import Descriptor
from adzeguard.core.identity import Sid
from tests.forest.kerberos_client import config
from tests.program import Json, Program
from tests.server.server import PASSWORD, Server

pytestmark = pytest.mark.server
PLACE = "OU=Ways in"
PACKED = b64encode(f'"{PASSWORD}"'.encode("utf-16-le")).decode()
NORMAL, ANY_SERVICE, FOR_ANYBODY = 0x200, 0x80000, 0x1000000
UNPROVEN, OPTIONAL, READABLE, DES, OFF = 0x400000, 0x20, 0x80, 0x200000, 0x2
PLANTED = {
    "way.tickets": (NORMAL | ANY_SERVICE, {}),
    "way.anybody": (NORMAL | FOR_ANYBODY, {"msDS-AllowedToDelegateTo": "cifs/quay-01.lowmere.example"}),
    "way.crown": (
        NORMAL | FOR_ANYBODY,
        {"msDS-AllowedToDelegateTo": "HOST/{dc}.lowmere.example", "servicePrincipalName": "HTTP/crown.lowmere.example"},
    ),
    "way.service": (NORMAL, {"servicePrincipalName": "HTTP/tickets.lowmere.example"}),
    "way.unproven": (NORMAL | UNPROVEN, {}),
    "way.optional": (NORMAL | OPTIONAL, {}),
    "way.readable": (NORMAL | READABLE, {}),
    "way.des": (NORMAL | DES, {}),
    "way.ciphers": (NORMAL, {"msDS-SupportedEncryptionTypes": "4"}),
    "way.card": (NORMAL, {"altSecurityIdentities": "X509:<I>DC=example,CN=CA<S>CN=somebody"}),
    "way.key": (NORMAL, {"msDS-KeyCredentialLink": "B:8:00020000:{base}"}),
    "way.crew": (NORMAL, {"servicePrincipalName": "HTTP/crew.lowmere.example"}),
}
FOUND = {
    "way.tickets": "trusted-for-any-service",
    "way.anybody": "acts-towards",
    "way.crown": "acts-towards-directory",
    "way.service": "guessable-service",
    "way.unproven": "sign-in-unproven",
    "way.optional": "password-optional",
    "way.readable": "readable-password",
    "way.des": "des-alone",
    "way.ciphers": "old-ciphers",
    "way.card": "other-ways-in",
    "way.key": "other-ways-in",
    "way.crew": "guessable-privileged",
    "way.managed": "password-for-everybody",
}
NEAR_MISSES = {
    "near.plain": (NORMAL, {}),
    "near.off": (NORMAL | OFF | ANY_SERVICE | UNPROVEN, {"servicePrincipalName": "HTTP/off.lowmere.example"}),
    "near.ciphers": (NORMAL, {"msDS-SupportedEncryptionTypes": "24"}),
    "near.card": (NORMAL, {"altSecurityIdentities": "X509:<I>DC=example,CN=CA<S>CN=nobody"}),
    "near.key": (NORMAL, {"msDS-KeyCredentialLink": "B:8:00020000:{base}"}),
    "near.cardoff": (NORMAL | OFF, {"altSecurityIdentities": "X509:<I>DC=example,CN=CA<S>CN=gone"}),
    "near.crewoff": (NORMAL | OFF, {"servicePrincipalName": "HTTP/gone.lowmere.example"}),
    "near.mixed": (NORMAL, {"msDS-SupportedEncryptionTypes": "28"}),
    "near.smartcard": (NORMAL | 0x40000, {}),
    "near.sensitive": (NORMAL | 0x100000, {}),
}
BEYOND = {"near.cardoff", "near.crewoff", "way.card", "way.key", "way.crew"}
"""Those in the privileged group."""
MANAGED = {"way.managed": "S-1-5-11", "near.managed": ""}
"""Accounts whose password the directory makes, and whom it is given: everybody, or Domain Admins."""
HOSTS = ("near.host",)
SIGNING = frozenset(check.id for check in SIGNING_CHECKS)
RULE = """charter: 1
rules:
- id: nobody-acts-for-others
  response: mend
  why: Tried.
  accounts: {under: "OU=Ways in"}
  account-standard:
    [no-delegation, pre-authentication, password-needed, password-hidden, modern-encryption, no-service-names]
"""


@pytest.fixture
def planted(server: Server) -> Iterator[None]:
    """An OU with an account for each way, and some that are none; gone afterwards."""
    dc = server.ask("(primaryGroupID=516)", "cn")[0]["cn"][0]
    place = f"{PLACE},{server.base}"
    server.change(f"dn: {place}\nchangetype: add\nobjectClass: organizationalUnit")
    try:
        for name, (control, values) in {**PLANTED, **NEAR_MISSES}.items():
            dn = f"CN={name},{place}"
            server.change(
                f"dn: {dn}\nchangetype: add\nobjectClass: user\nsAMAccountName: {name}\nuserAccountControl: 546"
            )
            said = "".join(
                f"-\nreplace: {key}\n{key}: {value.format(dc=dc.lower(), base=server.base)}\n"
                for key, value in values.items()
            )
            change = f"dn: {dn}\nchangetype: modify\nreplace: userAccountControl\nuserAccountControl: {{}}\n"
            server.change(change.format(control | OPTIONAL) + said)
            if not control & OPTIONAL:  # the server lets nobody be without who has no password
                password = f"-\nreplace: unicodePwd\nunicodePwd:: {PACKED}\n"
                server.change(change.format(control | OPTIONAL) + password)
                server.change(change.format(control))
        for name, whom in MANAGED.items():
            let = [Ace(AceKind.ALLOW, 0, int(Right.GENERIC_ALL), Sid(whom or server.sids["Domain Admins"]))]
            system = Sid("S-1-5-18")
            readers = b64encode(Descriptor(system, system, None).with_entries(let).to_bytes()).decode()
            server.change(
                f"dn: CN={name},{place}\nchangetype: add\nobjectClass: msDS-GroupManagedServiceAccount\n"
                f"sAMAccountName: {name}$\nmsDS-ManagedPasswordInterval: 30\ndNSHostName: {name}.lowmere.example\n"
                "userAccountControl: 4096\n"
                f"msDS-GroupMSAMembership:: {readers}"
            )
        for name in HOSTS:
            server.change(
                f"dn: CN={name},{place}\nchangetype: add\nobjectClass: computer\nsAMAccountName: {name}$\n"
                f"userAccountControl: 4096\nservicePrincipalName: HOST/{name}.lowmere.example"
            )
        yield
    finally:
        for name in (*PLANTED, *NEAR_MISSES, *MANAGED, *HOSTS):
            server.try_change(f"dn: CN={name},{place}\nchangetype: delete")
        server.change(f"dn: {place}\nchangetype: delete")


def found(program: Program) -> dict[str, set[str]]:
    """By account which checks found something of it."""
    rows: list[Json] = program("check", "--each", "--format", "json").json
    told: dict[str, set[str]] = {}
    for row in rows:
        name = str(row["subject"]).rpartition("\\")[2]
        if row["check"] in SIGNING and name.startswith(("way.", "near.")):
            told.setdefault(name, set()).add(row["check"])
    return told


@pytest.mark.usefixtures("planted")
def test_each_way_is_found_and_the_rule_closes_those_that_it_can(server: Server, workspace: Program) -> None:
    """Thirteen planted ways, each by its check; twelve that look alike; and what the server holds after enact."""
    settings = workspace.folder / "adzeguard.toml"
    settings.write_text(settings.read_text().replace("[charter]", "[charter]\nprivileged = ['LOWMERE\\Ways']", 1))
    server.change(
        f"dn: CN=Ways,{PLACE},{server.base}\nchangetype: add\nobjectClass: group\nsAMAccountName: Ways\n"
        + "\n".join(f"member: CN={name},{PLACE},{server.base}" for name in sorted(BEYOND))
    )
    try:
        assert workspace("collect").code in (0, 4)
        told = found(workspace)
        assert {name: FOUND[name] in checks for name, checks in told.items() if name in FOUND} == dict.fromkeys(
            FOUND, True
        )
        assert not {name for name in told if name.startswith("near.")}, told
        (workspace.folder / "charter/charter.yaml").write_text(RULE)
        enacted = workspace("enact", "--yes")
        assert enacted.code == 0, enacted.err
        standing = {
            one["sAMAccountName"][0]: int(one["userAccountControl"][0])
            for one in server.ask("(sAMAccountName=way.*)", "sAMAccountName", "userAccountControl")
        }
        closed = ANY_SERVICE | FOR_ANYBODY | UNPROVEN | OPTIONAL | READABLE
        assert not any(control & closed for control in standing.values()), standing
        assert standing["way.des"] & DES
        left = {name: checks for name, checks in found(workspace).items() if checks}
        assert left.keys() == {"way.anybody", "way.crown", "way.des", "way.card", "way.key", "way.managed"}
        kept = server.ask(
            "(&(sAMAccountName=way.*)(objectCategory=person))", "servicePrincipalName", "msDS-SupportedEncryptionTypes"
        )
        assert not any("servicePrincipalName" in one for one in kept)
        assert {one["msDS-SupportedEncryptionTypes"][0] for one in kept} == {"24"}
        assert workspace("undo", "--last", "--yes").code == 0
        again = server.ask("(sAMAccountName=way.tickets)", "userAccountControl")[0]
        assert int(again["userAccountControl"][0]) & ANY_SERVICE
        [service] = server.ask("(sAMAccountName=way.service)", "servicePrincipalName", "msDS-SupportedEncryptionTypes")
        assert service["servicePrincipalName"] == ["HTTP/tickets.lowmere.example"]
        assert "msDS-SupportedEncryptionTypes" not in service
    finally:
        server.change(f"dn: CN=Ways,{PLACE},{server.base}\nchangetype: delete")


GROUP = r"LOWMERE\Domain Admins"


def acts_as(folder: Path, server: Server, account: str, other: str, dc: str) -> bool:
    """Whether the server gives an account a ticket for itself in the name of somebody else, who gave none."""
    realm = "LOWMERE.EXAMPLE = {\n  kdc = 127.0.0.1\n }"
    known = {**os.environ, **config(folder, realms=realm), "KRB5CCNAME": f"FILE:{folder}/{account}"}

    def run(*command: str, given: str = "") -> bool:
        done = subprocess.run(command, env=known, input=given, capture_output=True, text=True, timeout=60, check=False)
        return done.returncode == 0

    assert run("kinit", "-f", f"{account}@LOWMERE.EXAMPLE", given=f"{PASSWORD}\n"), server.url
    return run("kvno", "-U", f"{other}@LOWMERE.EXAMPLE", "-P", f"HOST/{dc.lower()}.lowmere.example")


@pytest.mark.skipif(shutil.which("kvno") is None, reason="as root: make native")
@pytest.mark.usefixtures("planted")
def test_who_acts_for_anybody_towards_a_directory_server_reaches_everything(
    server: Server, workspace: Program, tmp_path: Path
) -> None:
    """The way is told and works; the cut names what closes it, then it fails. Towards a host of nobody is no way."""
    dc = server.ask("(primaryGroupID=516)", "cn")[0]["cn"][0]
    assert workspace("collect").code in (0, 4)

    def told() -> dict[str, str]:
        rows = workspace("reach", GROUP, "--format", "json").json
        return {row["name"]: row["sentence"] for row in rows if row["name"].startswith(("way.", "near."))}

    assert told().keys() == {"way.crown"}
    words = rf"LOWMERE\way.crown acts in the name of anybody towards LOWMERE\{dc}, which is a directory server of"
    assert told()["way.crown"].startswith(words)
    assert acts_as(tmp_path, server, "way.crown", "Administrator", dc)
    cut = workspace("reach", GROUP, "--cut", "--output", "cut.json", "--format", "json")
    parts = {(row["kind"], row["what"]) for row in cut.json if "way.crown" in row["what"]}
    assert parts == {("delegation", rf"let LOWMERE\way.crown act in nobody's name towards LOWMERE\{dc}")}
    (workspace.folder / "charter/charter.yaml").write_text(RULE)
    assert workspace("enact", "--yes").code == 0
    assert not acts_as(tmp_path, server, "way.crown", "Administrator", dc)
    assert told() == {}
