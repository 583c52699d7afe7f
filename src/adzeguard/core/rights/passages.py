"""How one object leads to another without an entry that gives a right over it: by its place, policies, or secrets."""

from collections.abc import Iterable, Iterator
from typing import Final

from adzeguard.core.descriptors.descriptor import Descriptor
from adzeguard.core.estate.catalogue import LooksAhead
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.policy_links import policy_links
from adzeguard.core.estate.principal import ACCOUNTS, Kind, Principal
from adzeguard.core.identity import parent_dn
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
        self._linked: dict[str, tuple[int, ...]] = {}

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
        above = parent_dn(account.dn)
        if above not in self._linked:
            self._linked[above] = tuple(self._applying(above))
        for policy in self._linked[above]:
            if self._filters.let(policy, account):
                yield Edge(policy, account.id, APPLIES)
            else:
                yield Edge(beside(policy), account.id, COULD_APPLY)
        while above:
            found = self._at(above)
            if found is not None:
                yield Edge(found, account.id, LINKED)
                yield Edge(beside(found), account.id, LINKED)
            above = parent_dn(above)

    def _applying(self, dn: str) -> Iterator[int]:
        blocked = False
        while dn:
            found = self._at(dn)
            details = self._estate.principal(found).details if found is not None else {}
            for link in policy_links(str(details.get("policy_links", ""))):
                policy = self._at(link.policy_dn) if link.on and (link.enforced or not blocked) else None
                if policy is not None:
                    yield policy
            blocked = blocked or details.get("policy_options") == _BLOCKED
            dn = parent_dn(dn)

    def _top_of(self, principal: Principal) -> int | None:
        return self._at(self._estate.domain.holding(principal.dn).base_dn)

    def _at(self, dn: str) -> int | None:
        if dn not in self._containers:
            self._containers[dn] = self._estate.catalogue.by_dn(dn) if dn else None
        return self._containers[dn]
