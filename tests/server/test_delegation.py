"""Rights given with the tool, tried out on the real server as the person who has them."""

import base64
from collections.abc import Iterator

import pytest

from adzeguard.core.descriptors.ace import Ace, AceKind, Right
from adzeguard.core.descriptors.descriptor import Descriptor
from adzeguard.core.descriptors.inheritance import inherited_entries
from adzeguard.core.errors import ChangeRefusedError
from adzeguard.core.identity import Sid, fold_dn, parent_dn
from adzeguard.directory.ldap_address import Address
from adzeguard.directory.ldap_wire import Wire
from adzeguard.directory.port import Modification
from adzeguard.directory.schema import class_guid, standard_schema
from tests.program import Program, insisting
from tests.server.server import PASSWORD, Server
from tests.server.test_objects import DESCRIPTOR, made

pytestmark = pytest.mark.server
OFFICE = "OU=Booking Office,OU=People"
NEW_PASSWORD = '"Another-57x!"'.encode("utf-16-le")


def wire(server: Server, account: str) -> Wire:
    """A connection bound as somebody."""
    return Wire(Address(server.url, str(server.ca_file), server.tls_name), f"LOWMERE\\{account}", PASSWORD)


@pytest.fixture
def hedda(server: Server, workspace: Program) -> Iterator[Wire]:
    """A lead of the booking office, bound; the grants of the test are taken back afterwards."""
    administrator = wire(server, "Administrator")
    for account in ("Hedda Morrow,OU=Booking Office", "Signe Quist,OU=Shore Office"):
        dn = f"CN={account},OU=People,{server.base}"
        administrator.modify(dn, [Modification("replace", "unicodePwd", (f'"{PASSWORD}"'.encode("utf-16-le"),))])
        administrator.modify(dn, [Modification("replace", "userAccountControl", (b"512",))])
    administrator.close()
    workspace("collect", "--full")
    bound = wire(server, "hedda.morrow")
    yield bound
    bound.close()
    made(workspace, "undo", "--since", "1h")


def refused(write: object, *arguments: object) -> bool:
    """Whether the server says no."""
    try:
        write(*arguments)  # type: ignore[operator]
    except ChangeRefusedError:
        return True
    return False


