"""A tree that is mounted here, by the access control lists of POSIX that stand on its folders.

They are told as lists of entries in an order that comes to the same: what a class of POSIX does not give, it denies,
since the first class that fits decides there alone (POSIX 1003.1e draft 17, 23.1.5).
"""

import grp
import os
import pwd
import stat
import struct
from collections.abc import Callable, Iterator, Sequence
from contextlib import suppress
from pathlib import Path
from typing import Final

from adzeguard.core.access.shares import Folder
from adzeguard.core.descriptors.ace import Ace, AceKind
from adzeguard.core.descriptors.descriptor import AceList, Descriptor
from adzeguard.core.drivers import DriverKind, Names, Secret, Setting, Settings
from adzeguard.core.errors import ShareError
from adzeguard.core.identity import Sid
from adzeguard.core.wellknown import EVERYONE
from adzeguard.shares.port import ReadShare

_ENTRY: Final = struct.Struct("<HHI")
_VERSION: Final = 2
_OWNER, _USER, _OWNING, _GROUP, _MASK, _OTHER = 1, 2, 4, 8, 16, 32
_RIGHTS: Final = {4: 0x120089, 2: 0x116, 1: 0x20}
"""What r, w and x of a folder let one do: list and read; make and delete what is in it; pass through it."""
_ALL: Final = 0x120089 | 0x116 | 0x20 | 0x40
_SURROGATES: Final = 0xDC00
"""Where Python keeps the bytes of a file name that are no UTF-8 (PEP 383); no store takes them."""
_BYTES: Final = 0xEF00
"""Where they stand in what we tell: among the private characters of Unicode, which no name of a person's holds."""
_BACKSLASH: Final = "\uf05c"
"""What file servers give a backslash that is no separator."""
_UNIX_USERS, _UNIX_GROUPS = "S-1-22-1", "S-1-22-2"
"""What people and groups of the system are known by that the directory does not know."""


class MountedTree:
    """One share, whose top is a folder here."""

    def __init__(self, top: Path, server: str, share: str, names: Names) -> None:
        self._top, self.server, self._share, self._names = top, server, share, names
        self.asked_to_stop: Callable[[], bool] = lambda: False

    def shares(self) -> Sequence[ReadShare]:
        """Return the one; permissions of its own it has none."""
        if not self._top.is_dir():
            raise ShareError(f"there is no folder {self._top}: is it mounted?")
        return [ReadShare(self._share)]

    def parts(self, share: str) -> Sequence[str]:  # noqa: ARG002 - there is one
        """Return the folders at its top."""
        return self._inside(self._top)

    def folders(self, share: str, below: str, depth: int) -> Iterator[Folder]:  # noqa: ARG002 - there is one
        """Yield a folder and those below, level by level; links are not followed."""
        waiting = [below]
        for path in waiting:
            here = self._at(path)
            try:
                descriptor = self._permissions(here)
                if path and path.count("\\") + 1 < depth:
                    waiting += [rf"{path}\{name}" for name in self._inside(here)]
            except (ShareError, OSError) as error:
                yield Folder(path, b"", _as_told(str(getattr(error, "strerror", None) or error)))
                continue
            yield Folder(path, descriptor)

    def read(self, share: str, path: str) -> bytes:  # noqa: ARG002 - there is one
        """Return the permissions of one folder."""
        try:
            return self._permissions(self._at(path))
        except OSError as error:
            raise ShareError(f"{self._at(path)} cannot be read: {error.strerror}") from error

    def write(self, share: str, path: str, descriptor: bytes) -> None:  # noqa: ARG002 - the port's
        """Refuse: a list of POSIX cannot hold all that such a list says."""
        raise ShareError(f"the permissions of a mounted tree are not changed from here: {share}\\{path}")

    def close(self) -> None:
        """Nothing is kept open."""

    def _at(self, path: str) -> Path:
        return self._top.joinpath(*(_as_it_is(part) for part in path.split("\\") if part))

    def _inside(self, folder: Path) -> list[str]:
        try:
            with os.scandir(folder) as found:
                names = (entry.name for entry in found if entry.is_dir(follow_symlinks=False))
                return sorted(map(_as_told, names), key=str.casefold)
        except OSError as error:
            raise ShareError(f"{folder} cannot be listed: {error.strerror}") from error

    def _permissions(self, folder: Path) -> bytes:
        seen = folder.lstat()
        raw = b""
        with suppress(OSError):  # a file system without them has the three classes alone
            raw = os.getxattr(folder, "system.posix_acl_access", follow_symlinks=False)
        classes = _classes(raw, seen.st_mode)
        owner, group = self._user(seen.st_uid), self._group(seen.st_gid)
        mask = next((rights for kind, _, rights in classes if kind == _MASK), 7)
        people, groups = [], []
        for kind, number, rights in classes:
            if kind in (_OWNER, _USER):
                who = owner if kind == _OWNER else self._user(number)
                people.append((who, rights if kind == _OWNER else rights & mask))
            elif kind in (_OWNING, _GROUP):
                groups.append((group if kind == _OWNING else self._group(number), rights & mask))
        other = next((rights for kind, _, rights in classes if kind == _OTHER), 0)
        entries = []
        for who, rights in people:
            entries += [_allowed(who, rights), _denied(who, rights)]
        entries += [_allowed(who, rights) for who, rights in groups]
        entries += [_denied(who, rights) for who, rights in groups]
        entries.append(_allowed(Sid(EVERYONE), other))
        return Descriptor(owner, group, AceList(tuple(entry for entry in entries if entry.mask), 2)).to_bytes()

    def _user(self, number: int) -> Sid:
        name = ""
        with suppress(KeyError):
            name = pwd.getpwuid(number).pw_name
        return self._sid(name, f"{_UNIX_USERS}-{number}")

    def _group(self, number: int) -> Sid:
        name = ""
        with suppress(KeyError):
            name = grp.getgrgid(number).gr_name
        return self._sid(name, f"{_UNIX_GROUPS}-{number}")

    def _sid(self, name: str, otherwise: str) -> Sid:
        """People of the domain are known by names with its own in front; others are people of the system alone."""
        known = self._names.sid_of(name) if "\\" in name else None
        return Sid(known or otherwise)


