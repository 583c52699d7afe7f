"""The server's own answers are the judge."""

import ssl
from collections import Counter
from pathlib import Path

import ldap3
import pytest

from adzeguard.core.identity import Sid
from adzeguard.store.estate_store import EstateStore
from adzeguard.store.sqlite import SqliteDatabase
from tests.program import Program, insisting
from tests.server.conftest import connect
from tests.server.server import PASSWORD, Server

pytestmark = pytest.mark.server
ADMINS = r"LOWMERE\Domain Admins"
FULL_NAMES = {
    r"LOWMERE\orla.fenn": "Orla Fenn",
    r"LOWMERE\mira.holt": "Mira Holt",
    r"LOWMERE\signe.quist": "Signe Quist",
    r"LOWMERE\roan.pell": "Roan Pell",
}


def test_effective_groups_equal_the_logon_token_of_every_user(server: Server, workspace: Program) -> None:
    """For each of over 300 users, among rings, distribution groups and odd primary groups, tokenGroups agrees."""
    assert workspace("collect").code == 4
    estate = EstateStore(
        SqliteDatabase(workspace.folder / ".adzeguard/store.db", workspace.folder / ".adzeguard/lock")
    ).load()
    tls = ldap3.Tls(validate=ssl.CERT_REQUIRED, ca_certs_file=str(server.ca_file), valid_names=[server.tls_name])
    client = ldap3.Connection(
        ldap3.Server(server.url, use_ssl=True, tls=tls, get_info=ldap3.NONE), server.bind_as, PASSWORD, auto_bind=True
    )
    client.search(
        server.base, "(&(objectClass=user)(!(objectClass=computer)))", attributes=["objectSid"], paged_size=1000
    )
    users = [
        (entry["dn"], Sid.from_bytes(entry["raw_attributes"]["objectSid"][0]))
        for entry in client.response
        if "dn" in entry and entry["type"] == "searchResEntry"
    ]
    several_deep = 0
    for dn, sid in users:
        client.search(dn, "(objectClass=*)", ldap3.BASE, attributes=["tokenGroups"])
        token = {Sid.from_bytes(raw) for raw in client.response[0]["raw_attributes"]["tokenGroups"]}
        member = estate.id_of_sid(sid)
        assert member is not None
        groups = estate.catalogue.principals(estate.graph.effective_groups(member).tolist()).values()
        assert {g.sid for g in groups} == token, dn
        several_deep += len(token) > 8
    client.unbind()

    assert len(users) > 300
    assert several_deep > 20


def test_everyone_in_a_privileged_group_is_everybody(server: Server, workspace: Program) -> None:
    """As an object of the configuration: seen by an incremental collection, in every answer, and in the server's token.

    The token of a connection holds the group while it lasts, as the server itself says.
    """
    workspace("collect")
    everyone = f"CN=Everyone,CN=WellKnown Security Principals,CN=Configuration,{server.base}"
    operators = f"CN=Server Operators,CN=Builtin,{server.base}"
    asked = ("why", "orla.fenn", r"BUILTIN\Server Operators", "--format", "json")
    assert not workspace(*asked).json["leads_there"]

    def token() -> bool:
        """Whether whoever binds acts with the group: the server tells the token of a connection in its own entry."""
        tls = ldap3.Tls(validate=ssl.CERT_REQUIRED, ca_certs_file=str(server.ca_file), valid_names=[server.tls_name])
        at = ldap3.Server(server.url, use_ssl=True, tls=tls, get_info=ldap3.NONE)
        with ldap3.Connection(at, server.bind_as, PASSWORD, auto_bind=True) as client:
            client.search("", "(objectClass=*)", ldap3.BASE, attributes=["tokenGroups"])
            groups = client.response[0]["raw_attributes"]["tokenGroups"]
        return any(Sid.from_bytes(one) == "S-1-5-32-549" for one in groups)

    assert not token()
    server.change(f"dn: {operators}\nchangetype: modify\nadd: member\nmember: {everyone}\n")
    try:
        assert token()
        assert "0 objects, 1 groups" in workspace("collect").out
        who = workspace("who", r"BUILTIN\Server Operators")
        assert r"Everybody is inside, by well-known\everyone." in who.out
        why = workspace(*asked).json
        assert [step["how"] for step in why["chain"]] == ["start", "member", "everybody"]
        reached = workspace("reach", r"BUILTIN\Server Operators", "--format", "json").json
        assert [row["name"] for row in reached] == ["everyone"]
        [found] = [f for f in workspace("check", "--format", "json").json if f["check"] == "everyone-inside"]
        assert (found["subject"], found["member"]) == (r"BUILTIN\Server Operators", r"well-known\everyone")
        assert found["severity"] == "critical"
    finally:
        server.change(f"dn: {operators}\nchangetype: modify\ndelete: member\nmember: {everyone}\n")
    workspace("collect")
    assert not workspace(*asked).json["leads_there"]


