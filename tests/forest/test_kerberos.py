"""Signing in by Kerberos at a real server: a ticket or a key table, sealed, and no password anywhere."""

import json
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from tests.alone import needed
from tests.forest.kerberos_client import config, native_is_missing
from tests.forest.two_domains import TwoDomains
from tests.server.server import PASSWORD

pytestmark = pytest.mark.server
ROOT = Path(__file__).parents[2]
URL = "ldap://lowdc.lowmere.example"
Kerberos = Callable[..., Any]


@pytest.fixture(autouse=True)
def _needs_native() -> None:
    needed(native_is_missing(), "the tests of Kerberos")


@pytest.fixture
def kerberos(domains: TwoDomains, tmp_path: Path) -> Kerberos:
    """Run the program in a workspace that signs in by the administrator's key table; keywords are its settings."""
    keytab = domains.low.keytab("Administrator", tmp_path / "admin.keytab")
    environment = config(tmp_path)

    def run(*words: str, client: dict[str, str] | None = None, **settings: str) -> Any:
        folder = tmp_path / "w"
        (folder / "charter").mkdir(parents=True, exist_ok=True)
        (folder / ".adzeguard").mkdir(exist_ok=True)
        lines = {"kind": "ldap", "url": URL, "sign_in": "kerberos", "keytab": str(keytab)} | settings
        said = "".join(f'{key} = "{value}"\n' for key, value in lines.items() if value)
        (folder / "adzeguard.toml").write_text(f"[directory]\n{said}")
        (folder / "charter/charter.yaml").write_text("charter: 1\nrules: []\n")
        program = [sys.executable, "-m", "adzeguard", *words]
        return domains.low.inside(*program, at=folder, **(client or environment))

    return run


def test_all_connections_say_and_do_the_same(domains: TwoDomains, tmp_path: Path) -> None:
    """Every entry and value, what is missing, changes, refusals with their reasons, and being told of changes."""
    environment = config(tmp_path)
    script, client = [sys.executable, str(ROOT / "tests/forest/both_wires.py")], domains.low.client
    ticket = domains.low.inside("kinit", "Administrator", given=f"{PASSWORD}\n", **environment)
    assert ticket.returncode == 0, ticket.stderr
    how = [str(client.ca_file), "lowdc.lowmere.example", client.bind_as, str(client.password_file)]

    def said(way: str, url: str) -> Any:
        ran = domains.low.inside(*script, way, url, client.base, *how, **environment)
        assert ran.returncode == 0, ran.stderr
        return json.loads(ran.stdout)

    one = said("pure", client.url)
    assert len(one["entries"]) > 200
    for other in (said("ticket", URL), said("password", URL.replace("ldap:", "ldaps:"))):
        for key in one:
            assert one[key] == other[key], key
    assert (one["told"], one["quiet"], one["missing"]) == (True, False, [None, []])
    assert all(one["errors"])


def test_a_workspace_lives_by_a_key_table(domains: TwoDomains, kerberos: Kerberos, tmp_path: Path) -> None:
    """Collected, looked at, changed, verified by a plain client, undone, and a round; the password stands nowhere."""
    collected = kerberos("collect", names="lsa")
    assert collected.returncode == 0, collected.stderr
    named = json.loads(kerberos("find", "--kind", "foreign", "--format", "json").stdout)
    assert any(row["qualified_name"].startswith("ISLE\\") for row in named), collected
    checked = kerberos("settings", "check", "--format", "json", names="lsa")
    assert all(row["works"] for row in json.loads(checked.stdout)), checked.stdout
    before = domains.low.client.members_of("lg7")
    added = kerberos("group", "add", "lg7", "lp19", "--yes")
    assert added.returncode == 0, added.stderr
    assert domains.low.client.members_of("lg7") == before | {"lp19"}
    assert kerberos("undo", "--last", "--yes").returncode == 0
    assert domains.low.client.members_of("lg7") == before
    assert kerberos("round", "--format", "json").returncode == 0
    assert not [one for one in tmp_path.rglob("*") if one.is_file() and PASSWORD.encode() in one.read_bytes()]
    assert not (tmp_path / "cache").exists()  # the ticket of a key table is in memory alone


