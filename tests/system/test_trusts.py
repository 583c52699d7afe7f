"""Trusts: whom the directory lets in, by whose word, and who of them is here."""

import re
from base64 import b64encode

import pytest

from adzeguard.core.identity import Sid
from adzeguard.demo.as_ldif import ISLE_SID
from tests.program import Program

BASE = "DC=lowmere,DC=example"
IVO = f"{ISLE_SID}-1105"


def rewritten(program: Program, *changes: tuple[str, str]) -> Program:
    """The directory with some values of the trust replaced, read again."""
    file = program.folder / "lowmere.ldif"
    text = file.read_text()
    for pattern, instead in changes:
        text, count = re.subn(pattern, instead, text)
        assert count == 1, pattern
    file.write_text(text)
    assert program("collect").code in (0, 4)
    return program


def found(program: Program, check: str) -> list[str]:
    """The messages of one check."""
    return [row["message"] for row in program("check", "--where", f"check={check}", "--format", "json").json]


def test_a_trust_is_told_as_the_directory_has_it(demo: Program) -> None:
    """Direction, kind, filter and the age of its password; alone, trusts lists; it is found by either name."""
    [row] = demo("trusts", "--format", "json").json
    told = {
        key: row[key] for key in ("name", "partner_sid", "direction", "kind", "transitive", "filtered", "selective")
    }
    assert told == {
        "name": "isle.example",
        "partner_sid": str(ISLE_SID),
        "direction": "both ways",
        "kind": "forest",
        "transitive": True,
        "filtered": True,
        "selective": False,
    }
    assert row["password_set_at"] is not None
    for name in ("ISLE", "isle.example"):
        assert demo("trusts", "show", name, "--format", "json").json["account"] == r"LOWMERE\ISLE"
    refused = demo("trusts", "show", "HARBOUR")
    assert (refused.code, "There is one with: isle.example" in refused.err) == (2, True)
    assert {found(demo, one) == [] for one in ("trust-without-filter", "old-trust-password")} == {True}


@pytest.mark.parametrize(
    ("direction", "attributes", "way", "kind", "filtered", "told"),
    [
        (3, 8 | 0x40, "both ways", "forest", False, True),
        (2, 0, "theirs come in here", "external", False, True),
        (2, 4, "theirs come in here", "external", True, False),
        (1, 0, "ours go there", "external", False, False),
        (3, 0x20, "both ways", "same forest", False, False),
        (0, 0, "closed", "external", False, False),
    ],
)
def test_a_trust_without_a_filter_is_found_where_it_lets_somebody_in(
    demo: Program, direction: int, attributes: int, way: str, kind: str, filtered: bool, told: bool
) -> None:
    """A filter that is off matters where the other side comes in, and not within one forest."""
    rewritten(
        demo,
        ("trustAttributes: 8", f"trustAttributes: {attributes}"),
        ("trustDirection: 3", f"trustDirection: {direction}"),
    )
    [row] = demo("trusts", "--format", "json").json
    assert (row["direction"], row["kind"], row["filtered"]) == (way, kind, filtered)
    assert bool(found(demo, "trust-without-filter")) == told


def test_an_old_password_of_a_trust_is_found(demo: Program) -> None:
    """After ninety days, with the account and the age; another number there is no age."""
    account = r"(?s)(dn: CN=ISLE\$.*?pwdLastSet: )\d+"
    rewritten(demo, (account, r"\g<1>133000000000000000"))
    [said] = found(demo, "old-trust-password")
    assert re.search(r"LOWMERE\\ISLE.* is \d{4} days old", said)
    rewritten(demo, (account, r"\g<1>0"))
    assert found(demo, "old-trust-password") == []


def test_who_of_the_other_domain_is_here_is_listed(demo: Program) -> None:
    """In groups and in rights; the findings about them say the domain, or that nobody knows it."""
    packed = b64encode(Sid(IVO).to_bytes()).decode()
    place = f"CN={IVO},CN=ForeignSecurityPrincipals,{BASE}"
    file = demo.folder / "lowmere.ldif"
    text = (
        file.read_text()
        + f"\ndn: {place}\nobjectClass: top\nobjectClass: foreignSecurityPrincipal\nobjectSid:: {packed}\n"
    )
    group = f"\ndn: CN=Backup Operators,CN=Builtin,{BASE}\n"
    file.write_text(text.replace(group, f"{group}member: {place}\n"))
    demo("collect")
    for sid in (IVO, "S-1-5-21-9-9-9-1105"):
        assert demo("grant", "give", sid, "password-help", "--over", "OU=Galley,OU=People", "--yes").code == 0
    shown = demo("trusts", "show", "ISLE", "--format", "json").json
    assert shown["members_here"] == [rf"{IVO} is in BUILTIN\Backup Operators"]
    assert [IVO in line for line in shown["rights_here"]] == [True]
    [inside] = found(demo, "foreign-privileged")
    assert "of ISLE" in inside
    assert sorted(said.rpartition(": it is ")[2] for said in found(demo, "foreign-rights")) == [
        "of ISLE",
        "of an unknown domain",
    ]
