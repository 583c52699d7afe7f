"""Accounts and groups of a Linux host, from passwd(5), group(5) and shadow(5), and the SIDs by which we know them.

A host without SIDs gets some of ours: its own authority from its machine id, and in it the numbers that Samba gives to
accounts and groups of a host (twice the number and 1000, and one more for groups). The account with the number 0 has
the RID 500 and the administrators group the SID that it has everywhere, so that rules mean the same on every host.
"""

import struct
from collections.abc import Iterable, Iterator, Mapping
from functools import cached_property
from hashlib import sha256
from typing import Final

from adzeguard.core.errors import HostFileError
from adzeguard.core.identity import Sid
from adzeguard.core.values import dataclass
from adzeguard.core.wellknown import ADMINISTRATORS, RID_ADMINISTRATOR

_FIRST_PERSON: Final = 1000
_NOBODY: Final = 65534
_DIGITS: Final = 10
_LARGEST_MAPPED: Final = 1 << 29
_UNKNOWN: Final = 1 << 31
_DAY: Final = 86_400
_NO_LOGON: Final = ("/nologin", "/false")
_ADMINISTRATORS_GROUPS: Final = ("sudo", "wheel")


@dataclass(frozen=True, slots=True)
class NativeAccount:
    """One line of passwd, with what shadow says of it."""

    name: str
    number: int
    group: int
    enabled: bool


@dataclass(frozen=True, slots=True)
class NativeGroup:
    """One line of group."""

    name: str
    number: int
    members: tuple[str, ...]


@dataclass(frozen=True)
class Accounts:
    """The accounts and groups of one host. `administrators` is the name of its administrators group, if it has one."""

    authority: Sid
    accounts: Mapping[str, NativeAccount]
    groups: Mapping[str, NativeGroup]
    administrators: str = ""

    @classmethod
    def of(
        cls,
        machine: str,
        passwd: str,
        group: str,
        shadow: str,
        today: int,
        administrators: str = "",
        *,
        root_keys: bool = False,
    ) -> "Accounts":
        """Read the three files; `today` in days since 1970. `HostFileError` for a host that says nothing of itself.

        `root_keys` tells whether there are keys that log in as root.
        """
        # An image whose id was emptied for copying gets one at its first start; until then all copies would be one.
        if not machine.strip():
            raise HostFileError("the host has no machine id", "Make one there: systemd-machine-id-setup")
        read = list(_accounts(passwd, _expired(shadow, today), _without_password(shadow, root_keys)))
        # Of two lines of one name the system takes the first (getpwnam(3)).
        accounts = {account.name: account for account in reversed(read)}
        accounts = {account.name: accounts[account.name] for account in read}
        groups = _together(_groups(group))
        if not accounts or not groups:
            raise HostFileError("the host has no passwd or no group file that can be read")
        found = administrators or next((name for name in _ADMINISTRATORS_GROUPS if name in groups), "")
        return cls(authority_of(machine), accounts, groups, found if found in groups else "")

    def account_sid(self, name: str) -> Sid | None:
        """Return the SID of an account of the host, or None if it has none of that name."""
        account = self.accounts.get(name)
        if account is None:
            return None
        # A second account with the number 0 is another way in, and must not hide behind the SID of the first.
        first = account.number == 0 and name == self._first_root
        if first:
            return Sid(f"{self.authority}-{RID_ADMINISTRATOR}")
        if 0 < account.number < _LARGEST_MAPPED:
            return Sid(f"{self.authority}-{2 * account.number + 1000}")
        return self.unknown_sid(name)

    def group_sid(self, name: str) -> Sid:
        """Return the SID of a group of the host."""
        number = self.groups[name].number
        if name == self.administrators:
            return ADMINISTRATORS
        return Sid(f"{self.authority}-{2 * number + 1001}") if number < _LARGEST_MAPPED else self.unknown_sid(name)

    def unknown_sid(self, name: str) -> Sid:
        """Return a SID for a name that stands for nothing here: it must be told, and taken out, all the same."""
        (number,) = struct.unpack(">I", sha256(name.encode("utf-8", "surrogateescape")).digest()[:4])
        return Sid(f"{self.authority}-{_UNKNOWN | number}")

    @cached_property
    def _first_root(self) -> str:
        return next((name for name, account in self.accounts.items() if account.number == 0), "")

    @property
    def roots(self) -> list[str]:
        """The accounts with the number 0: they are administrators by nature, in no list of members."""
        return [name for name, account in self.accounts.items() if account.number == 0]

    @cached_property
    def administering(self) -> list[NativeGroup]:
        """The administrators group, and groups that share its number: the host asks for numbers (credentials(7))."""
        own = self.groups.get(self.administrators)
        return [group for group in self.groups.values() if own is not None and group.number == own.number]

    def numbered(self, number: int, *, is_group: bool) -> list[str]:
        """Return the names of what has a number."""
        if is_group:
            return [name for name, group in self.groups.items() if group.number == number]
        return [name for name, account in self.accounts.items() if account.number == number]

    def primary_members(self, group: NativeGroup) -> Iterator[str]:
        """Yield the people whose primary group it is; a person's group of their own holds nobody else."""
        for account in self.accounts.values():
            # Members by their primary group stand in no list of group(5), and sudo counts them.
            if account.group == group.number and is_person(account):
                yield account.name


