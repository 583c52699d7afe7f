"""The one road on the real server: what decides is read again there before anything is written."""

from base64 import b64encode
from collections.abc import Iterator

import pytest

from adzeguard.core.change.by_hand.members import memberships_by_hand
from adzeguard.core.change.draft import Draft
from adzeguard.core.estate.names import resolve
from adzeguard.workspace.open_workspace import Workspace
from adzeguard.workspace.unattended import enact_unattended
from tests.program import Program
from tests.server.server import PASSWORD, Server

pytestmark = pytest.mark.server
GROUP = "Enterprise Admins"
KEEPERS = ("isolde.varn.adm", "tobin.asker.adm")


@pytest.fixture
def two_keepers(server: Server) -> Iterator[dict[str, str]]:
    """Only the two administrators are in the group; their DNs by their names. All is as it was afterwards."""
    dns = {name: server.ask(f"(sAMAccountName={name})", "dn")[0]["dn"][0] for name in (GROUP, *KEEPERS)}
    [as_it_was] = server.ask(f"(sAMAccountName={GROUP})", "member")
    only_they = "".join(f"\nmember: {dns[name]}" for name in KEEPERS)
    server.change(f"dn: {dns[GROUP]}\nchangetype: modify\nreplace: member{only_they}")
    yield dns
    members = "".join(f"\nmember: {dn}" for dn in as_it_was["member"])
    server.change(f"dn: {dns[GROUP]}\nchangetype: modify\nreplace: member{members}")


def test_a_round_judges_anew_by_a_group_that_changed_since_it_collected(
    server: Server, workspace: Program, two_keepers: dict[str, str]
) -> None:
    """Of two keepers a round takes one out, and somebody else takes out the other meanwhile: nobody is taken out."""
    dns = two_keepers
    assert workspace("collect").code in (0, 4)
    opened = Workspace(workspace.folder)

    def draft() -> Draft:
        estate = opened.estate
        leaving = [(resolve(estate, GROUP), resolve(estate, KEEPERS[0]))]
        change = "changetype: modify\ndelete: member\nmember"
        server.change(f"dn: {dns[GROUP]}\n{change}: {dns[KEEPERS[1]]}")
        return memberships_by_hand(estate, (), leaving, "a rule says so")

    refused = enact_unattended(opened, draft).refused

    opened.close()
    assert rf"LOWMERE\{GROUP} would be left without a keeper" in refused
    assert server.members_of(GROUP) == {_common_name(dns[KEEPERS[0]])}


@pytest.mark.parametrize(
    ("attribute", "value"),
    [
        ("userWorkstations", " KIOSK-01"),
        ("userWorkstations", " NOWHERE-9"),
        ("accountExpires", " 116444736000000001"),
        ("logonHours", f": {b64encode(bytes(21)).decode()}"),
    ],
)
def test_the_last_who_can_sign_in_is_not_taken_out(
    server: Server, workspace: Program, two_keepers: dict[str, str], attribute: str, value: str
) -> None:
    """One of two keepers is limited, so that the server lets them in no more: then the other one stays."""
    limited = two_keepers[KEEPERS[1]]
    quoted = b64encode(f'"{PASSWORD}"'.encode("utf-16-le")).decode()
    server.change(f"dn: {limited}\nchangetype: modify\nreplace: unicodePwd\nunicodePwd:: {quoted}")
    assert server.lets_in(KEEPERS[1])
    server.change(f"dn: {limited}\nchangetype: modify\nreplace: {attribute}\n{attribute}:{value}")
    assert not server.lets_in(KEEPERS[1])
    assert workspace("collect").code in (0, 4)

    refused = workspace("group", "remove", GROUP, KEEPERS[0], "--yes")

    assert (refused.code, server.members_of(GROUP)) == (1, {_common_name(two_keepers[name]) for name in KEEPERS})
    assert rf"LOWMERE\{GROUP} would be left without a keeper" in refused.err
    free = "\naccountExpires: 0" if attribute == "accountExpires" else ""
    server.change(f"dn: {limited}\nchangetype: modify\nreplace: {attribute}{free}")
    workspace("collect")
    assert workspace("group", "remove", GROUP, KEEPERS[0], "--yes").code == 0
    assert server.members_of(GROUP) == {_common_name(limited)}


def _common_name(dn: str) -> str:
    return dn.partition(",")[0].removeprefix("CN=")
