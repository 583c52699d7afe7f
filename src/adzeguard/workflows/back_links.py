"""Memberships that an object still carries, though the group does not list it any more.

A server makes tokens from what objects carry. Where it lost the one side of a link, somebody is let in of whom no list
of members tells. Seen in Samba 4.17 after a restored database.
"""

from collections.abc import Iterable, Iterator, Sequence
from itertools import islice
from typing import Final

from adzeguard.core.errors import DirectoryUnreachableError
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.principal import Principal
from adzeguard.core.identity import Sid, fold_dn
from adzeguard.directory.port import DirectoryDriver, Entry, TellsBackLinks
from adzeguard.store.back_links import BackLink

_MOST_GROUPS: Final = 500
"""Groups that lead into privileged ones: each is two questions to the server."""


def orphaned_back_links(
    directory: DirectoryDriver, estate: Estate, privileged: Iterable[Principal], before: Sequence[BackLink] = ()
) -> Iterator[BackLink]:
    """Yield those of the privileged groups, and of the groups inside them, as the directory has it now.

    Of several domains one that is off goes on having those that were found `before`.
    """
    if not isinstance(directory, TellsBackLinks):
        return
    for group in islice(_groups_of_power(estate, privileged), _MOST_GROUPS):
        try:
            yield from _of_group(directory, directory.read(group.dn), estate, group)
        except DirectoryUnreachableError:
            if not estate.domain.others:
                raise
            yield from (one for one in before if one.group.sid == group.sid)


def _of_group(directory: TellsBackLinks, entry: Entry | None, estate: Estate, group: Principal) -> Iterator[BackLink]:
    if entry is None:
        return
    listed = {fold_dn(dn.decode("utf-8", "surrogateescape")) for dn in entry.attributes.get("member", ())}
    for one in directory.said_to_be_inside(group.dn):
        if fold_dn(one.dn) not in listed:
            yield BackLink(Named.of(group), _named(estate, one.dn, one.first("objectsid")))


def _groups_of_power(estate: Estate, privileged: Iterable[Principal]) -> Iterator[Principal]:
    ids: dict[int, None] = {}
    for group in privileged:
        ids |= dict.fromkeys((group.id, *(int(i) for i in estate.graph.expand(group.id).members)))
    groups = (i for i in ids if i >= 0 and estate.graph.position_of(i) is not None)
    yield from (one for one in estate.catalogue.principals(groups).values() if one.dn)


def _named(estate: Estate, dn: str, packed: bytes | None) -> Named:
    known = estate.catalogue.by_dn(dn)
    if known is not None:
        return Named.of(estate.principal(known))
    return Named(dn, Sid.from_bytes(packed) if packed else "", dn)
