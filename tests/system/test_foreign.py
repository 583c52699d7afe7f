"""Somebody of another domain is not called dead, wherever they stand; somebody of this domain who is gone is."""

import json
from base64 import b64encode

import pytest

from adzeguard.core.identity import Sid
from tests.program import Json, Program

OWN = "S-1-5-21-2874019363-1145201871-3300671429"
IVO, GONE = "S-1-5-21-9-9-9-1105", f"{OWN}-9999"
BASE = "DC=lowmere,DC=example"
PLACE = f"CN=ForeignSecurityPrincipals,{BASE}"


@pytest.fixture
def mixed(demo: Program) -> Program:
    """Both stand in a privileged group, in the rights over an OU and in a local group."""
    file = demo.folder / "lowmere.ldif"
    text = file.read_text()
    for sid in (IVO, GONE):
        packed = b64encode(Sid(sid).to_bytes()).decode()
        text += (
            f"\ndn: CN={sid},{PLACE}\nobjectClass: top\nobjectClass: foreignSecurityPrincipal\nobjectSid:: {packed}\n"
        )
    group = f"\ndn: CN=Domain Admins,CN=Users,{BASE}\n"
    before, _, after = text.partition(group)
    record, blank, rest = after.partition("\n\n")
    listed = "".join(f"\nmember: CN={sid},{PLACE}" for sid in (IVO, GONE))
    file.write_text(before + group + record + listed + blank + rest)
    host = demo.folder / "hosts/QUAY-01.json"
    content = json.loads(host.read_text())
    next(one for one in content["local_groups"] if one["sid"] == "S-1-5-32-544")["members"] += [IVO, GONE]
    host.write_text(json.dumps(content))
    demo("collect")
    for sid in (IVO, GONE):
        given = demo("grant", "give", sid, "password-help", "--over", "OU=Galley,OU=People", "--yes")
        assert given.code == 0, given.err
    return demo


def found(program: Program, sid: str) -> set[str]:
    """The checks that find something about a SID."""
    rows: list[Json] = program("check", "--format", "json").json
    return {row["check"] for row in rows if sid in json.dumps(row)}


def test_checks_tell_the_two_apart(mixed: Program) -> None:
    """The one of another domain is told as such; only the one of this domain resolves to nothing."""
    of_another, gone = found(mixed, IVO), found(mixed, GONE)
    assert {"foreign-privileged", "foreign-rights", "foreign-member"} <= of_another
    assert not of_another & {"stale-grant", "dangling-member"}
    assert {"stale-grant", "dangling-member"} <= gone
    assert not gone & {"foreign-privileged", "foreign-rights", "foreign-member"}


def test_nothing_offers_to_take_away_what_may_be_alive(mixed: Program) -> None:
    """Neither stale grants nor orphans name the one of another domain; tidy leaves it where it stands."""
    assert GONE in mixed("stale", "grants", "--format", "json").out
    assert IVO not in mixed("stale", "grants", "--format", "json").out
    assert IVO not in mixed("uses", "--orphans", "--format", "json").out
    done = mixed("retire", "tidy", "--vanished", "2", "--yes", "--format", "json")
    assert done.code == 0, done.err
    assert IVO not in done.out
    assert "foreign-rights" in found(mixed, IVO)
    assert "stale-grant" not in found(mixed, GONE)


def test_a_grant_of_another_domain_is_written_down_by_its_sid(mixed: Program) -> None:
    """The rule names the SID, and the grant is undocumented no more; the one who is gone is a comment."""
    text = mixed("grant", "document", "--output", "charter/grants.yaml")
    assert text.code == 0, text.err
    written = (mixed.folder / "charter/grants.yaml").read_text()
    assert f"to: ['{IVO}']" in written
    assert f"to: ['{GONE}']" not in written
    assert mixed("charter", "lint").code == 0
    assert "undocumented-grant" not in found(mixed, IVO)
