"""OUs with nothing in them."""

from collections.abc import Iterator

from adzeguard.core.cleaning.stale.found import Stale, StaleInput
from adzeguard.core.estate.moments import moment
from adzeguard.core.estate.places import short_dn
from adzeguard.core.estate.principal import Flag, Kind
from adzeguard.core.identity import fold_dn, parent_dn


def stale_ous(looked: StaleInput) -> Iterator[Stale]:
    """Yield the OUs in which nothing lies, and those in which only such OUs lie, from the top down."""
    catalogue = looked.estate.catalogue
    ous = catalogue.principals(catalogue.of_kind(Kind.OU).tolist()).values()
    empty = {fold_dn(ou.dn) for ou in ous if _holds_ous_alone(looked, ou.dn)}
    for ou in sorted(ous, key=lambda one: fold_dn(one.dn).split(",")[::-1]):
        folded = fold_dn(ou.dn)
        if folded not in empty or (ou.flags & Flag.CRITICAL and not looked.built_in):
            continue
        below = sum(1 for other in empty if other != folded and other.endswith(f",{folded}"))
        why = f"it holds nothing but {below} empty OUs" if below else "nothing lies in it"
        found = Stale.of(ou, "empty", why, moment(ou.details.get("created")))
        if fold_dn(parent_dn(ou.dn)) not in empty:
            yield Stale(found.sort, found.why, short_dn(looked.estate, ou.dn), found.since, ou.dn, "", ou)


def _holds_ous_alone(looked: StaleInput, dn: str) -> bool:
    catalogue = looked.estate.catalogue
    below = catalogue.principals(catalogue.below(dn).tolist()).values()
    return all(one.kind == Kind.OU for one in below)
