"""The one road on the real server: what decides is read again there before anything is written."""

import pytest

from adzeguard.core.change.by_hand.members import memberships_by_hand
from adzeguard.core.change.draft import Draft
from adzeguard.core.estate.names import resolve
from adzeguard.workspace.open_workspace import Workspace
from adzeguard.workspace.unattended import enact_unattended
from tests.program import Program
from tests.server.server import Server

pytestmark = pytest.mark.server
GROUP = "Enterprise Admins"
KEEPERS = ("isolde.varn.adm", "tobin.asker.adm")


def test_a_round_judges_anew_by_a_group_that_changed_since_it_collected(server: Server, workspace: Program) -> None:
    """Of two keepers a round takes one out, and somebody else takes out the other meanwhile: nobody is taken out."""
    dns = {name: server.ask(f"(sAMAccountName={name})", "dn")[0]["dn"][0] for name in (GROUP, *KEEPERS)}
    [as_it_was] = server.ask(f"(sAMAccountName={GROUP})", "member")
    only_they = "".join(f"\nmember: {dns[name]}" for name in KEEPERS)
    server.change(f"dn: {dns[GROUP]}\nchangetype: modify\nreplace: member{only_they}")
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
    assert server.members_of(GROUP) == {dns[KEEPERS[0]].partition(",")[0].removeprefix("CN=")}
    members = "".join(f"\nmember: {dn}" for dn in as_it_was["member"])
    server.change(f"dn: {dns[GROUP]}\nchangetype: modify\nreplace: member{members}")
