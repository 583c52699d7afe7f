"""Who may let accounts act in the name of anybody, as the real server tells it, and lets them."""

import json
import socket
from collections.abc import Iterator
from contextlib import closing, contextmanager

import pytest
from impacket.dcerpc.v5 import lsad
from impacket.dcerpc.v5.dtypes import MAXIMUM_ALLOWED

from adzeguard.core.errors import AdzeguardError
from adzeguard.directory.port import Modification
from tests.program import Program
from tests.server.member import service_of
from tests.server.planting import Place, planting
from tests.server.server import Server

pytestmark = pytest.mark.server
GROUP = r"LOWMERE\Domain Admins"
CONTROL, TOWARDS = "bf967a68-0de6-11d0-a285-00aa003049e2", "800d94d7-b7a1-42a1-b14d-7cae1423d07f"
BOTH = f"(OA;;WP;{CONTROL};;{{}})(OA;;WP;{TOWARDS};;{{}})"
LET, BY_GROUP, WITHOUT, ONE, NOTHING = "let.alone", "let.inside", "near.rights", "near.half", "near.privilege"
ACTS = b"16777728"
"""An ordinary account that acts for anybody: 512 and 0x1000000."""


@contextmanager
def privilege(*sids: str) -> Iterator[None]:
    """Some hold the privilege to enable delegation on the server."""
    with service_of("127.0.0.1", "lsarpc", lsad.MSRPC_UUID_LSAD) as service:
        policy = lsad.hLsarOpenPolicy2(service, MAXIMUM_ALLOWED)["PolicyHandle"]
        for sid in sids:
            lsad.hLsarAddAccountRights(service, policy, sid, ["SeEnableDelegationPrivilege"])
        try:
            yield
        finally:
            for sid in sids:
                lsad.hLsarRemoveAccountRights(service, policy, sid, ["SeEnableDelegationPrivilege"])


def sets_free(server: Server, place: Place, name: str) -> bool:
    """Whether the server lets somebody set an account free to act for anybody; it is as before afterwards."""
    dn = place.dn_of("svc.freed")
    towards = f"cifs/{socket.gethostname().partition('.')[0]}".encode()
    try:
        with closing(server.bound(name)) as mine:
            mine.modify(dn, [Modification("replace", "userAccountControl", (ACTS,))])
            mine.modify(dn, [Modification("replace", "msDS-AllowedToDelegateTo", (towards,))])
    except AdzeguardError:
        return False
    finally:
        place.admin.modify(dn, [Modification("replace", "userAccountControl", (b"512",))])
        place.admin.modify(dn, [Modification("replace", "msDS-AllowedToDelegateTo", ())])
    return True


def told(program: Program) -> dict[str, str]:
    """By name who of the planted reaches the group, and how."""
    assert program("collect").code in (0, 4)
    rows = program("reach", GROUP, "--format", "json").json
    return {row["name"]: row["sentence"] for row in rows if row["name"] in (LET, BY_GROUP, WITHOUT, ONE, NOTHING)}


def test_who_may_let_accounts_act_for_anybody_is_told_with_the_privilege_alone(
    server: Server, workspace: Program
) -> None:
    """As the server lets them: two who hold it and may write, not who lacks either; and nobody without it."""
    settings = workspace.folder / "adzeguard.toml"
    name = socket.gethostname().partition(".")[0]
    source = (
        f"[hosts.servers]\nkind = 'remote-sam'\nnamed = '{name}'\naddress = '127.0.0.1'\n"
        f"account = 'LOWMERE\\Administrator'\npassword_file = {json.dumps(str(server.password_file))}\n"
    )
    settings.write_text(settings.read_text().replace("[hosts]", f"{source}[hosts.others]"))
    with planting(server, "Letting act") as place:
        for one in (LET, BY_GROUP, WITHOUT, ONE, NOTHING, "svc.freed"):
            place.person(one)
        place.group("Service Wardens", BY_GROUP)
        rights = dict.fromkeys((LET, BY_GROUP, WITHOUT), BOTH) | {ONE: f"(OA;;WP;{CONTROL};;{{}})"}
        place.give("svc.freed", rights)
        holders = [place.sids[one] for one in (LET, "Service Wardens", ONE, NOTHING)]
        with privilege(*holders):
            found = told(workspace)
            assert {one for one in (*rights, NOTHING) if sets_free(server, place, one)} == {LET, BY_GROUP}
            for one in (LET, BY_GROUP):
                assert found[one].startswith(rf"LOWMERE\{one} may let an account act in the name of anybody towards")
            # Over accounts that other tests have left they may write what these let everybody write.
            assert not any(r"by rights over LOWMERE\svc.freed" in found.get(one, "") for one in (WITHOUT, ONE, NOTHING))
            assert WITHOUT not in found
            findings = workspace("check", "--format", "json").json
            assert {r["subject_sid"] for r in findings if r["check"] == "lets-accounts-act"} == set(holders)
        assert told(workspace) == {}
        assert not any(sets_free(server, place, one) for one in rights)
