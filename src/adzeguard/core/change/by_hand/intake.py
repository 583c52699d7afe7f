"""Intake: where users and computers land that are created without a place ([MS-ADTS] 6.1.1.4)."""

from adzeguard.core.change.change import BY_HAND_RULE, Change
from adzeguard.core.change.kinds.object_change import AttributeChange
from adzeguard.core.change.kinds.set_attributes import SetAttributes
from adzeguard.core.errors import GuardError
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.intake_places import domain_object, intake_places
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.principal import Kind, Principal
from adzeguard.core.identity import fold_dn


def intake_changes(
    estate: Estate, wanted: dict[str, Principal], *, why: str, rule: str = BY_HAND_RULE, leaves: bool = False
) -> list[Change]:
    """Return the changes by which new users and computers land elsewhere; `wanted` holds a container for each kind."""
    places = intake_places(estate)
    changes: list[Change] = []
    for what, container in wanted.items():
        if container.kind not in (Kind.OU, Kind.CONTAINER):
            raise GuardError([f"{container.qualified_name} is {container.kind.one}; new {what} land in an OU"])
        if estate.domain.holding(container.dn) is not estate.domain:
            first = estate.domain.dns_name
            raise GuardError([f"{container.qualified_name} is of another domain, and intake is that of {first}"])
        if what not in places:
            raise GuardError([f"the domain does not say where new {what} land, so it cannot be changed"])
        if fold_dn(places[what].dn) == fold_dn(container.dn):
            continue
        head = places[what].value[: -len(places[what].dn)]
        value = AttributeChange.of("wellKnownObjects", (places[what].value,), (f"{head}{container.dn}",))
        changes.append(
            SetAttributes(
                object=Named.of(domain_object(estate)),
                attributes=(value,),
                rule=rule,
                why=why,
                leaves=leaves,
            )
        )
    return changes