def test_what_a_proposal_puts_right_a_plain_client_sees(server: Server, workspace: Program) -> None:
    """On the real server: findings, proposal, enactment, nothing left; undone, every attribute is as before."""
    workspace("collect")
    found = {(f["check"], f["member"]) for f in workspace("check", "--format", "json").json}

    assert {("unlisted-member", r"LOWMERE\cato.lune"), ("primary-group-member", r"LOWMERE\mira.holt.adm")} <= found
    assert {("deep-member", r"LOWMERE\orla.fenn"), ("disabled-member", r"LOWMERE\edric.sool.adm")} <= found
    as_it_was = attributes(server)
    before = server.members_of("Domain Admins")
    assert before == {"Administrator", "Isolde Varn (adm)", "Tobin Asker (adm)", "Cato Lune", "Directory Stewards"}
    assert workspace("propose", "--output", "p.json").code == 3
    done = workspace("enact", "p.json", "--yes", "--format", "json")
    assert (done.code, {o["status"] for o in done.json}, len(done.json)) == (0, {"verified"}, 11), done.out
    assert server.members_of("Domain Admins") == {"Administrator", "Isolde Varn (adm)", "Tobin Asker (adm)"}
    [mira] = server.ask("(sAMAccountName=mira.holt.adm)", "primaryGroupID")
    assert mira["primaryGroupID"] == ["513"]
    assert workspace("propose", "--format", "json").json["changes"] == []
    assert "Changed since the last time: 0 objects, 0 groups, 0 hosts." in workspace("collect").out
    assert {m["name"] for m in workspace("who", ADMINS, "--format", "json").json} == {
        "Administrator",
        "isolde.varn.adm",
        "tobin.asker.adm",
    }
    [kept] = [o["id"] for o in done.json if o["target"] == "KIOSK-19"]
    undone = insisting(workspace, "undo", "--last", "--keep", kept, "--yes", "--format", "json")
    assert (undone.code, {o["status"] for o in undone.json}, len(undone.json)) == (0, {"verified"}, 10), undone.out
    assert attributes(server) == as_it_was
    assert "Changed since the last time: 0 objects, 0 groups, 0 hosts." in workspace("collect", "--full").out


def attributes(server: Server) -> dict[str, dict[str, list[str]]]:
    """What the plain client sees of every user and group, but for the server's own counters and times."""
    found = server.ask("(|(objectClass=group)(objectClass=user))", "*")
    own = ("uSNChanged", "whenChanged")
    return {entry["dn"][0]: {k: sorted(v) for k, v in entry.items() if k not in own} for entry in found}


@pytest.mark.parametrize(
    ("option", "value", "said"),
    [
        ("password-file", "wrong", "does not accept the name"),
        ("ca-file", "other", "is not signed by the CA"),
        ("tls-name", "elsewhere.lowmere.example", "is not for elsewhere.lowmere.example but for"),
        ("ldap", "ldaps://127.0.0.1:9", "connection refused"),
        ("ldap", "ldaps://no-such-host.invalid", "there is no host of that name"),
    ],
)
def test_a_connection_that_must_not_be_is_one_clear_line(
    server: Server, tmp_path: Path, option: str, value: str, said: str
) -> None:
    """Wrong password, CA, certificate name or address end with 1 and the cause."""
    (tmp_path / "hosts").mkdir()
    if value in ("wrong", "other"):
        path = tmp_path / value
        path.touch(0o600)
        path.write_text("Barnacle-1" if value == "wrong" else other_ca(tmp_path))
        value = str(path)
    refused = connect(Program(tmp_path), server, tmp_path / "w", **{option: value})
    assert (refused.code, said in refused.err) == (1, True)
    assert not (tmp_path / "w").exists()
    connect(Program(tmp_path), server, tmp_path / "w", anyway=True, **{option: value})
    ran = Program(tmp_path / "w")("collect")

    assert ran.code == 1
    assert said in ran.err
    assert len(ran.err.strip().splitlines()) == 1
    assert "Barnacle" not in ran.err


