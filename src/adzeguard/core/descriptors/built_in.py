"""The groups that every domain has bear the same SIDs in each ([MS-DTYP] 2.4.2.4), which mean others in each.

What comes from a domain beside the first one says them under an authority of its own, and what goes there says them as
it knows them.
"""

from collections.abc import Callable, Iterable
from dataclasses import replace
from typing import Final

from adzeguard.core.descriptors.ace import Ace
from adzeguard.core.descriptors.descriptor import AceList, Descriptor, is_readable
from adzeguard.core.estate.catalogue import Domain
from adzeguard.core.identity import Sid
from adzeguard.core.wellknown import BUILTIN_AUTHORITY

_PACKED: Final = b"\0\0\0\0\x05\x20\0\0\0"
"""How every SID below S-1-5-32 goes on after the count of its numbers ([MS-DTYP] 2.4.2.2)."""


def told_apart(sid: Sid, domain: Domain) -> Sid:
    """Return a SID of a domain as it is told apart from those of the first one."""
    if sid == BUILTIN_AUTHORITY:  # of the container in which they lie
        return Sid(domain.builtin)
    return Sid(f"{domain.builtin}-{sid.rid}") if sid.authority == BUILTIN_AUTHORITY else sid


def as_it_knows(sid: Sid, domain: Domain) -> Sid:
    """Return a SID as the domain itself knows it."""
    if sid == domain.builtin:
        return Sid(BUILTIN_AUTHORITY)
    return Sid(f"{BUILTIN_AUTHORITY}-{sid.rid}") if sid.authority == domain.builtin else sid


def entries_told_apart(entries: Iterable[Ace], domain: Domain) -> list[Ace]:
    """Return entries with SIDs of a domain as they are told apart from those of the first one."""
    return [_with_sid(entry, lambda sid: told_apart(sid, domain)) for entry in entries]


def descriptor_told_apart(raw: bytes, domain: Domain) -> bytes:
    """Return a descriptor of a domain with its SIDs told apart; one that cannot be read stays as it is."""
    return _mapped(raw, lambda sid: told_apart(sid, domain))


def descriptor_as_it_knows(raw: bytes, domain: Domain) -> bytes:
    """Return a descriptor with SIDs as the domain itself knows them."""
    return _mapped(raw, lambda sid: as_it_knows(sid, domain))


def _mapped(raw: bytes, to: Callable[[Sid], Sid]) -> bytes:
    if _PACKED not in raw or not is_readable(raw):
        return raw
    read = Descriptor.from_bytes(raw)
    owner, group = (to(sid) if sid is not None else None for sid in (read.owner, read.group))
    dacl, sacl = _list(read.dacl, to), _list(read.sacl, to)
    if (owner, group, dacl, sacl) == (read.owner, read.group, read.dacl, read.sacl):
        return raw
    return replace(read, owner=owner, group=group, dacl=dacl, sacl=sacl, whole=b"").to_bytes()


def _list(standing: AceList | None, to: Callable[[Sid], Sid]) -> AceList | None:
    if standing is None:
        return None
    return replace(standing, entries=tuple(_with_sid(entry, to) for entry in standing.entries))


def _with_sid(entry: Ace, to: Callable[[Sid], Sid]) -> Ace:
    return entry if entry.sid is None or to(entry.sid) == entry.sid else replace(entry, sid=to(entry.sid))
