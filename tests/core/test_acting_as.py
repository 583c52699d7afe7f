"""Who is somebody else by an attribute: delegation, a password that is handed out, the template of rights."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.principal import Flag, Principal
from adzeguard.core.rights.acting_as import ActingAs, service_host
from adzeguard.core.rights.reach_graph import EVERYBODY
from adzeguard.core.rights.ways import ACTED_FOR, ACTS, READS, TEMPLATE
from tests.estates import directory, estate

PEOPLE = ["ada", "ben", "cato", "dora", "off"]


@dataclass
class Marked:
    """A catalogue of which some objects have more details and flags than those of the example."""

    of: Any
    details: Mapping[int, Mapping[str, Any]]
    flags: Mapping[int, Flag]
    template: int

    def __getattr__(self, name: str) -> Any:
        return getattr(self.of, name)

    def with_detail(self, _key: str) -> Any:
        """The marked ones."""
        return np.array(sorted(self.details), np.int32)

    def principals(self, ids: Iterable[int]) -> dict[int, Principal]:
        """The objects with what they have more."""
        found: dict[int, Principal] = self.of.principals(ids)
        return {
            i: replace(one, details={"signing_in": self.details.get(i)}, flags=self.flags.get(i, one.flags))
            for i, one in found.items()
        }

    def by_dn(self, dn: str) -> int | None:
        """The template is where a directory has it."""
        if dn.startswith("CN=AdminSDHolder,CN=System,DC="):
            return self.template
        found: int | None = self.of.by_dn(dn)
        return found


def test_each_attribute_gives_its_way_and_nothing_near_it_does() -> None:
    """Acting for anybody needs the bit and an account in use; what no host is called, and oneself, lead nowhere."""
    whole = estate(
        directory(PEOPLE, {"Crew": ["ada"]}, computers=dict.fromkeys(["H0", "H1"], "OU=Hosts")), {"H0": [], "H1": []}
    )
    ids = {name: whole.catalogue.by_name(name)[0] for name in [*PEOPLE, "Crew", "H0", "H1"]}
    sid = {name: str(whole.principal(i).sid) for name, i in ids.items()}
    towards = {"acts_towards": ["cifs/h0.lowmere.example:445", "HTTP/nowhere"]}
    details = {
        ids["ada"]: towards,
        ids["ben"]: towards,
        ids["off"]: towards,
        ids["H1"]: {"acted_for_by": [sid["Crew"], sid["H1"], "S-1-5-21-9-9-9-1104"]},
        ids["dora"]: {"password_readers": [sid["H0"], "S-1-5-11"]},
    }
    any_one = Flag.ENABLED | Flag.ACTS_FOR_ANYBODY
    flags = {ids["ada"]: any_one, ids["off"]: Flag.ACTS_FOR_ANYBODY, ids["cato"]: Flag.ENABLED | Flag.ADMIN_COUNT}
    of: Estate = replace(whole, catalogue=Marked(whole.catalogue, details, flags, ids["Crew"]))
    ways = ActingAs(of)
    found = {
        (edge.holder, edge.target, edge.how)
        for one in of.catalogue.principals(ids.values()).values()
        for edge in ways.behind(one)
    }
    assert found == {
        (ids["ada"], ids["H0"], ACTS),
        (ids["Crew"], ids["H1"], ACTED_FOR),
        (ids["H0"], ids["dora"], READS),
        (EVERYBODY, ids["dora"], READS),
        (ids["Crew"], ids["cato"], TEMPLATE),
    }


def test_the_host_of_a_service_is_told_by_its_name_alone() -> None:
    """Whatever class, port or further part stands beside it."""
    names = [
        "cifs/quay-72",
        "HTTP/quay-72.lowmere.example:8443",
        "ldap/quay-72.lowmere.example/lowmere.example",
        "none",
    ]
    assert [service_host(name) for name in names] == ["quay-72", "quay-72", "quay-72", ""]
