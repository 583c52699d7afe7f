"""Links that a directory ends by itself: an optional feature of a forest ([MS-ADTS] 3.1.1.9).

Such a link is written as "<TTL=seconds,name>", and read so with LDAP_SERVER_LINK_TTL_OID; without the control it reads
as any other.
"""

import re
from collections.abc import Iterable, Sequence
from datetime import datetime
from math import ceil
from typing import Final
from uuid import UUID

from adzeguard.core.errors import ChangeRefusedError
from adzeguard.core.identity import fold_dn
from adzeguard.core.wording import when_utc
from adzeguard.directory.ldap_port import LdapWire, as_filter_value
from adzeguard.directory.port import Entry, LinkEnds, Modification

FEATURE: Final = UUID("ec43e873-cce8-4640-b4ab-07ffe4ab5bcd")
"""The feature by whose name the specification calls links with an end."""
_WITH_END: Final = re.compile(rb"<TTL=(\d{1,12}),(.*)>", re.DOTALL)


def read_link_ends(wire: LdapWire, configuration: str) -> LinkEnds:
    """Read whether the forest of a configuration knows the feature, and whether it is among those that are on."""
    query = f"(msDS-OptionalFeatureGUID={as_filter_value(FEATURE.bytes_le)})"
    below = f"CN=Optional Features,CN=Directory Service,CN=Windows NT,CN=Services,{configuration}"
    wanted = ["msDS-RequiredForestBehaviorVersion"]
    found = [Entry(dn, entry) for dn, entry in wire.search(below, query, wanted, descriptors=False)]
    scope = _scope(configuration)
    forest = Entry(scope, wire.read(scope, ["msDS-EnabledFeature", "msDS-Behavior-Version"]) or {})
    on = {fold_dn(value.decode("utf-8", "replace")) for value in forest.attributes.get("msds-enabledfeature", ())}
    return LinkEnds(
        known=bool(found),
        on=any(fold_dn(one.dn) in on for one in found),
        level=forest.number("msds-behavior-version"),
        needed_level=max((one.number("msds-requiredforestbehaviorversion") for one in found), default=0),
    )


def switch_on_link_ends(wire: LdapWire, configuration: str) -> None:
    """Switch it on in the whole forest ([MS-ADTS] 3.1.1.3.3, enableOptionalFeature). Nothing switches it off."""
    value = f"{_scope(configuration)}:{FEATURE}".encode("utf-8", "surrogateescape")
    wire.modify("", [Modification("add", "enableOptionalFeature", (value,))])


def link_with_end(
    attribute: str, to: str, ends: datetime | None, now: datetime, *, anew: bool
) -> Sequence[Modification]:
    """Return what makes a link that ends then. One that stands is taken out and put in by one change, or not at all."""
    name = to.encode("utf-8", "surrogateescape")
    value = name
    if ends is not None:
        seconds = ceil((ends - now).total_seconds())
        if seconds <= 0:
            raise ChangeRefusedError(f"{when_utc(ends)} is over")
        value = b"<TTL=%d,%b>" % (seconds, name)
    before = [Modification("delete", attribute, (name,))] if anew else []
    return [*before, Modification("add", attribute, (value,))]


def seconds_left(links: Iterable[bytes], to: str) -> int | None:
    """Return how long a link still holds; None if it has no end, or is not among these."""
    wanted = fold_dn(to)
    for link in links:
        found = _WITH_END.fullmatch(link)
        if found is not None and fold_dn(found[2].decode("utf-8", "surrogateescape")) == wanted:
            return int(found[1])
    return None


def _scope(configuration: str) -> str:
    return f"CN=Partitions,{configuration}"
