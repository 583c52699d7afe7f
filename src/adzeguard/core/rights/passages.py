"""How one object leads to another without an entry that gives a right over it: by its place, policies, or secrets."""

from collections.abc import Iterable, Iterator, Sequence
from functools import cached_property
from typing import Final

from adzeguard.core.descriptors.descriptor import Descriptor
from adzeguard.core.estate.catalogue import LooksAhead
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.policy_links import policy_links
from adzeguard.core.estate.principal import ACCOUNTS, Kind, Principal
from adzeguard.core.identity import fold_dn, parent_dn, upwards
from adzeguard.core.rights.policy_filters import PolicyFilters
from adzeguard.core.rights.reach_graph import Edge, beside
from adzeguard.core.rights.ways import APPLIES, COULD_APPLY, HOLDS, INHERITS, LINKED, SERVES
from adzeguard.core.wellknown import RID_DIRECTORY_SERVERS

_HOLDING: Final = ACCOUNTS | {Kind.GROUP}
_BLOCKED: Final = "1"
"""Of `gPOptions`: what is linked above does not come down, unless it is enforced ([MS-GPOL] 2.2.3)."""


class Passages:
    """The passages of one estate; the containers that it has looked up it remembers."""

    def __init__(self, estate: Estate, filters: PolicyFilters) -> None:
        self._estate = estate
        self._filters = filters
        self._containers: dict[str, int | None] = {}
        self._linked: dict[str, tuple[tuple[int, ...], bool]] = {}

    def look_ahead(self, some: Iterable[Principal]) -> None:
        """Look up in one go the containers of many, where a catalogue can."""
        catalogue = self._estate.catalogue
        above = {parent_dn(one.dn) for one in some}
        while isinstance(catalogue, LooksAhead) and (fresh := above - self._containers.keys() - {""}):
            catalogue.look_ahead([], fresh)
            self._containers |= {dn: catalogue.by_dn(dn) for dn in fresh}
            above = {parent_dn(dn) for dn in fresh}

    def container(self, principal: Principal, raw: bytes) -> Iterator[Edge]:
        """Who changes the rights of a container can hand down anything, unless the object takes nothing."""
        above = self._at(parent_dn(principal.dn))
        if above is not None and not Descriptor.from_bytes(raw).protected:
            yield Edge(above, principal.id, INHERITS)

    def beyond_rights(self, principal: Principal) -> Iterator[Edge]:
        """Yield what leads to an object regardless of its own descriptor."""
        if principal.kind == Kind.DOMAIN:
            yield from self._servers(principal)
        if principal.kind in ACCOUNTS:
            yield from self._policies(principal)
        top = self._top_of(principal) if principal.kind in _HOLDING else None
        if top is not None:
            yield Edge(top, principal.id, HOLDS)

    def _servers(self, domain: Principal) -> Iterator[Edge]:
        """Yield the directory servers: each holds all secrets, and may have them from the others."""
        group = self._estate.id_of_sid(self._estate.domain.holding(domain.dn).account(RID_DIRECTORY_SERVERS))
        if group is not None and self._estate.graph.position_of(group) is not None:
            for server in self._estate.graph.expand(group).people.tolist():
                yield Edge(server, domain.id, SERVES)

    def _policies(self, account: Principal) -> Iterator[Edge]:
        """Yield the policies that apply to an account, and each container to which others could be linked.

        One that is not for this account leads to it for those alone who may change whom it is for.
        """
        above, sites = parent_dn(account.dn), self._sites_of(account)
        if above not in self._linked:
            self._linked[above] = self._applying(above)
        policies, blocked = self._linked[above]
        for policy in (*policies, *(one for site in sites for one in self._on(site, blocked=blocked))):
            if self._filters.let(policy, account):
                yield Edge(policy, account.id, APPLIES)
            else:
                yield Edge(beside(policy), account.id, COULD_APPLY)
        linking = [site.id for site in sites]
        linking += [found for dn in upwards(above) if (found := self._at(dn)) is not None]
        for found in linking:
            yield Edge(found, account.id, LINKED)
            yield Edge(beside(found), account.id, LINKED)

    def _applying(self, dn: str) -> tuple[tuple[int, ...], bool]:
        """Return the policies that come down to a container, and whether it keeps off others from further above."""
        found: list[int] = []
        blocked = False
        for known in map(self._at, upwards(dn)):
            if known is not None:
                container = self._estate.principal(known)
                found += self._on(container, blocked=blocked)
                blocked = blocked or container.details.get("policy_options") == _BLOCKED
        return tuple(found), blocked

    def _on(self, linked_to: Principal, *, blocked: bool) -> list[int]:
        links = policy_links(str(linked_to.details.get("policy_links", "")))
        found = [self._at(link.policy_dn) for link in links if link.on and (link.enforced or not blocked)]
        return [policy for policy in found if policy is not None]

    def _sites_of(self, account: Principal) -> list[Principal]:
        """Return the sites in which an account is: their policies come last ([MS-GPOL] 3.2.5.1.5).

        Where a forest has one, everything is in it. Of several, that of a directory server is known, by its own entry
        there; another host finds its own by the address that it has at the time, which the directory does not tell.
        """
        dn = fold_dn(account.dn)
        of_forest = [site for site, root in self._sites if dn.endswith(f",{root}")]
        return of_forest if len(of_forest) == 1 else [s for s in of_forest if dn in map(fold_dn, _servers(s))]

    @cached_property
    def _sites(self) -> list[tuple[Principal, str]]:
        """The sites, each with the root of its forest, as in `CN=Lowmere,CN=Sites,CN=Configuration,DC=lowmere`."""
        catalogue = self._estate.catalogue
        found = catalogue.principals(catalogue.of_kind(Kind.SITE).tolist()).values()
        return [(site, fold_dn(site.dn).partition("cn=configuration,")[2]) for site in found]

    def _top_of(self, principal: Principal) -> int | None:
        return self._at(self._estate.domain.holding(principal.dn).base_dn)

    def _at(self, dn: str) -> int | None:
        if dn not in self._containers:
            self._containers[dn] = self._estate.catalogue.by_dn(dn) if dn else None
        return self._containers[dn]


def _servers(site: Principal) -> Sequence[str]:
    servers: Sequence[str] = site.details.get("servers", ())
    return servers
