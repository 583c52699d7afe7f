"""Whom a host saw: who is logged on to it, or was of late, as it says itself."""

from typing import Final

from adzeguard.core.identity import Sid
from adzeguard.core.values import dataclass

SESSION: Final = "session"
"""Somebody works there now, who came by a password or nobody knows how."""
TICKET: Final = "ticket-kept"
"""A Kerberos ticket of somebody lies there."""
KEY: Final = "key"
"""Somebody came by a public key, which leaves nothing there."""

NETWORK: Final = "network"
"""Somebody has a session over the network, which leaves nothing there either."""


@dataclass(frozen=True, slots=True, order=True)
class SeenOn:
    """Somebody on a host: `how` as above, or a kind of logon; when last, or since when, in seconds since 1970."""

    who: Sid
    how: str
    at: int