def other_ca(folder: Path) -> str:
    """A CA that has signed nothing here."""
    import subprocess

    command = [
        "openssl",
        "req",
        "-x509",
        "-newkey",
        "rsa:2048",
        "-nodes",
        "-keyout",
        str(folder / "key.pem"),
        "-subj",
        "/CN=Other",
    ]
    return subprocess.run([*command, "-days", "2"], check=True, capture_output=True, text=True).stdout


def test_the_password_stands_nowhere_but_in_its_file(server: Server, workspace: Program) -> None:
    """Neither settings, store, journal nor output hold it, and a password file that others can read is refused."""
    out = workspace("collect").out + workspace("check").out + workspace("journal", "--format", "json").out

    assert PASSWORD not in out
    for path in workspace.folder.rglob("*"):
        assert not path.is_file() or PASSWORD.encode() not in path.read_bytes(), path
    server.password_file.chmod(0o644)
    try:
        assert "chmod 600" in workspace("collect").err
    finally:
        server.password_file.chmod(0o600)


def test_a_server_that_goes_away_in_the_middle_leaves_everything_in_order(server: Server, workspace: Program) -> None:
    """Cut off anywhere: a clear end, the last collection in force, and every change accounted for."""
    from tests.server.cutting import Cutting

    workspace("collect")
    with Cutting(636, each=200_000) as proxy:
        settings = workspace.folder / "adzeguard.toml"
        settings.write_text(settings.read_text().replace(server.url, f"ldaps://127.0.0.1:{proxy.port}"))
        ran = workspace("collect", "--full")
        assert (ran.code, len(ran.err.strip().splitlines())) == (1, 1), ran.err
        assert workspace("who", ADMINS).code == 0
        (workspace.folder / "charter/charter.yaml").write_text(
            "charter: 1\nrules:\n  - {id: crew, response: mend, group: 'LOWMERE\\First Aiders', "
            f"include: {list(FULL_NAMES)}}}\n".replace("\\\\", "\\")
        )
        told = Counter[str]()
        for budget in range(4_000, 124_000, 6_000):
            proxy.each, proxy.budget = 1 << 40, budget
            ran = workspace("enact", "--yes", "--format", "json")
            if not ran.out:  # cut off while the deciding groups were read again: nothing was begun
                assert (ran.code, ran.err.count("\n")) == (1, 1), ran.err
                told["not begun"] += 1
                continue
            for outcome in ran.json:
                told[outcome["status"]] += 1
                assert outcome["status"] != "verified" or FULL_NAMES[outcome["member"]] in server.members_of(
                    "First Aiders"
                )
    settings.write_text(settings.read_text().replace(f"ldaps://127.0.0.1:{proxy.port}", server.url))

    assert min(told["unreachable"], told["not begun"]) > 0, told
    assert set(told) <= {"verified", "unreachable", "conflict", "not begun"}
    assert workspace("journal", "verify").code == 0
    workspace("collect")
    assert workspace("enact", "--yes").code == 0
    assert set(FULL_NAMES.values()) <= server.members_of("First Aiders")


def test_a_connection_is_encrypted_before_anything_is_sent_or_the_server_says_no(
    server: Server, tmp_path: Path
) -> None:
    """StartTLS works with the same verification; plain LDAP needs its own switch, warns, and this server wants none."""
    (tmp_path / "hosts").mkdir()
    program = Program(tmp_path)
    common = ["--bind-as", server.bind_as, "--password-file", str(server.password_file), "--ldap", "ldap://127.0.0.1"]
    verified = ["--ca-file", str(server.ca_file), "--tls-name", server.tls_name]
    assert program("init", "s", *common, *verified, "--start-tls").code == 0
    assert program("init", "n", *common, "--ca-file", str(server.ca_file), "--start-tls", "--anyway").code == 0
    assert program("init", "p", *common, "--plain-ldap", "--anyway").code == 0

    assert Program(tmp_path / "s")("collect").code == 0
    other_name = Program(tmp_path / "n")("collect").err
    assert f"is not for 127.0.0.1 but for {server.tls_name}" in other_name.casefold()
    plain = Program(tmp_path / "p")("collect")
    assert (plain.code, "wants an encrypted connection" in plain.err) == (1, True)
    assert plain.err.startswith("Warning: plain LDAP")
