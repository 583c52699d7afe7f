"""What is stale on the real server: what was planted, and nothing that was not."""

import random
from collections.abc import Iterator

import pytest

from adzeguard.directory.ldap_address import Address
from adzeguard.directory.ldap_wire import Wire
from tests.program import Program
from tests.server.server import PASSWORD, Server
from tests.server.stale_plantings import EACH, Planted, plant

pytestmark = pytest.mark.server


@pytest.fixture
def planted(server: Server) -> Iterator[Planted]:
    """All kinds of staleness, taken away again afterwards."""
    wire = Wire(Address(server.url, str(server.ca_file), server.tls_name), server.bind_as, PASSWORD)
    yield plant(wire, server.base, server.sids["Administrator"].rpartition("-")[0], random.Random(20261126))
    lying = [dn for dn, _ in wire.search(f"OU=Trial,{server.base}", "(objectClass=*)", ["cn"], descriptors=False)]
    policies = f"CN=Policies,CN=System,{server.base}"
    lying += [dn for dn, _ in wire.search(policies, "(|(cn=st-*)(cn=ok-*))", ["cn"], descriptors=False)]
    for dn in sorted(lying, key=lambda dn: -dn.count(",")):
        wire.delete(dn)
    wire.close()


def test_forty_of_each_sort_and_nothing_beside_them(workspace: Program, planted: Planted) -> None:
    """Groups, accounts, computers, policies, OUs and grants; what stands beside them and is alive is not told."""
    holders = ", ".join(f'"st-keeps-{n}"' for n in range(EACH))
    settings = workspace.folder / "adzeguard.toml"
    settings.write_text(settings.read_text().replace("[charter]\n", f"[charter]\nprivileged = [{holders}]\n"))
    assert "computer" in workspace("collect").out

    def found(kind: str) -> dict[str, set[str]]:
        sorts: dict[str, set[str]] = {}
        for row in workspace("stale", kind, "--format", "json").json:
            name = row["name"].rpartition("\\")[2].removeprefix("OU=").partition(",")[0]
            if name.startswith(("st", "ok", "S-1-")):
                sorts.setdefault(row["kind"], set()).add(name)
        return sorts

    def of(*sorts: str) -> dict[str, set[str]]:
        assert all(len(planted.sorts[sort]) >= EACH for sort in sorts)
        return {sort.removesuffix("-computer").removesuffix("-ou"): planted.sorts[sort] for sort in sorts}

    assert found("groups") == of("no-members", "nobody-inside", "only-disabled", "in-a-ring")
    assert found("accounts") == of("unused", "expired", "disabled-privileged")
    assert found("computers") == of("unused-computer", "disabled-computer")
    assert found("policies") == of("linked-nowhere", "link-off", "empty")
    assert found("ous") == of("empty-ou")
    assert found("grants") == of("to-nothing", "to-nobody", "to-a-disabled-account")
    named = {
        row["name"].rpartition("\\")[2]: row
        for row in workspace("stale", "groups", "--with-uses", "--format", "json").json
    }
    # Born with the domain, under numbers as those of what staff make: empty, and nothing to be put away.
    assert not {"DnsAdmins", "DnsUpdateProxy"} & named.keys()
    asked = workspace("stale", "groups", "--built-in", "--format", "json").json
    assert {"DnsAdmins", "DnsUpdateProxy"} <= {row["name"].rpartition("\\")[2] for row in asked}
    for n in range(EACH):
        uses = named[f"st-empty-{n}"]
        assert uses["uses"] == 3, uses
        assert {part.partition(" ")[0] for part in uses["named_by"].split("; ")} == {"membership", "grant"}
