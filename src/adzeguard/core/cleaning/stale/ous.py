"""OUs with nothing in them."""

from collections.abc import Iterable, Iterator

from adzeguard.core.cleaning.stale.found import Stale, StaleInput
from adzeguard.core.estate.moments import moment
from adzeguard.core.estate.places import short_dn
from adzeguard.core.estate.principal import Flag, Kind
from adzeguard.core.identity import fold_dn, parent_dn


def stale_ous(looked: StaleInput) -> Iterator[Stale]:
    """Yield the OUs in which nothing lies, and those in which only such OUs lie, from the top down."""
    catalogue = looked.estate.catalogue
    ous = catalogue.principals(catalogue.of_kind(Kind.OU).tolist()).values()
    in_use = _with_all_above(catalogue.holding_other_than(Kind.OU))
    empty = {folded for ou in ous if (folded := fold_dn(ou.dn)) not in in_use}
    for ou in sorted(ous, key=lambda one: fold_dn(one.dn).split(",")[::-1]):
        folded = fold_dn(ou.dn)
        if folded not in empty or (ou.flags & Flag.CRITICAL and not looked.built_in):
            continue
        below = sum(1 for other in empty if other != folded and other.endswith(f",{folded}"))
        why = f"it holds nothing but {below} empty OUs" if below else "nothing lies in it"
        found = Stale.of(ou, "empty", why, moment(ou.details.get("created")))
        if fold_dn(parent_dn(ou.dn)) not in empty:
            yield Stale(found.sort, found.why, short_dn(looked.estate, ou.dn), found.since, ou.dn, "", ou)


def _with_all_above(containers: Iterable[str]) -> set[str]:
    """Return folded names of containers and of all that they lie in."""
    found: set[str] = set()
    for container in containers:
        at = container
        while at and at not in found:
            found.add(at)
            at = parent_dn(at)
    return found
