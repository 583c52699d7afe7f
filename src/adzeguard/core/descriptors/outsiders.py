"""Those of other domains who have rights here without an object: each gets a row, so that every question finds them.

A directory makes an object for somebody of another domain who is put into a group ([MS-ADTS] 3.1.1.5.3.1.2), and none
for somebody who is named in rights alone (seen with Samba 4.17): she held full control over an OU, and no answer named
her.
"""

import json
import re
from collections.abc import Iterator, Sequence
from dataclasses import replace
from typing import Final

from adzeguard.core.descriptors.descriptor import Descriptor, is_readable
from adzeguard.core.estate.catalogue import Domain
from adzeguard.core.estate.foreign import MEMBERS_READ, ONLY_INSIDE
from adzeguard.core.estate.principal import Flag, Kind
from adzeguard.core.estate.rows import NEVER, ObjectRow, Observed
from adzeguard.core.identity import OF_A_DOMAIN, dn_of_sid

_PACKED: Final = re.compile(rb"\x01\x05\0\0\0\0\0\x05\x15\0\0\0.{16}", re.DOTALL)
"""A SID that a domain or machine gave out, as it stands in a descriptor ([MS-DTYP] 2.4.2.2)."""


def outsiders(domain: Domain, observed: Sequence[Observed]) -> list[Observed]:
    """Return rows for the SIDs of other domains that stand in rights and have no object among these."""
    seen = {one.row.sid for one in observed}
    named = {sid for raw in {one.row.descriptor for one in observed} for sid in sids_of_others(raw, domain)}
    return [row_of_outsider(sid) for sid in sorted(named - seen)]


def key_of_outsider(sid: str) -> bytes:
    """Return the key of the row of somebody without an object."""
    return sid.encode()


def sids_of_others(raw: bytes, domain: Domain) -> Iterator[str]:
    """Yield the SIDs of other domains that own or are named in a descriptor; none of one that cannot be read."""
    own = {one.sid.to_bytes()[2:] for one in domain.all}
    # Almost every descriptor names this domain's own alone: looking through its bytes takes a twentieth of reading it.
    if all(found[2:24] in own for found in _PACKED.findall(raw)) or not is_readable(raw):
        return
    descriptor = Descriptor.from_bytes(raw)
    for sid in (descriptor.owner, *(entry.sid for entry in descriptor.entries)):
        if sid is not None and sid.startswith(OF_A_DOMAIN) and domain.of_sid(sid) is None:
            yield str(sid)


def row_of_insider(sid: str) -> Observed:
    """Return the row of somebody who is here for being in a group of their own domain alone."""
    outsider = row_of_outsider(sid)
    return replace(outsider, row=outsider.row._replace(details=json.dumps({ONLY_INSIDE: True})))


def with_members(group: Observed, members: Sequence[str], *, all_told: bool) -> Observed:
    """Return the row of a group of another domain with those whom its own directory told, by their DNs here."""
    details = json.loads(group.row.details or "{}") | ({MEMBERS_READ: True} if all_told else {})
    flags = int(group.row.flags) | int(Flag.SECURITY_GROUP)
    row = group.row._replace(flags=flags, details=json.dumps(details, sort_keys=True) if details else "")
    return Observed(row, tuple(members))


def row_of_outsider(sid: str) -> Observed:
    """Return the row of somebody without an object; its DN says the SID alone."""
    key, dn = key_of_outsider(sid), dn_of_sid(sid)
    return Observed(ObjectRow(key, Kind.FOREIGN, 0, sid, 0, sid, dn, NEVER, NEVER, NEVER, NEVER, b"", ""))
