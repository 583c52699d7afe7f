"""The names by which a charter finds what stands."""

from adzeguard.core.charter.references import LOCAL_PREFIX
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.hosts import HostState
from adzeguard.core.estate.names import lookup_qualified
from adzeguard.core.estate.principal import Kind, Principal
from adzeguard.core.identity import Sid
from adzeguard.core.wellknown import LOCAL_ACCOUNT_RIDS


def charter_name(estate: Estate, principal: Principal) -> str:
    """Return the qualified name where it is enough, else the SID or the DN."""
    bearers = lookup_qualified(estate, principal.qualified_name) if "\\" in principal.qualified_name else []
    if len(bearers) == 1 and (bearers[0].sid, bearers[0].dn) == (principal.sid, principal.dn):
        return principal.qualified_name
    return principal.sid or principal.dn


def charter_name_on_host(estate: Estate, state: HostState, sid: Sid, principal: Principal) -> str:
    """Return the name of a member of a local group: of an account or group of the host itself, its local one."""
    if principal.kind in (Kind.LOCAL_ACCOUNT, Kind.LOCAL_GROUP):
        built_in = next((name for name, rid in LOCAL_ACCOUNT_RIDS.items() if sid == f"{state.machine_sid}-{rid}"), None)
        return LOCAL_PREFIX + (built_in or principal.name)
    return charter_name(estate, principal)
