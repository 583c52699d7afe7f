"""Directory policies that are linked to a site: they apply to whoever is there, and are linked somewhere."""

import pytest

from adzeguard.directory.port import Modification
from tests.program import Program
from tests.server.planting import give, planting
from tests.server.server import Server

pytestmark = pytest.mark.server
GROUP = r"LOWMERE\Domain Admins"
LINKS, FOLDER = "f30e3bbe-9ff0-11d1-b603-0000f80367c1", "f30e3bc1-9ff0-11d1-b603-0000f80367c1"


def test_a_policy_of_a_site_leads_to_everybody_there(server: Server, workspace: Program) -> None:
    """Who changes it, links others or rules the site; of two sites only the servers are known to be there; undone."""
    sites = f"CN=Sites,CN=Configuration,{server.base}"
    site, other = f"CN=Default-First-Site-Name,{sites}", f"CN=Far-Harbour,{sites}"
    policy = f"CN={{6B1E3C70-9D7A-4C52-8B77-6E0C7A1D2E01}},CN=Policies,CN=System,{server.base}"
    with planting(server, "Sites") as place:
        for name in ("by.policy", "by.linking", "by.ruling", "near.reading", "near.other"):
            place.person(name)
        admin, sid = place.admin, place.sids
        before = admin.read(site, ["nTSecurityDescriptor"])["ntsecuritydescriptor"]
        admin.add(policy, {"objectClass": [b"groupPolicyContainer"], "displayName": [b"Harbour Clocks"]})
        give(admin, policy, {sid["by.policy"]: f"(OA;;WP;{FOLDER};;{{}})", sid["near.reading"]: "(A;;RP;;;{})"})
        link = f"[LDAP://{policy};0]".encode()
        admin.modify(site, [Modification("replace", "gPLink", (link,))])
        give(admin, site, {sid["by.linking"]: f"(OA;;WP;{LINKS};;{{}})", sid["by.ruling"]: "(A;;WD;;;{})"})
        give(admin, site, {sid["near.other"]: f"(OA;;RP;{LINKS};;{{}})"})
        try:
            assert workspace("collect").code in (0, 4)
            found = {r["name"]: r["sentence"] for r in workspace("reach", GROUP, "--format", "json").json}
            planted = {name: sentence for name, sentence in found.items() if name in sid}
            assert planted.keys() == {"by.policy", "by.linking", "by.ruling"}
            changing = "may change what the policy Harbour Clocks does, which is a policy that applies to"
            assert changing in planted["by.policy"]
            assert "may link directory policies to Default-First-Site-Name" in planted["by.linking"]
            stale = workspace("stale", "policies", "--format", "json").json
            assert "linked-nowhere" not in {row["sort"] for row in stale if row["name"] == "Harbour Clocks"}
            uses = workspace("uses", "Harbour Clocks").out
            assert "Default-First-Site-Name" in uses
            assert "link is on" in uses
            admin.add(other, {"objectClass": [b"site"]})
            admin.modify(other, [Modification("replace", "gPLink", (link,))])
            admin.modify(site, [Modification("replace", "gPLink", ())])
            assert workspace("collect").code in (0, 4)
            names = {row["name"] for row in workspace("reach", GROUP, "--format", "json").json} & sid.keys()
            assert names == {"by.linking", "by.ruling"}
        finally:
            admin.modify(site, [Modification("replace", "gPLink", ())])
            admin.modify(site, [Modification("replace", "nTSecurityDescriptor", (bytes(before[0]),))])
            for dn in (policy, other):
                if admin.read(dn, ["cn"]):
                    admin.delete(dn)
