"""Where objects stand, for people."""

from adzeguard.core.estate.estate import Estate


def short_dn(estate: Estate, dn: str) -> str:
    """Return a distinguished name without the base, for people; in another than the first domain it is whole."""
    base = "," + estate.domain.base_dn
    return dn[: -len(base)] if dn.casefold().endswith(base.casefold()) else dn