def is_person(account: NativeAccount) -> bool:
    """Tell whether an account is one that people use, and not one of a service (numbers as in login.defs(5))."""
    return account.number == 0 or (account.number >= _FIRST_PERSON and account.number != _NOBODY)


def authority_of(machine: str) -> Sid:
    """Return the authority of a host's own accounts, the same as long as its machine id is (machine-id(5))."""
    parts = struct.unpack(">3I", sha256(machine.strip().encode()).digest()[:12])
    return Sid("S-1-5-21-" + "-".join(map(str, parts)))


def _expired(shadow: str, today: int) -> dict[str, bool]:
    """Return by names whether an account is past its last day. A locked password is no end: a key gets past it.

    The first account of every cloud image has a locked password and logs in by its key.
    """
    found = {}
    for line in _lines(shadow):
        # A line that is too short must not stop the reading of all others.
        name, *rest = [*line.split(":"), *[""] * 8][:9]
        last = rest[6]
        found[name] = _is_number(last) and int(last) <= today
    return found


def _without_password(shadow: str, root_keys: bool) -> frozenset[str]:
    """Return the accounts that no password opens; none where keys open root all the same."""
    fields = [line.split(":") for line in _lines(shadow)]
    return frozenset() if root_keys else frozenset(f[0] for f in fields if len(f) > 1 and f[1].startswith(("!", "*")))


def _accounts(passwd: str, expired: Mapping[str, bool], locked: frozenset[str]) -> Iterator[NativeAccount]:
    for line in _lines(passwd):
        parts = line.split(":")
        if len(parts) >= 7 and _is_number(parts[2]) and _is_number(parts[3]):  # noqa: PLR2004 - passwd(5)
            number = int(parts[2])
            # Root has no day on which it ends, and where nothing opens it, it is no way in for anybody.
            ended = parts[0] in locked if number == 0 else expired.get(parts[0], False)
            closed = parts[6].strip().endswith(_NO_LOGON) or ended
            yield NativeAccount(parts[0], number, int(parts[3]), not closed)


def _groups(group: str) -> Iterator[NativeGroup]:
    for line in _lines(group):
        parts = line.split(":")
        if len(parts) >= 4 and _is_number(parts[2]):  # noqa: PLR2004 - group(5)
            yield NativeGroup(parts[0], int(parts[2]), tuple(name for name in parts[3].strip().split(",") if name))


def _together(groups: Iterable[NativeGroup]) -> dict[str, NativeGroup]:
    """Return groups by their names; who is in any of several lines of one name is in that group, as sudo takes it."""
    found: dict[str, NativeGroup] = {}
    for group in groups:
        first = found.get(group.name, group)
        members = dict.fromkeys((*first.members, *group.members)) if first is not group else group.members
        found[group.name] = NativeGroup(first.name, first.number, tuple(members))
    return found


def _is_number(text: str) -> bool:
    """Tell whether it is a number of an account or a group, of 32 bits."""
    return text.isascii() and text.isdecimal() and len(text) <= _DIGITS


def _lines(text: str) -> Iterable[str]:
    # A line of NIS begins with + or - and names no account of the host.
    return (line for line in text.split("\n") if line.strip() and not line.startswith(("#", "+", "-")))
