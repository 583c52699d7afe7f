"""Those of other domains who have rights here without an object: each gets a row, so that every question finds them.

A directory makes an object for somebody of another domain who is put into a group ([MS-ADTS] 3.1.1.5.3.1.2), and none
for somebody who is named in rights alone (seen with Samba 4.17): she held full control over an OU, and no answer named
her.
"""

import re
from collections.abc import Iterator, Sequence
from typing import Final

from adzeguard.core.descriptors.descriptor import Descriptor, is_readable
from adzeguard.core.estate.principal import Kind
from adzeguard.core.estate.rows import NEVER, ObjectRow, Observed
from adzeguard.core.identity import OF_A_DOMAIN, Sid, dn_of_sid

_PACKED: Final = re.compile(rb"\x01\x05\0\0\0\0\0\x05\x15\0\0\0.{16}", re.DOTALL)
"""A SID that a domain or machine gave out, as it stands in a descriptor ([MS-DTYP] 2.4.2.2)."""


def outsiders(domain_sid: Sid, observed: Sequence[Observed]) -> list[Observed]:
    """Return rows for the SIDs of other domains that stand in rights and have no object among these."""
    seen = {one.row.sid for one in observed}
    named = {sid for raw in {one.row.descriptor for one in observed} for sid in sids_of_others(raw, domain_sid)}
    return [row_of_outsider(sid) for sid in sorted(named - seen)]


def key_of_outsider(sid: str) -> bytes:
    """Return the key of the row of somebody without an object."""
    return sid.encode()


def sids_of_others(raw: bytes, domain_sid: Sid) -> Iterator[str]:
    """Yield the SIDs of other domains that own or are named in a descriptor; none of one that cannot be read."""
    own = domain_sid.to_bytes()[2:]
    # Almost every descriptor names this domain's own alone: looking through its bytes takes a twentieth of reading it.
    if all(found[2:24] == own for found in _PACKED.findall(raw)) or not is_readable(raw):
        return
    descriptor = Descriptor.from_bytes(raw)
    for sid in (descriptor.owner, *(entry.sid for entry in descriptor.entries)):
        if sid is not None and sid.startswith(OF_A_DOMAIN) and sid.authority != domain_sid:
            yield str(sid)


def row_of_outsider(sid: str) -> Observed:
    """Return the row of somebody without an object; its DN says the SID alone."""
    key, dn = key_of_outsider(sid), dn_of_sid(sid)
    return Observed(ObjectRow(key, Kind.FOREIGN, 0, sid, 0, sid, dn, NEVER, NEVER, NEVER, NEVER, b"", ""))
