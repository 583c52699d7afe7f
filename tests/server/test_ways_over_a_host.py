"""Who has what somebody left on a real member host: twelve who get at it, and twelve who do not."""

from collections.abc import Iterator
from contextlib import closing

import pytest

from adzeguard.core.errors import AdzeguardError
from adzeguard.directory.port import Modification
from tests.program import Program
from tests.server.member import HOST, Member, charter
from tests.server.planting import Place, give, planting
from tests.server.server import Server
from tests.server.test_local_passwords import KEPT, KEPT_VALUES, OWN

pytestmark = pytest.mark.server
GROUP = r"LOWMERE\Domain Admins"
MEMBER, CONTROL = "bf9679c0-0de6-11d0-a285-00aa003049e2", "bf967a68-0de6-11d0-a285-00aa003049e2"
RESET, TITLE = "00299570-246d-11d0-a768-00aa006e0529", "bf967a55-0de6-11d0-a285-00aa003049e2"
INSIDE = ("by.hand", "by.group", "by.nested")
OVER_GROUP = {
    "by.members": f"(OA;;WP;{MEMBER};;{{}})",
    "by.joining": f"(OA;;SW;{MEMBER};;{{}})",
    "by.rights": "(A;;WD;;;{})",
    "by.ownership": "(A;;WO;;;{})",
}
OVER_PERSON = {"by.reset": f"(OA;;CR;{RESET};;{{}})"}
OVER_OU = {"by.above": "(A;;WD;;;{})"}
OVER_HOST = {
    "by.account": f"(OA;;CR;{RESET};;{{}})",
    "by.control": f"(OA;;WP;{CONTROL};;{{}})",
    "by.password": f"(OA;;RPCR;{OWN};;{{}})",
}
LET = (*INSIDE, *OVER_GROUP, *OVER_PERSON, *OVER_OU, *OVER_HOST)
NEAR_GROUP = {"near.reading": "(A;;RP;;;{})", "near.naming": f"(OA;;WP;{TITLE};;{{}})"}
NEAR_GROUP["near.denied"] = f"(OD;;WP;{MEMBER};;{{}})(OA;;WP;{MEMBER};;{{}})"
NEAR_PERSON = {"near.title": f"(OA;;WP;{TITLE};;{{}})", "near.refused": f"(OD;;CR;{RESET};;{{}})(A;;CR;;;{{}})"}
NEAR_HOST = {
    "near.seeing": f"(OA;;RP;{OWN};;{{}})",
    "near.changing": "(OA;;CR;ab721a53-1e2f-11d0-9819-00aa0040529b;;{})",
    "near.describing": f"(OA;;WP;{TITLE};;{{}})",
}
WORDS = {
    "by.hand": rf"administers LOWMERE\{HOST}",
    "Quay Wardens": rf"administers LOWMERE\{HOST}",
    "by.members": r"may change the members of LOWMERE\Quay Wardens, which administers",
    "by.joining": r"may put themselves into LOWMERE\Quay Wardens, which administers",
    "by.rights": r"may change the rights over LOWMERE\Quay Wardens, which administers",
    "by.ownership": r"may take the ownership of LOWMERE\Quay Wardens, which administers",
    "by.reset": r"may reset the password of LOWMERE\by.hand, which administers",
    "by.above": "may change the rights over Ways over a host, which hands its rights on to",
    "by.account": rf"may reset the password of LOWMERE\{HOST}",
    "by.control": rf"may change how LOWMERE\{HOST} signs in",
    "by.password": rf"may read the password of the local administrator of LOWMERE\{HOST}",
}
OUTSIDE = ("near.mail", "near.elsewhere", "near.gone", "near.nobody")
NEAR = (*NEAR_GROUP, *NEAR_PERSON, *NEAR_HOST, *OUTSIDE)


