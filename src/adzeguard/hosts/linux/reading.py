"""What one reading of a Linux host comes to, and the state that we make of it."""

from collections.abc import Iterator, Mapping
from dataclasses import replace
from functools import cached_property
from typing import Any

from adzeguard.core.estate.capabilities import LOCAL_GROUPS, OWN_ACCOUNTS
from adzeguard.core.estate.elevation import ELEVATION, Elevation, Elevations, Used
from adzeguard.core.estate.hosts import GROUPS_IN_GROUPS, HostState, LocalAccount, LocalGroup
from adzeguard.core.estate.logon import LOGON_REFUSAL, LogonRules
from adzeguard.core.estate.notice import NOTICE, Notice
from adzeguard.core.estate.seen_on import SeenOn
from adzeguard.core.identity import Sid
from adzeguard.core.values import dataclass
from adzeguard.core.wellknown import EVERYONE
from adzeguard.hosts.linux.access_file import SERVICES, access_path, pam_line
from adzeguard.hosts.linux.accounts import Accounts, NativeGroup, is_person
from adzeguard.hosts.linux.answer import Program
from adzeguard.hosts.linux.fact_files import FACT_FILES
from adzeguard.hosts.linux.kept import KeptElevation, KeptFile, KeptName
from adzeguard.hosts.linux.native_names import NativeNames
from adzeguard.hosts.linux.seen_log import seen_in
from adzeguard.hosts.linux.sudo_log import used_in
from adzeguard.hosts.linux.sudo_policy import ALL, Holder, made_administrators


@dataclass(frozen=True)
class Seen:
    """What one reading of a host came to."""

    accounts: Accounts
    names: NativeNames
    kept: KeptFile
    ways: frozenset[str]
    sudo: bool
    log: str = ""
    """What sudo has logged of late."""
    present: str = ""
    """Who is logged on, and was of late."""
    name: str = ""
    policy: bytes | None = None
    called: str = ""
    """How those are called whom the policy names by their numbers."""

    @cached_property
    def by_line(self) -> frozenset[Sid] | None:
        """Whom lines of sudo make administrators beside the administrators group; None where they cannot be read."""
        if not self.policy:
            return None
        try:
            holders = made_administrators(self.policy, self.name)
        except ValueError:
            return None
        return frozenset(sid for holder in holders for sid in self._of_line(holder))

    def _of_line(self, holder: Holder) -> Iterator[Sid]:
        accounts = self.accounts
        if holder.name == ALL:
            yield EVERYONE
            return
        names = self._numbered(holder) if holder.is_number else [holder.name]
        for name in names:
            group = accounts.groups.get(name) if holder.is_group else None
            if group is not None and group not in accounts.administering:
                yield from self.inside(group)
            elif group is None:
                yield self.names.sid_of(name)

    def _numbered(self, holder: Holder) -> list[str]:
        """Return who has a number: the host's own files say it, or what else it has names from, such as a directory."""
        own = self.accounts.numbered(int(holder.name), is_group=holder.is_group)
        begin = f"{'group' if holder.is_group else 'account'} {int(holder.name)} "
        return own or [line.removeprefix(begin) for line in self.called.splitlines() if line.startswith(begin)]

    def inside(self, group: NativeGroup) -> Iterator[Sid]:
        """Yield the members of a group of the host, those by their primary group among them."""
        return map(self.names.sid_of, (*group.members, *self.accounts.primary_members(group)))

    @cached_property
    def used(self) -> frozenset[Used]:
        """Who ran what elevated; names that stand for nobody are left out."""
        found = ((self.names.sid_of(who), who, program, day) for who, program, day in used_in(self.log))
        return frozenset(
            Used(Sid(sid), program, day) for sid, who, program, day in found if sid != self.accounts.unknown_sid(who)
        )

    @cached_property
    def seen_on(self) -> tuple[SeenOn, ...]:
        """Whom of the directory the host saw; its own accounts lead to nothing but itself."""
        told = [one for one in seen_in(self.present) if self.accounts.account_sid(one[0]) is None]
        found = ((self.names.sid_of(who), who, how, at) for who, how, at in told)
        return tuple(
            sorted(SeenOn(sid, how, at) for sid, who, how, at in found if sid != self.accounts.unknown_sid(who))
        )

    def identity(self, sid: str, name: KeptName) -> Sid:
        """Return who a kept name is on the host now."""
        return self.names.stands_for(Sid(sid), name.name, is_group=name.is_group)

    def as_it_is(self, kept: KeptElevation) -> Elevation:
        """Return a kept elevation with who its name is on the host now."""
        who = self.names.stands_for(Sid(kept.who), kept.name, is_group=kept.is_group)
        return replace(kept.elevation, who=who)

    def identities(self, lists: Mapping[str, Mapping[str, KeptName]], way: str) -> frozenset[Sid]:
        """Return who stands in the list of a way."""
        return frozenset(self.identity(sid, name) for sid, name in lists.get(way, {}).items())

    @cached_property
    def unknown(self) -> dict[str, str]:
        """Names in groups that stand for nobody, by the SIDs that we gave them."""
        listed = {name for group in self.accounts.groups.values() for name in group.members}
        sids = {name: self.names.sid_of(name) for name in listed if name not in self.accounts.accounts}
        return {sid: name for name, sid in sids.items() if sid == self.accounts.unknown_sid(name)}


