"""Who may let accounts act in the name of others: a server of the directory asks for that beside all rights.

The privilege is SeEnableDelegationPrivilege ([MS-LSAD] 3.1.1.2.1). Without it a server refuses whoever sets an account
free to act for anybody, though they may write its attributes (seen with Samba 4.17).
"""

from collections.abc import Mapping
from typing import Any, Final

from adzeguard.core.estate.capability import Capability
from adzeguard.core.estate.hosts import HostState
from adzeguard.core.identity import Sid


def lets_act(state: HostState) -> frozenset[Sid]:
    """Return who holds it, as far as a host tells: only servers of the directory do."""
    found = state.parts.get(DELEGATION_RIGHT.name)
    return found if isinstance(found, frozenset) else frozenset()


def _unpack(part: Any) -> Mapping[str, Any]:
    return {"parts": {DELEGATION_RIGHT.name: frozenset(map(Sid, part))}}


DELEGATION_RIGHT: Final = Capability(
    "delegation-right", "who may let accounts act in the name of others", lambda state: sorted(lets_act(state)), _unpack
)
