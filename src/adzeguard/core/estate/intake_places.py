"""Where users and computers land that are created without a place ([MS-ADTS] 6.1.1.4)."""

from typing import Final

from adzeguard.core.errors import GuardError
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.principal import Principal
from adzeguard.core.identity import fold_dn
from adzeguard.core.values import dataclass

GUIDS: Final = {"users": "A9D1CA15768811D1ADED00C04FD8D5CD", "computers": "AA312825768811D1ADED00C04FD8D5CD"}
"""The names by which a domain knows the two containers."""


DEFAULTS: Final = {"users": "CN=Users", "computers": "CN=Computers"}


@dataclass(frozen=True, slots=True)
class IntakePlace:
    """Where one kind of new object lands. `value` is the domain's own value for it."""

    what: str
    dn: str
    value: str

    def is_default(self, estate: Estate) -> bool:
        """Tell whether it is the container that every domain begins with."""
        return fold_dn(self.dn) == fold_dn(estate.domain.full_dn(DEFAULTS[self.what]))


def domain_object(estate: Estate) -> Principal:
    """Return the top of the directory."""
    top = estate.catalogue.by_dn(estate.domain.base_dn)
    if top is None:
        raise GuardError([f"the domain object {estate.domain.base_dn} was not collected"])
    return estate.principal(top)


def intake_places(estate: Estate) -> dict[str, IntakePlace]:
    """Return where users and computers land; a kind of which the domain says nothing is left out."""
    places = {}
    for value in domain_object(estate).details.get("well_known_objects", ()):
        place = read_place(value)
        if place is not None:
            places[place.what] = place
    return places


def read_place(value: str) -> IntakePlace | None:
    """Read one value of wellKnownObjects; None for one that is about something else."""
    _, _, rest = value.partition(":32:")
    guid, _, dn = rest.partition(":")
    what = next((kind for kind, wanted in GUIDS.items() if guid.upper() == wanted), None)
    return IntakePlace(what, dn, value) if what is not None else None
