"""What somebody may do in a folder of a share: what the share and the folder both let them do ([MS-DTYP] 2.5.3.2)."""

from collections.abc import Set as AbstractSet
from typing import Final

from adzeguard.core.descriptors.ace import Ace
from adzeguard.core.descriptors.descriptor import Descriptor
from adzeguard.core.errors import UsageError
from adzeguard.core.estate.estate import Estate
from adzeguard.core.rights.evaluate import OWNER_RIGHTS, is_for
from adzeguard.core.values import dataclass
from adzeguard.core.wellknown import (
    ADMINISTRATORS,
    AUTHENTICATED_USERS,
    EVERYONE,
    LOCAL_GROUPS,
    WELL_KNOWN,
    is_built_in_group,
)

READ_CONTROL, WRITE_DAC, WRITE_OWNER = 0x20000, 0x40000, 0x80000
ASKED: Final = {
    "read": (0x120089, "list it and read what is in it"),
    "change": (0x1301BF, "change, make and delete what is in it"),
    "own": (WRITE_DAC | WRITE_OWNER, "change its permissions and its owner"),
}
"""What can be asked, as rights of a file ([MS-SMB2] 2.2.13.1.2), and in words."""
_WORDS: Final = (
    (0x1F01FF, "do anything"),
    (0x1301BF, "change what is in it"),
    (0x120089, "read what is in it"),
    (WRITE_DAC, "change its permissions"),
)
_GENERIC: Final = {0x80000000: 0x120089, 0x40000000: 0x120116, 0x20000000: 0x1200A0, 0x10000000: 0x1F01FF}
_MEMBERS_OF_EVERY_HOST: Final = {ADMINISTRATORS: 512, LOCAL_GROUPS["users"]: 513, LOCAL_GROUPS["guests"]: 514}
"""Which groups of the domain a host that joins it takes into its own: administrators, users, guests."""


@dataclass(frozen=True, slots=True)
class FolderAnswer:
    """Whether somebody may, where it is decided ("share", "folder" or "owner"), and by which entry."""

    allowed: bool
    where: str
    entry: Ace | None = None


def asked_mask(word: str) -> int:
    """Return the rights that a word asks for; `UsageError` for another word."""
    if word not in ASKED:
        raise UsageError(f"'{word}' is nothing to do with a folder", f"One of {', '.join(ASKED)}")
    return ASKED[word][0]


def token_on(estate: Estate, server: str, sids: AbstractSet[str]) -> frozenset[str]:
    """Return the SIDs by which a server knows somebody who connects to it, from their own and those of their groups.

    A directory server goes by the built-in groups of the domain. Any other has its own instead: as they were read of
    it, otherwise as every host has them that joins the domain.
    """
    token = {str(sid) for sid in sids} | {EVERYONE, AUTHENTICATED_USERS, WELL_KNOWN["network"]}
    host = estate.host_named(server.partition(".")[0])
    if host is not None and host.is_of_directory:
        return frozenset(token)
    token -= {sid for sid in token if is_built_in_group(sid)}
    if host is not None and host.state is not None:
        token |= {str(group.sid) for group in host.state.groups if token & {str(member) for member in group.members}}
    else:
        domain = estate.domain.holding(host.dn) if host is not None else estate.domain
        token |= {group for group, rid in _MEMBERS_OF_EVERY_HOST.items() if domain.account(rid) in token}
    return frozenset(token)


def may_in_folder(share: Descriptor | None, folder: Descriptor, token: frozenset[str], mask: int) -> FolderAnswer:
    """Decide. A share of which no permissions are known lets everything through to the folder."""
    if share is not None:
        allowed, entry = _decided(share, token, mask, as_owner=False)
        if not allowed:
            return FolderAnswer(allowed=False, where="share", entry=entry)
    # Who rules a host takes ownership by privilege, regardless of the list ([MS-LSAD] 2.2.4.1, SeTakeOwnership).
    by_privilege = WRITE_OWNER if ADMINISTRATORS in token else 0
    allowed, entry = _decided(folder, token, mask & ~by_privilege, as_owner=True)
    return FolderAnswer(allowed=allowed, where="folder", entry=entry)


def _decided(descriptor: Descriptor, token: frozenset[str], mask: int, *, as_owner: bool) -> tuple[bool, Ace | None]:
    """Look at the entries in their order until each right is decided; what no entry gives is not given."""
    left = mask
    if as_owner and descriptor.owner in token and not _speaks_of_owners(descriptor):
        left &= ~(READ_CONTROL | WRITE_DAC)
    last: Ace | None = None
    if descriptor.dacl is None:
        return True, None  # no list at all lets everybody do everything, and an empty one nobody anything
    for entry in descriptor.entries:
        if not left:
            break
        if not entry.decides or entry.inherit_only or not is_for(entry, token, "", descriptor.owner):
            continue
        about = file_mask(entry.mask) & left
        if not about or (entry.conditional and not entry.denies):
            continue
        if entry.denies:
            return False, entry
        left &= ~about
        last = entry
    return not left, last if not left else None


def _speaks_of_owners(descriptor: Descriptor) -> bool:
    return any(entry.sid == OWNER_RIGHTS and not entry.inherit_only for entry in descriptor.entries)


def mask_in_words(mask: int) -> str:
    """Return rights of a file in words, the most powerful that they come to."""
    mask = file_mask(mask)
    words = next((words for whole, words in _WORDS if mask & whole == whole), f"use rights {mask:#x}")
    return words if mask & (WRITE_DAC | WRITE_OWNER) == 0 or words == "do anything" else f"{words} and own it"


def file_mask(mask: int) -> int:
    """Return a mask with its generic rights as those of a file ([MS-SMB2] 2.2.13.1.1)."""
    for generic, means in _GENERIC.items():
        if mask & generic:
            mask = mask & ~generic | means
    return mask
