"""Where, when and how accounts sign in, set and taken back on the real directory server, which enforces it."""

from collections.abc import Iterator

import pytest

from adzeguard.directory.ldap_address import Address
from adzeguard.directory.ldap_wire import Wire
from adzeguard.directory.port import Modification
from tests.program import Program
from tests.server.server import PASSWORD, Server

pytestmark = pytest.mark.server
CHARTER = r"""charter: 1
rules:
- id: clerk-at-the-desk
  response: mend
  accounts: {named: 'LOWMERE\sign.clerk'}
  logon-only-on: {named: HOST}
  logon-hours: {times: "Mon-Fri 07:00-19:00"}
- id: clerk-with-care
  response: mend
  accounts: {named: 'LOWMERE\sign.clerk'}
  account-standard: [not-delegated, password-expires, protected]
"""
CLERK = "CN=Sign Clerk,OU=People"


def standing(server: Server) -> dict[str, list[str]]:
    """What the server holds about it, by a plain client."""
    return server.ask("(sAMAccountName=sign.clerk)", "userWorkstations", "logonHours", "userAccountControl")[0]


@pytest.fixture
def clerk(server: Server) -> Iterator[None]:
    """An account with a password that never expires."""
    wire = Wire(Address(server.url, str(server.ca_file), server.tls_name), server.bind_as, PASSWORD)
    dn = f"{CLERK},{server.base}"
    wire.add(dn, {"objectClass": [b"user"], "sAMAccountName": [b"sign.clerk"]})
    quoted = f'"{PASSWORD}"'.encode("utf-16-le")
    wire.modify(dn, [Modification("replace", "unicodePwd", (quoted,))])
    wire.modify(dn, [Modification("replace", "userAccountControl", (b"66048",))])
    yield
    wire.delete(dn)
    wire.close()


@pytest.mark.usefixtures("clerk")
def test_the_server_enforces_what_a_rule_sets_until_it_is_withdrawn(server: Server, workspace: Program) -> None:
    """An account that may log on to a kiosk alone cannot bind at the server; withdrawn, it can."""
    workspace("collect")
    before = standing(server)
    assert before["userAccountControl"] == ["66048"]
    assert server.lets_in("sign.clerk")
    (workspace.folder / "charter/charter.yaml").write_text(CHARTER.replace("HOST", "KIOSK-01"))
    done = workspace("enact", "--yes", "--format", "json")
    assert (done.code, {row["status"] for row in done.json}) == (0, {"verified"})
    limited = standing(server)
    assert limited["userWorkstations"] == ["KIOSK-01"]
    assert limited["userAccountControl"] == [str(66048 ^ 0x10000 | 0x100000)]
    assert not server.lets_in("sign.clerk")
    assert "Sign Clerk" in server.members_of("Protected Users")
    assert "Nothing to change" in workspace("propose").out
    shown = workspace("show", "sign.clerk", "--format", "json").json
    assert (shown["logon_hours"], shown["signs_in"]) == (["Mon-Fri 07:00-19:00"], ["not-delegated"])
    (workspace.folder / "charter/charter.yaml").write_text("charter: 1\n")
    assert workspace("enact", "--yes").code == 0
    assert standing(server) == before
    assert "Sign Clerk" not in server.members_of("Protected Users")
    assert server.lets_in("sign.clerk")


@pytest.mark.usefixtures("clerk")
def test_what_somebody_else_writes_of_the_account_is_kept(server: Server, workspace: Program) -> None:
    """One bit is turned, and the others stay as they are by then."""
    workspace("collect")
    (workspace.folder / "charter/charter.yaml").write_text(CHARTER.replace("HOST", "KIOSK-01"))
    proposed = workspace("propose", "--output", "clerk.json")
    assert proposed.code == 3
    server.change(
        f"dn: {CLERK},{server.base}\nchangetype: modify\nreplace: userAccountControl\nuserAccountControl: 66050"
    )
    done = workspace("enact", "clerk.json", "--yes", "--format", "json")
    assert {row["status"] for row in done.json} == {"verified"}
    assert standing(server)["userAccountControl"] == [str(66050 ^ 0x10000 | 0x100000)]


@pytest.mark.usefixtures("clerk")
def test_who_is_put_away_is_let_in_at_no_hour_and_is_in_no_group(server: Server, workspace: Program) -> None:
    """The server itself refuses the bind, and lists it nowhere; without the rule it lets it in again."""
    workspace("collect")
    assert workspace("group", "add", "Radio Watch", "sign.clerk", "--yes").code == 0
    assert server.lets_in("sign.clerk")
    (workspace.folder / "charter/charter.yaml").write_text(
        "charter: 1\nrules:\n- id: put-away\n  response: mend\n  accounts: {named: 'LOWMERE\\sign.clerk'}\n"
        "  memberships: {only: []}\n  logon-hours: none\n"
    )
    done = workspace("enact", "--yes", "--format", "json")
    assert (done.code, {row["status"] for row in done.json}) == (0, {"verified"}), done.err
    assert not server.lets_in("sign.clerk")
    assert "Sign Clerk" not in server.members_of("Radio Watch")
    (workspace.folder / "charter/charter.yaml").write_text("charter: 1\n")
    assert workspace("enact", "--yes").code == 0
    assert server.lets_in("sign.clerk")