@pytest.fixture
def planted(server: Server, member: Member) -> Iterator[Place]:
    """People with their rights over the host, its group and its administrator; the host is as it was afterwards."""
    [host] = server.ask(f"(sAMAccountName={HOST}$)", "dn")
    dn = host["dn"][0]
    before = member.administrators()
    with planting(server, "Ways over a host") as place:
        descriptor = place.admin.read(dn, ["nTSecurityDescriptor"])["ntsecuritydescriptor"][0]
        for name in (*LET, *NEAR):
            place.person(name)
        place.group("Quay Crew", "by.nested")
        place.group("Quay Wardens", "by.group", "Quay Crew")
        place.group("Quay Letters", "near.mail", groupType=b"2")
        place.group("Quay Elsewhere", "near.elsewhere")
        place.give("Quay Wardens", OVER_GROUP | NEAR_GROUP)
        place.give("by.hand", OVER_PERSON | NEAR_PERSON)
        place.give("", OVER_OU)
        give(place.admin, dn, {place.sids[who]: text for who, text in (OVER_HOST | NEAR_HOST).items()})
        for attribute, value in KEPT_VALUES.items():
            place.admin.modify(dn, [Modification("replace", attribute, (value,))])
        for name in ("by.hand", "Quay Wardens", "Quay Letters"):
            member.administrators(add=place.sids[name])
        member.session(r"LOWMERE\Administrator")
        try:
            yield place
        finally:
            member.session("")
            for attribute in KEPT_VALUES:
                place.admin.modify(dn, [Modification("replace", attribute, ())])
            place.admin.modify(dn, [Modification("replace", "nTSecurityDescriptor", (descriptor,))])
            assert member.administrators() >= before


def told(program: Program) -> dict[str, str]:
    """By name who of the planted has a way over a host, and how."""
    rows = program("reach", GROUP, "--over-hosts", "--format", "json").json
    names = {*LET, *NEAR, "Quay Wardens", "Quay Crew", "Quay Letters", "Quay Elsewhere"}
    return {row["name"]: row["sentence"] for row in rows if row["name"] in names}


def joins(server: Server, place: Place, member: Member, name: str) -> bool:
    """Whether somebody who puts themselves into the group that administers the host is let in there."""
    me = (place.dn_of(name).encode(),)
    with closing(server.bound(name)) as mine:
        try:
            mine.modify(place.dn_of("Quay Wardens"), [Modification("add", "member", me)])
        except AdzeguardError:
            return False
    try:
        return member.is_administered_by(name)
    finally:
        place.admin.modify(place.dn_of("Quay Wardens"), [Modification("delete", "member", me)])


def test_who_gets_at_a_host_and_who_does_not(server: Server, harbour: Program, planted: Place, member: Member) -> None:
    """Each of twelve by the right words, none of twelve who come near; and gone with what the host and rules close."""
    assert harbour("collect").code in (0, 4)
    found = told(harbour)
    assert found.keys() == {*LET, "Quay Wardens"} - {"by.group", "by.nested"}
    assert {name for name in (*LET, *NEAR) if member.is_administered_by(name)} == set(INSIDE)
    left = (
        r", which saw LOWMERE\Administrator log on in a session that was open on ",
        r"which is a member of LOWMERE\Domain Admins",
    )
    for name, sentence in found.items():
        assert left[0] in sentence, name
        assert sentence.endswith(left[1]), name
        assert sentence.startswith(rf"LOWMERE\{name} {WORDS[name]}"), sentence

    assert all(joins(server, planted, member, name) for name in ("by.members", "by.joining"))
    assert not any(joins(server, planted, member, name) for name in ("near.naming", "near.denied", "near.reading"))
    charter(harbour, "local-group: administrators\n  only: [LOWMERE\\Domain Admins]")
    enacted = harbour("enact", "--yes", "--removals", "3")
    assert enacted.code == 0, enacted.err
    assert told(harbour).keys() == {*OVER_HOST, *OVER_OU}
    assert not any(member.is_administered_by(name) for name in INSIDE)
    assert not any(joins(server, planted, member, name) for name in ("by.members", "by.joining"))
    for name in OVER_HOST:
        done = harbour("grant", "withdraw", name, "--over", HOST, "--yes")
        assert done.code == 0, done.err
    assert told(harbour) == {}
    [host] = server.ask(f"(sAMAccountName={HOST}$)", "dn")
    with closing(server.bound("by.password")) as mine:
        assert not mine.read(host["dn"][0], [KEPT]).get(KEPT.casefold())
