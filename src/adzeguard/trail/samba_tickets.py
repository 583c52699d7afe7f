"""The lines of a Samba server about tickets that it gave for hosts: in its JSON there is nothing of them.

They come with `log level = 1 kerberos:3` (seen with 4.17, whose KDC is Heimdal's).
"""

import re
from collections.abc import Sequence
from datetime import UTC, datetime
from typing import Final

from adzeguard.core.trail.event import Event
from adzeguard.trail.port import NotReadError, PassedOverError
from adzeguard.trail.values import address_of, cleaned, host_of, qualified

_GIVEN: Final = "Kerberos: TGS-REQ SUCCESS "
# TGS-REQ SUCCESS ipv4:192.0.2.7:49152 ada@LOWMERE.EXAMPLE cifs/quay-72.lowmere.example@LOWMERE.EXAMPLE etype=18/18 …
_TICKET: Final = re.compile(r"(\S{1,200}) (\S{1,500})@([^@\s]{1,255}) (\S{1,500})@[^@\s]{1,255} etype=\S+ (.*)")
_START: Final = re.compile(r"(?:^| )start=(\d{1,10})(?: |$)")
"""When the ticket begins, in seconds since 1970: the line itself has no time, and the header above it has no zone."""
_ESCAPED: Final = re.compile(r"\\(.)")
_FOR_THE_SERVER: Final = ("krbtgt", "kadmin")


def read_samba_ticket(line: str) -> Sequence[Event] | None:
    """Return a ticket for a host as a logon there over the network; None for a line of something else.

    Whether it came to more is told by the host alone. Hosts ask for each other's tickets all day long, which tells of
    nobody.
    """
    if not line.startswith(_GIVEN):
        return None
    found = _TICKET.fullmatch(line, len(_GIVEN))
    start = _START.search(found[5]) if found is not None else None
    if found is None or start is None:
        raise NotReadError("a ticket was given, and the line is of another form")
    origin, client, realm, service = found[1], _plain(found[2]), found[3], _plain(found[4])
    kind, _, host = service.partition("/")
    if client.endswith("$") or kind in _FOR_THE_SERVER or not (host or kind.endswith("$")):
        raise PassedOverError("a ticket of no host")
    return (
        Event(
            datetime.fromtimestamp(int(start[1]), UTC),
            "logon",
            group=host_of((host or kind.removesuffix("$")).partition("/")[0]),
            # A name with an @ in it is one of those that people sign in with, and says its domain itself.
            member=client if "@" in client else qualified(realm, client),
            origin=address_of(origin),
            way="network",
        ),
    )


def _plain(name: str) -> str:
    """Return a name of RFC 1964 section 2.1.1 without what is put before its special characters."""
    return cleaned(_ESCAPED.sub(r"\1", name))