def test_each_domain_is_signed_in_to_by_its_own_keys(domains: TwoDomains, kerberos: Kerberos, tmp_path: Path) -> None:
    """Two key tables in one command, and none of them is taken for the other: ISLE sees its own account alone."""
    keytab = domains.isle.keytab("ip0", tmp_path / "isle.keytab")
    assert kerberos("collect").returncode == 0
    settings = tmp_path / "w/adzeguard.toml"
    text = settings.read_text()
    table = f"url = 'ldap://isledc.isle.example'\nsign_in = 'kerberos'\nkeytab = '{keytab}'"
    settings.write_text(f"{text}\n[other-domains.isle]\n{table}\n")
    program = [sys.executable, "-m", "adzeguard", "collect", "--full"]
    done = domains.low.inside(*program, at=tmp_path / "w", **config(tmp_path))
    assert (done.returncode, done.stderr) == (0, ""), done.stderr
    find = [*program[:3], "find", "--kind", "foreign", "--format", "json"]
    found = json.loads(domains.low.inside(*find, at=tmp_path / "w", **config(tmp_path)).stdout)
    theirs = {row["sid"]: row["qualified_name"] for row in found if row["sid"] in domains.isle.sids.values()}
    assert len(theirs) > 10
    assert theirs == {sid: rf"ISLE\{name}" for name, sid in domains.isle.sids.items() if sid in theirs}
    (tmp_path / "isle.keytab").unlink()
    silent = domains.low.inside(*program, at=tmp_path / "w", **config(tmp_path))
    assert (silent.returncode, "read before: isle: the key table" in silent.stderr) == (0, True), silent.stderr


def test_init_signs_in_by_kerberos(domains: TwoDomains, tmp_path: Path) -> None:
    """With a ticket that is there, and nothing of a name or a password; that it ends soon is said."""
    environment = config(tmp_path)
    program = [sys.executable, "-m", "adzeguard"]
    assert domains.low.inside("kinit", "lp3", given=f"{PASSWORD}\n", **environment).returncode == 0
    made = domains.low.inside(*program, "init", "w", "--ldap", URL, "--sign-in", "kerberos", at=tmp_path, **environment)
    assert made.returncode == 0, made.stderr
    assert 'sign_in = "kerberos"' in (tmp_path / "w/adzeguard.toml").read_text()
    collected = domains.low.inside(*program, "collect", at=tmp_path / "w", **environment)
    assert (collected.returncode, collected.stderr) == (0, "")
    assert domains.low.inside("kinit", "-l", "12m", "lp3", given=f"{PASSWORD}\n", **environment).returncode == 0
    soon = domains.low.inside(*program, "collect", at=tmp_path / "w", **environment)
    assert (soon.returncode, "Your ticket ends at " in soon.stderr) == (0, True), soon.stderr
    wrong = domains.low.inside(
        *program, "init", "v", "--ldap", URL, "--sign-in", "kerberos", "--tls-name", "x", at=tmp_path, **environment
    )
    assert (wrong.returncode, "no other name" in wrong.stderr) == (2, True)


def test_a_password_gets_a_ticket_that_goes_with_the_process(domains: TwoDomains, tmp_path: Path) -> None:
    """Asked for once, and used for names too; nothing of it stays; a wrong one is told in one line."""
    environment = config(tmp_path)
    program = [sys.executable, "-m", "adzeguard"]
    by_name = ["--sign-in", "kerberos", "--bind-as", "Administrator@LOWMERE.EXAMPLE"]
    files = ["--password-file", str(domains.low.client.password_file)]
    made = domains.low.inside(*program, "init", "w", "--ldap", URL, *by_name, *files, at=tmp_path, **environment)
    assert made.returncode == 0, made.stderr
    settings = tmp_path / "w/adzeguard.toml"
    settings.write_text(settings.read_text().replace("[directory]", '[directory]\nnames = "lsa"', 1))
    checked = domains.low.inside(*program, "settings", "check", "--format", "json", at=tmp_path / "w", **environment)
    assert all(row["works"] for row in json.loads(checked.stdout)), checked.stdout
    assert domains.low.inside(*program, "collect", at=tmp_path / "w", **environment).returncode == 0
    assert not list(Path("/dev/shm").glob("adzeguard-*"))  # noqa: S108
    assert not (tmp_path / "cache").exists()
    (tmp_path / "wrong").touch(0o600)
    (tmp_path / "wrong").write_text("not this one")
    files = ["--password-file", str(tmp_path / "wrong")]
    wrong = domains.low.inside(*program, "init", "v", "--ldap", URL, *by_name, *files, at=tmp_path, **environment)
    assert (wrong.returncode, "Check the name and its password" in wrong.stderr) == (1, True), wrong.stderr