def test_the_delegated_can_do_exactly_what_was_given(server: Server, workspace: Program, hedda: Wire) -> None:
    """Reset passwords, create users in the OU and not beside it, change members: yes; all else, and afterwards: no."""
    cato, orla = f"CN=Cato Lune,{OFFICE},{server.base}", f"CN=Orla Fenn,OU=Bridge,OU=People,{server.base}"
    aiders, radio = (f"CN={name},OU=Groups,{server.base}" for name in ("First Aiders", "Radio Watch"))
    reset = [Modification("replace", "unicodePwd", (NEW_PASSWORD,)), Modification("replace", "pwdLastSet", (b"0",))]
    join = [Modification("add", "member", (f"CN=Yorick Tarn,{OFFICE},{server.base}".encode(),))]
    newcomer = {"objectClass": [b"user"], "sAMAccountName": [b"helm.smit"]}
    assert refused(hedda.modify, cato, reset)
    before = server.ask("(objectClass=*)", "nTSecurityDescriptor", options=DESCRIPTOR)

    leads = r"LOWMERE\Booking Office Leads"
    given = insisting(workspace, "grant", "give", leads, "password-help", "user-lifecycle", "--over", OFFICE, "--yes")
    assert given.code == 0, given.err  # a domain administrator has their account in this office
    made(workspace, "grant", "give", leads, "group-membership", "--over", "First Aiders")
    assert made(workspace, "grant", "give", leads, "user-lifecycle", "--over", OFFICE) == []
    hedda.modify(cato, reset)
    hedda.modify(aiders, join)
    hedda.add(f"CN=Helm Smit,{OFFICE},{server.base}", newcomer)
    hedda.add(f"CN=Helm Ames,{OFFICE},{server.base}", newcomer | {"sAMAccountName": [b"helm.ames"]})
    hedda.delete(f"CN=Helm Ames,{OFFICE},{server.base}")
    for no, arguments in {
        "another OU": (
            hedda.add,
            f"CN=Helm Two,OU=Bridge,OU=People,{server.base}",
            newcomer | {"sAMAccountName": [b"helm.two"]},
        ),
        "a group in the OU": (
            hedda.add,
            f"CN=Helms,{OFFICE},{server.base}",
            {"objectClass": [b"group"], "sAMAccountName": [b"helms"]},
        ),
        "another attribute": (hedda.modify, cato, [Modification("replace", "title", (b"Captain",))]),
        "somebody beside": (hedda.modify, orla, reset),
        "another group": (hedda.modify, radio, join),
        "delete somebody elsewhere": (hedda.delete, orla),
        "delete the OU": (hedda.delete, f"{OFFICE},{server.base}"),
    }.items():
        assert refused(*arguments), no
    listed = {(g["holder"], g["duty"]) for g in workspace("grant", "list", "--to", leads, "--format", "json").json}
    assert listed == {(leads, duty) for duty in ("password-help", "user-lifecycle", "group-membership")}
    for right, target, allowed in (
        ("password-help", "cato.lune", True),
        ("password-help", "orla.fenn", False),
        ("create:user", OFFICE, True),
        ("create:user", "OU=Bridge,OU=People", False),
        ("write:title", "cato.lune", False),
    ):
        answer = workspace("may", "hedda.morrow", right, target, "--format", "json")
        assert (answer.code, answer.json[0]["allowed"]) == (0 if allowed else 3, allowed), (right, target)

    made(workspace, "grant", "withdraw", leads, "password-help", "--over", OFFICE)
    assert refused(hedda.modify, cato, reset)
    hedda.add(f"CN=Helm Three,{OFFICE},{server.base}", newcomer | {"sAMAccountName": [b"helm.three"]})
    administrator = wire(server, "Administrator")
    for name in ("Helm Smit", "Helm Three"):
        administrator.delete(f"CN={name},{OFFICE},{server.base}")
    administrator.close()
    made(workspace, "undo", "--since", "1h")
    after = server.ask("(objectClass=*)", "nTSecurityDescriptor", options=DESCRIPTOR)
    assert [entry for entry in after if entry not in before] == []
    assert [entry for entry in before if entry not in after] == []


def test_a_denial_takes_the_hands_off_and_leaves_the_eyes(server: Server, workspace: Program, hedda: Wire) -> None:
    """A service desk that could change a group cannot any more after the denial, and still reads it."""
    group = f"CN=Harbour Operators,OU=Groups,{server.base}"
    join = [Modification("add", "member", (f"CN=Roan Pell,OU=Shore Office,OU=People,{server.base}".encode(),))]
    leave = [Modification("delete", "member", join[0].values)]
    made(workspace, "grant", "give", "Service Desk", "group-membership", "--over", "Harbour Operators")
    signe = wire(server, "signe.quist")
    signe.modify(group, join)
    signe.modify(group, leave)
    ran = workspace("grant", "deny", "Service Desk", "everything", "--over", "Harbour Operators", "--yes")
    assert "wins over what is given" in ran.out
    assert "may change the members of groups" in ran.out
    assert refused(signe.modify, group, join)
    seen = signe.read(group, ["member", "description"])
    assert seen is not None
    assert len(seen["member"]) == 2
    signe.close()


def test_descriptors_of_a_real_domain_are_understood_to_the_byte(server: Server) -> None:
    """Every descriptor encodes as it was, and what each object has from above is what its container hands on."""
    found = {}
    for base in (server.base, f"CN=Configuration,{server.base}", f"CN=Schema,CN=Configuration,{server.base}"):
        for entry in server.ask(
            "(objectClass=*)", "nTSecurityDescriptor", "objectClass", base=base, options=DESCRIPTOR
        ):
            raw = base64.b64decode(entry["nTSecurityDescriptor"][0].removeprefix(": "))
            descriptor = Descriptor.from_bytes(raw)
            assert descriptor.to_bytes() == raw, entry["dn"]
            assert not descriptor.whole
            found[fold_dn(entry["dn"][0])] = (descriptor, entry["objectClass"])
    assert len(found) > 3000
    checked = 0
    for dn, (descriptor, classes) in found.items():
        above = found.get(parent_dn(dn))
        if above is None or descriptor.protected or not dn.endswith(fold_dn(server.base)) or "cn=configuration" in dn:
            continue
        checked += 1
        standing = {entry for entry in descriptor.entries if entry.inherited}
        expected = set(inherited_entries(above[0].entries, class_guid(classes), descriptor.owner))
        assert standing == expected, dn
    assert checked > 400


