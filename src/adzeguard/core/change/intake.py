"""Intake: where users and computers land that are created without a place ([MS-ADTS] 6.1.1.4)."""

from dataclasses import dataclass
from typing import Final

from adzeguard.core.change.by_hand import BY_HAND_RULE
from adzeguard.core.change.objects_by_hand import object_change
from adzeguard.core.change.plan import AttributeChange, Change, Named, Verb
from adzeguard.core.errors import GuardError
from adzeguard.core.estate import Estate
from adzeguard.core.identity import fold_dn
from adzeguard.core.places import short_dn
from adzeguard.core.principal import Kind, Principal

GUIDS: Final = {"users": "A9D1CA15768811D1ADED00C04FD8D5CD", "computers": "AA312825768811D1ADED00C04FD8D5CD"}
"""The names by which a domain knows the two containers."""
DEFAULTS: Final = {"users": "CN=Users", "computers": "CN=Computers"}


@dataclass(frozen=True, slots=True)
class Landing:
    """Where one kind of new object lands. `value` is the domain's own value for it."""

    what: str
    dn: str
    value: str

    def is_default(self, estate: Estate) -> bool:
        """Tell whether it is the container that every domain begins with."""
        return fold_dn(self.dn) == fold_dn(estate.domain.full_dn(DEFAULTS[self.what]))


def domain_object(estate: Estate) -> Principal:
    """Return the top of the directory."""
    found = estate.catalogue.by_dn(estate.domain.base_dn)
    if found is None:
        raise GuardError([f"the domain object {estate.domain.base_dn} was not collected"])
    return estate.principal(found)


def landings(estate: Estate) -> dict[str, Landing]:
    """Return where users and computers land; a kind of which the domain says nothing is left out."""
    found = {}
    for value in domain_object(estate).details.get("well_known_objects", ()):
        _, _, rest = value.partition(":32:")
        guid, _, dn = rest.partition(":")
        for what, wanted in GUIDS.items():
            if guid.upper() == wanted:
                found[what] = Landing(what, dn, value)
    return found


def intake_changes(
    estate: Estate, wanted: dict[str, Principal], *, why: str, rule: str = BY_HAND_RULE, leaves: bool = False
) -> list[Change]:
    """Return the changes by which new users and computers land elsewhere; `wanted` holds a container for each kind."""
    standing = landings(estate)
    changes: list[Change] = []
    for what, container in wanted.items():
        if container.kind not in (Kind.OU, Kind.CONTAINER):
            raise GuardError([f"{container.qualified_name} is a {container.kind.label}; new {what} land in an OU"])
        if what not in standing:
            raise GuardError([f"the domain does not say where new {what} land, so it cannot be changed"])
        if fold_dn(standing[what].dn) == fold_dn(container.dn):
            continue
        head = standing[what].value[: -len(standing[what].dn)]
        change = AttributeChange(
            name="wellKnownObjects", before=(standing[what].value,), after=(f"{head}{container.dn}",)
        )
        words = f"let new {what} land in {short_dn(estate, container.dn)}"
        changes.append(
            object_change(
                Verb.SET, Named.of(domain_object(estate)), words, attributes=[change], why=why, rule=rule, leaves=leaves
            )
        )
    return changes
