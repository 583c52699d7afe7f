"""Accounts and computers that lie where they should not."""

from collections import Counter
from collections.abc import Iterable, Iterator
from itertools import product

from adzeguard.core.checks.check_input import CheckInput
from adzeguard.core.checks.finding import Finding
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.intake_places import DEFAULTS
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.places import short_dn
from adzeguard.core.estate.principal import Flag, Kind, Principal
from adzeguard.core.identity import fold_dn, parent_dn
from adzeguard.core.wellknown import MADE_BY_STAFF

_KINDS = {"users": Kind.USER, "computers": Kind.COMPUTER}
_ENOUGH = 2


def without_a_place(looked_at: CheckInput) -> Iterator[Finding]:
    """Yield what lies in the containers that every domain begins with, and where its neighbours say it belongs."""
    estate = looked_at.estate
    for domain, (what, default) in product(estate.domain.all, DEFAULTS.items()):
        container = estate.catalogue.by_dn(domain.full_dn(default))
        if container is None:
            continue
        lying = _lying_in(estate, domain.full_dn(default), _KINDS[what])
        peers = estate.catalogue.principals(estate.catalogue.of_kind(_KINDS[what]).tolist()) if lying else {}
        for principal in lying:
            where = _suggested(principal, peers.values())
            hint = f"; its neighbours are in {short_dn(estate, where)}" if where else ""
            message = f"it lies in {default}, where no directory policy of an OU reaches it{hint}"
            evidence = {"suggested": where, "dn": principal.dn}
            yield Finding("without-place", Named.of(principal), message, evidence=evidence)


def _lying_in(estate: Estate, container: str, kind: Kind) -> list[Principal]:
    below = estate.catalogue.principals(estate.catalogue.below(container).tolist()).values()
    return [
        p
        for p in below
        if p.kind == kind
        and not p.flags & Flag.CRITICAL
        and p.sid is not None
        and p.sid.rid >= MADE_BY_STAFF
        and fold_dn(parent_dn(p.dn)) == fold_dn(container)
    ]


def _suggested(principal: Principal, peers: Iterable[Principal]) -> str:
    """Where most of those lie that are like it: the same department, or a name that begins alike."""
    like = [
        parent_dn(peer.dn)
        for peer in peers
        if peer.id != principal.id
        and fold_dn(parent_dn(peer.dn)) != fold_dn(parent_dn(principal.dn))
        and _alike(principal, peer)
    ]
    most = Counter(like).most_common(1)
    return most[0][0] if most and most[0][1] >= _ENOUGH else ""


def _alike(one: Principal, other: Principal) -> bool:
    if one.kind == Kind.COMPUTER:
        return one.name.rstrip("0123456789-_").casefold() == other.name.rstrip("0123456789-_").casefold()
    department = one.details.get("department")
    return department is not None and other.details.get("department") == department