def state_of(seen: Seen, programs: Mapping[str, Program]) -> HostState:
    """Return the state of a host; `programs` are those that it elevates, as they are now."""
    accounts, kept = seen.accounts, seen.kept.state
    unlisted = _unlisted(seen)
    groups = tuple(_group(seen, group, unlisted) for group in accounts.groups.values())
    inside = {sid for group in groups for sid in group.members}
    own = [(account, sid) for account in accounts.accounts.values() if (sid := accounts.account_sid(account.name))]
    shown = [LocalAccount(_shown(a.name), sid, a.enabled) for a, sid in own if is_person(a) or sid in inside]
    strangers = [LocalAccount(_shown(name), Sid(sid), enabled=False) for sid, name in seen.unknown.items()]
    parts: dict[str, Any] = {NOTICE.name: Notice(kept.title, kept.text)}
    parts |= {row.capability: kept.facts.get(row.capability, {}) for row in FACT_FILES}
    lacks = {
        GROUPS_IN_GROUPS: "a group of a Linux host holds accounts, and no groups",
        OWN_ACCOUNTS.name: "its accounts and groups are looked after by its own tools",
    }
    if seen.ways:
        parts[LOGON_REFUSAL.name] = LogonRules(
            {way: seen.identities(kept.refused, way) for way in seen.ways},
            {way: seen.identities(kept.alone, way) for way in kept.alone if way in seen.ways},
        )
    else:
        lines = "; ".join(f"to /etc/pam.d/{service} '{pam_line(way)}'" for way, service in SERVICES.items())
        touched = " ".join(access_path(way) for way in SERVICES)
        lacks[LOGON_REFUSAL.name] = f"no service of PAM asks for it. First: touch {touched}; then add {lines}"
    if seen.sudo:
        parts[ELEVATION.name] = Elevations(
            frozenset(map(seen.as_it_is, kept.elevated)),
            {name: one.digest for name, one in programs.items()},
            seen.used,
            {name: one.open_at for name, one in programs.items() if one.open_at},
        )
    else:
        lacks[ELEVATION.name] = "there is no sudo that reads /etc/sudoers.d"
    if seen.by_line is None:
        lacks["sudo-lines"] = "sudo's own reader of its lines, cvtsudoers, is not there, or cannot read them"
    if not accounts.administrators:
        lacks["administrators"] = "there is neither a group sudo nor wheel; name one: administrators = '…'"
    return HostState(
        accounts.authority,
        (*shown, *strangers),
        groups,
        frozenset({LOCAL_GROUPS.name, *parts}),
        parts,
        lacks,
        unlisted,
        seen.seen_on,
    )


def _unlisted(seen: Seen) -> dict[Sid, str]:
    """Return who administers the host though the list of its administrators group does not say so, and by what."""
    accounts = seen.accounts
    found = dict.fromkeys(seen.by_line or (), "a line of sudo")
    for group in accounts.administering:
        if group.name != accounts.administrators:
            found |= dict.fromkeys(seen.inside(group), f"the group {_shown(group.name)}, which has the same number")
        found |= dict.fromkeys(map(seen.names.sid_of, accounts.primary_members(group)), "its primary group")
    # An account with the number 0 administers the host regardless of the lists.
    roots = [sid for name in accounts.roots if (sid := accounts.account_sid(name))]
    return found | dict.fromkeys(roots, "its number, which is 0")


def _group(seen: Seen, group: NativeGroup, unlisted: Mapping[Sid, str]) -> LocalGroup:
    members = set(seen.inside(group))
    if group.name == seen.accounts.administrators:
        members |= unlisted.keys()
    return LocalGroup(_shown(group.name), seen.accounts.group_sid(group.name), frozenset(members))


def _shown(name: str) -> str:
    return name.encode("utf-8", "surrogateescape").decode("utf-8", "backslashreplace")