def test_what_this_server_does_otherwise(server: Server) -> None:
    """Two kept cases: an object entry for all control rights lets one do anything here; owner rights are not read.

    By the specification the first gives control rights alone, and the second decides what owners may.
    """
    administrator = wire(server, "Administrator")
    dn = f"CN=Odd,OU=Groups,{server.base}"
    administrator.add(dn, {"objectClass": [b"group"], "sAMAccountName": [b"odd"]})
    account = f"CN=Signe Quist,OU=Shore Office,OU=People,{server.base}"
    administrator.modify(account, [Modification("replace", "unicodePwd", (f'"{PASSWORD}"'.encode("utf-16-le"),))])
    administrator.modify(account, [Modification("replace", "userAccountControl", (b"512",))])
    group, owner = standard_schema().classes["group"], Sid(server.sids["Administrator"])
    looking = Ace(AceKind.ALLOW, 0, 0x20094, Sid("S-1-5-11"))
    signe = Sid(server.sids["signe.quist"])
    said = []
    for who, entry in (
        (owner, Ace(AceKind.ALLOW_OBJECT, 0, int(Right.CONTROL_ACCESS), signe, group)),
        (signe, Ace(AceKind.ALLOW, 0, int(Right.READ_CONTROL), Sid("S-1-3-4"))),
    ):
        packed = Descriptor(who, who, None, control=0x9004).with_entries([looking, entry]).to_bytes()
        administrator.modify(dn, [Modification("replace", "nTSecurityDescriptor", (packed,))], whole_descriptor=True)
        bound = wire(server, "signe.quist")
        answer = bound.read(dn, ["sDRightsEffective", "allowedAttributesEffective"])
        assert answer is not None
        said.append((answer["sdrightseffective"], b"description" in answer.get("allowedattributeseffective", [])))
        bound.close()
    administrator.delete(dn)
    administrator.close()
    assert said == [([b"7"], True), ([b"4"], False)]


def test_a_charter_adopted_from_a_real_domain_finds_no_deviation(workspace: Program) -> None:
    """Grants over OUs, groups and accounts, for classes, single rights, denials: each rule holds, none is missing."""
    workspace("collect", "--full")
    over = ("--over", OFFICE)
    for given in (
        ("give", "Booking Office Leads", "password-help", *over),
        ("give", "Booking Office Leads", "write:telephoneNumber", "create:contact", *over, "--this-and-below"),
        ("give", "Service Desk", "group-membership", "--over", "First Aiders"),
        ("give", "Service Desk", "everything", "--over", "cato.lune"),
        ("give", "Harbour Operators", "read-all", "--over", "OU=Retired", "--only-for", "group"),
        ("deny", "Galley Crew", "everything", "--over", "Radio Watch"),
    ):
        line = ("grant", *given, "--yes", "--why", "as asked")
        done = workspace(*line)
        done = insisting(workspace, *line) if "--new-reach" in done.err else done
        assert done.code == 0, done.err
    (workspace.folder / "charter/charter.yaml").write_text("charter: 1\nrules: []\n")
    before = workspace("check", "--format", "json").json
    assert sum(f["check"] == "undocumented-grant" for f in before) >= 6
    assert workspace("charter", "adopt").code == 0
    (workspace.folder / "charter/charter.yaml").unlink()
    lint = workspace("charter", "lint")
    assert (lint.code, "nothing wrong" in lint.out) == (0, True), lint.out
    found = workspace("check", "--format", "json").json
    assert [f for f in found if f["rule"] or f["check"] == "undocumented-grant"] == []
    assert all(row["documented"] for row in workspace("grant", "list", "--format", "json").json)
    made(workspace, "undo", "--since", "1h")