def test_shares_are_read_by_the_same_ticket(domains: TwoDomains, kerberos: Kerberos, tmp_path: Path) -> None:
    """By the key table, and by the ticket of who runs it; an address for a name, and no ticket, are told."""
    keytab = tmp_path / "admin.keytab"
    assert kerberos("collect").returncode == 0
    settings, environment = tmp_path / "w/adzeguard.toml", config(tmp_path)
    table = "\n[shares.lowdc]\nkind = 'smb'\nserver = 'lowdc'\naddress = '{}'\nsign_in = 'kerberos'\n"
    program, directory = [sys.executable, "-m", "adzeguard"], settings.read_text()

    def run(*words: str, address: str = "lowdc.lowmere.example", by: str = "") -> Any:
        settings.write_text(directory + table.format(address) + by)
        return domains.low.inside(*program, *words, at=tmp_path / "w", **environment)

    read = run("collect", "--shares", by=f"keytab = '{keytab}'\n")
    assert (read.returncode, "of 3 shares" in read.stdout) == (0, True), read.stderr
    may = run("may", "Administrator", "read", r"\\lowdc\sysvol", "--format", "json")
    assert json.loads(may.stdout)[0]["allowed"] is True, may.stderr
    none = run("collect", "--shares")
    assert (none.returncode, r"\\lowdc: there is no ticket. Get one: kinit" in none.stderr) == (4, True), none.stderr
    assert domains.low.inside("kinit", "lp3", given=f"{PASSWORD}\n", **environment).returncode == 0
    assert run("collect", "--shares").returncode in (0, 4)
    wrong = run("collect", "--shares", address="127.0.0.61")
    assert (wrong.returncode, "whole DNS name" in wrong.stderr) == (4, True), wrong.stderr


def test_what_stands_in_the_way_is_one_line_with_the_way_out(
    domains: TwoDomains, kerberos: Kerberos, tmp_path: Path
) -> None:
    """No ticket, an expired one, an address for a name, no realm, no server of it, keys that are wrong, and TLS."""
    environment = config(tmp_path)

    def told(says: str, way_out: str, client: dict[str, str] | None = None, **settings: str) -> None:
        ran = kerberos("collect", client=client or environment, **settings)
        assert ran.returncode == 1, ran.stdout
        assert (says in ran.stderr, way_out in ran.stderr, ran.stderr.count("\n")) == (True, True, 1), ran.stderr

    told("there is no ticket", "kinit", keytab="")
    brief = domains.low.inside("kinit", "-l", "15s", "lp3", given=f"{PASSWORD}\n", **environment)
    assert brief.returncode == 0, brief.stderr
    told("the ticket has expired", "kinit", keytab="")
    told("knows no LDAP server of this name", "whole DNS name", url="ldap://127.0.0.61")
    nowhere = config(tmp_path, realms="OTHER.EXAMPLE = {\n  kdc = 127.0.0.61\n }")
    told("no server of the realm is known", "krb5.conf", client=nowhere)
    silent = config(tmp_path, kdc="127.0.0.99")
    told("no server of the realm answers", "Is it up", client=silent)
    config(tmp_path)
    told("cannot be read", "", keytab=str(tmp_path / "nothing.keytab"))
    (tmp_path / "empty.keytab").touch(0o600)
    told("the key table gives no ticket", "klist -k", keytab=str(tmp_path / "empty.keytab"))
    (tmp_path / "open.keytab").write_bytes((tmp_path / "admin.keytab").read_bytes())
    (tmp_path / "open.keytab").chmod(0o644)
    told("can be read by others", "chmod 600", keytab=str(tmp_path / "open.keytab"))
    old = domains.low.keytab("lp5", tmp_path / "old.keytab")
    assert (
        domains.low.inside(
            "samba-tool", "user", "setpassword", "lp5", f"--newpassword={PASSWORD}x", "-s", domains.low.conf
        ).returncode
        == 0
    )
    told("the key table has an old key", "anew", keytab=str(old))
    tls = {"url": "ldaps://lowdc.lowmere.example", "ca_file": str(domains.low.client.ca_file)}
    told("sealed", "ldap://", **tls)