def _as_told(name: str) -> str:
    """Return a name as text that can be stored: it may hold bytes that are no UTF-8, and a backslash is no separator.

    Both have places of their own among the private characters, so that the folder is found again by it.
    """
    told = (chr(_BYTES + ord(one) - _SURROGATES) if _is_byte(one) else one for one in name)
    return "".join(told).replace("\\", _BACKSLASH)


def _as_it_is(name: str) -> str:
    back = (chr(_SURROGATES + ord(one) - _BYTES) if _BYTES + 0x80 <= ord(one) <= _BYTES + 0xFF else one for one in name)
    return "".join(back).replace(_BACKSLASH, "\\")


def _is_byte(one: str) -> bool:
    return _SURROGATES + 0x80 <= ord(one) <= _SURROGATES + 0xFF


def _classes(raw: bytes, mode: int) -> list[tuple[int, int, int]]:
    """Take a list apart into classes, numbers and rights; without one the mode says the same of three."""
    if len(raw) > 4 and struct.unpack_from("<I", raw)[0] == _VERSION:  # noqa: PLR2004 - the head
        body = raw[4 : 4 + (len(raw) - 4) // _ENTRY.size * _ENTRY.size]
        return [(kind, number, rights & 7) for kind, rights, number in _ENTRY.iter_unpack(body)]
    bits = stat.S_IMODE(mode)
    return [(_OWNER, 0, bits >> 6 & 7), (_OWNING, 0, bits >> 3 & 7), (_OTHER, 0, bits & 7)]


def _allowed(who: Sid, rights: int) -> Ace:
    return Ace(AceKind.ALLOW, 3, _mask(rights), who)


def _denied(who: Sid, rights: int) -> Ace:
    return Ace(AceKind.DENY, 3, _ALL & ~_mask(rights), who)


def _mask(rights: int) -> int:
    mask = 0
    for bit, means in _RIGHTS.items():
        mask |= means if rights & bit else 0
    # To delete a thing one must write into its folder and pass through it.
    return mask | (0x40 if rights & 3 == 3 else 0)  # noqa: PLR2004 - w and x


def _open(settings: Settings, _secret: Secret, names: Names) -> MountedTree:
    return MountedTree(Path(settings["folder"]), settings["server"], settings["share"], names)


DRIVER: Final = DriverKind(
    "mounted",
    (
        Setting("folder", "where it is mounted", is_path=True, needed=True),
        Setting("server", "the server that people name in its paths", needed=True),
        Setting("share", "the share that people name in its paths", needed=True),
    ),
    _open,
)
