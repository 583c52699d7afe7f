"""Where objects stand, for people."""

from typing import Final

from adzeguard.core.estate import Estate
from adzeguard.core.principal import Kind

CONTAINERS: Final = frozenset({Kind.OU, Kind.CONTAINER, Kind.DOMAIN})
"""The kinds that hold other objects below them."""


def short_dn(estate: Estate, dn: str) -> str:
    """Return a distinguished name without the base, for people."""
    base = "," + estate.domain.base_dn
    return dn[: -len(base)] if dn.casefold().endswith(base.casefold()) else dn
