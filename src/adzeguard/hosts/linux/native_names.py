r"""Principals of the directory by the names that a Linux host gives them: `LOWMERE\orla.fenn`, or `orla.fenn`."""

import re
import unicodedata
from collections.abc import Mapping
from functools import cached_property

from adzeguard.core.drivers import Names
from adzeguard.core.errors import HostRefusedError, SettingsError
from adzeguard.core.identity import Sid
from adzeguard.hosts.linux.accounts import Accounts

_PLACES = ("{name}", "{domain}")


class NativeNames:
    """Turns names of one host into SIDs and back. What is the host's own comes before the directory's."""

    def __init__(self, accounts: Accounts, names: Names, pattern: str) -> None:
        self._accounts = accounts
        self._names = names
        self._pattern = pattern

    @cached_property
    def _groups_by_sid(self) -> dict[str, str]:
        return {self._accounts.group_sid(name): name for name in self._accounts.groups}

    @cached_property
    def _accounts_by_sid(self) -> dict[str, str]:
        own = ((self._accounts.account_sid(name), name) for name in self._accounts.accounts)
        return {sid: name for sid, name in own if sid is not None}

    def sid_of(self, name: str) -> Sid:
        """Return who a name stands for; a name of nobody has a SID of its own, so that it is seen."""
        # nsswitch.conf puts files first as a rule: the host would take the name for its own account too.
        own = self._accounts.account_sid(name)
        if own is not None:
            return own
        found = self._names.sid_of(self._qualified(name)) if self._qualified(name) else None
        return Sid(found) if found else self._accounts.unknown_sid(name)

    def spellings_of(self, sid: Sid, unknown: Mapping[str, str]) -> tuple[str, ...]:
        """Return how somebody may be called on the host; none for a SID that stands for nobody.

        What gives a host the directory's names may write them in small letters. `unknown` are names of nobody.
        `HostRefusedError` where the host's own files give such a name to somebody else.
        """
        own = self._accounts_by_sid.get(sid) or unknown.get(sid)
        if own:
            return (own,)
        spellings = self._of_directory(sid)
        taken = next((self._own_names[folded(one)] for one in spellings if folded(one) in self._own_names), "")
        if taken:
            # By the name alone the host's own account would get what is meant for the person of the directory: seen
            # with the pattern {name}, where LOWMERE\\ben made the local ben an administrator.
            raise HostRefusedError(
                f"the host has {taken} of its own, which is somebody else than {self._names.name_of(sid)}",
                "Rename that one there, or let the host name people of the directory by their domain: names = '…'",
            )
        return spellings

    @cached_property
    def _own_names(self) -> dict[str, str]:
        """What the host's own files call somebody, folded, in words."""
        groups = {folded(name): f"a group {name}" for name in self._accounts.groups}
        return groups | {folded(name): f"an account {name}" for name in self._accounts.accounts}

    def stands_for(self, sid: Sid, name: str, *, is_group: bool) -> Sid:
        """Return who a name in a file of ours is on the host now, where it was written for `sid`.

        An account that the host got later under the same name is meant by the host from then on.
        """
        if is_group:
            return self._accounts.group_sid(name) if name in self._accounts.groups else sid
        return self._accounts.account_sid(name) or sid

    def group_of(self, sid: Sid) -> str:
        """Return the name of a group of the host; `HostRefusedError` where it has none."""
        name = self._groups_by_sid.get(sid)
        if name is None:
            raise HostRefusedError(f"the host has no group {sid}")
        return name

    def own_group(self, sid: Sid) -> str | None:
        """Return the name of a group of the host with this SID, if there is one."""
        return self._groups_by_sid.get(sid)

    def _of_directory(self, sid: Sid) -> tuple[str, ...]:
        qualified = self._names.name_of(sid)
        if qualified is None or "\\" not in qualified:
            return ()
        domain, _, name = qualified.partition("\\")
        # What gives a host the directory's names may write all of it, or the name alone, in small letters.
        parts = ((domain, name), (domain, name.lower()), (domain.lower(), name.lower()))
        spelt = (self._pattern.replace("{domain}", d).replace("{name}", n) for d, n in parts)
        return tuple(dict.fromkeys(spelt))

    def _qualified(self, name: str) -> str:
        found = self._shape.fullmatch(name)
        if found is None:
            return ""
        domain = found.groupdict().get("domain") or self._names.domain
        return rf"{domain}\{found['name']}"

    @cached_property
    def _shape(self) -> re.Pattern[str]:
        parts = re.split(r"(\{name\}|\{domain\})", self._pattern)
        words = {"{name}": "(?P<name>.+)", "{domain}": r"(?P<domain>[^\\@+/]+)"}
        return re.compile("".join(words.get(part) or re.escape(part) for part in parts), re.IGNORECASE | re.DOTALL)


def folded(name: str) -> str:
    """Return a name as it is compared: two that people, or a source of names, take for the same are the same here."""
    return unicodedata.normalize("NFKC", name).casefold()


def checked_pattern(pattern: str) -> str:
    """Return a pattern of names; `SettingsError` for one without a place for the name."""
    if pattern.count("{name}") != 1 or pattern.count("{domain}") > 1 or re.search(r"[{}]", _without(pattern)):
        raise SettingsError(
            f"names = '{pattern}' is no pattern of names", r"Write {name}, or {domain}\{name}, as the host gives them"
        )
    return pattern


def _without(pattern: str) -> str:
    for place in _PLACES:
        pattern = pattern.replace(place, "")
    return pattern
