"""One Linux host: what it says of itself, and one change after the other."""

import base64
import time
from collections.abc import Callable, Iterable, Mapping
from hashlib import sha256
from typing import Any, Final

from adzeguard.core.change.change import Change
from adzeguard.core.change.kinds.add_local_member import AddLocalMember, RemoveLocalMember
from adzeguard.core.change.kinds.elevation import EndElevation, GiveElevation
from adzeguard.core.change.kinds.logon_refusal import EndRefusal, RefuseLogon
from adzeguard.core.change.kinds.membership import LocalMembershipChange
from adzeguard.core.change.kinds.set_fact import SetFact
from adzeguard.core.change.kinds.set_logon_alone import SetLogonAlone
from adzeguard.core.change.kinds.set_notice import SetNotice
from adzeguard.core.drivers import Names
from adzeguard.core.errors import HostFileError, HostRefusedError, HostUnreachableError
from adzeguard.core.estate.elevation import NO_ARGUMENTS
from adzeguard.core.estate.hosts import HostState
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.notice import Notice
from adzeguard.core.identity import Sid
from adzeguard.core.values import dataclass
from adzeguard.hosts.linux import scripts
from adzeguard.hosts.linux.access_file import HEAD, SERVICES, Logons, access_path, access_text
from adzeguard.hosts.linux.accounts import Accounts
from adzeguard.hosts.linux.answer import Answer, Program
from adzeguard.hosts.linux.fact_files import FACT_FILES
from adzeguard.hosts.linux.kept import Kept, KeptElevation, KeptName, kept_text, read_kept
from adzeguard.hosts.linux.native_names import NativeNames, folded
from adzeguard.hosts.linux.notice_files import notice_files
from adzeguard.hosts.linux.reading import Seen, state_of
from adzeguard.hosts.linux.shell import Ran, Shell, with_arguments
from adzeguard.hosts.linux.sudoers import SUDOERS, NamedElevation, sudoers_text

_A_DAY: Final = 86_400
_ENDED_BY_SIGNAL: Final = 128  # POSIX.1-2017, Shell Command Language 2.8.2


@dataclass(frozen=True, slots=True)
class Habits:
    """What a workspace says of its Linux hosts: how they name people, and which group administers them."""

    pattern: str = "{name}"
    administrators: str = ""


class LinuxSession:
    """A host that answers through a shell."""

    def __init__(self, shell: Shell, names: Names, habits: Habits) -> None:
        self._shell = shell
        self._names = names
        self._habits = habits

    def read(self) -> HostState:
        """Read the host, with the digests of the programs that it elevates."""
        seen = self._look()
        programs = sorted({one.program for one in seen.kept.state.elevated})
        return state_of(seen, dict(zip(programs, self._programs(programs), strict=True)) if programs else {})

    def change(self, change: Change) -> None:
        """Make one change. `HostRefusedError` carries the host's own reason, or ours, for a no."""
        make = _EXECUTORS.get(type(change))
        if make is None:
            raise HostRefusedError(f"a Linux host knows no change of the kind {change.kind}")
        make(self, self._look(), change)

    def _look(self) -> Seen:
        said = Answer.of(self._run(scripts.READ).out)
        passwd, group, shadow = (said.text(f"/etc/{name}") for name in ("passwd", "group", "shadow"))
        machine, today = said.text("/etc/machine-id"), int(time.time()) // _A_DAY
        accounts = Accounts.of(
            machine, passwd, group, shadow, today, self._habits.administrators, root_keys=said.root_keys
        )
        names = NativeNames(accounts, self._names, self._habits.pattern)
        raw = said.files.get(scripts.STATE, b"")
        # The empty file that PAM asks for is made by hand, and is no file that somebody changed.
        standing = {path: digest for path, digest in said.digests.items() if digest not in _SAYING_NOTHING}
        kept = read_kept(raw, sha256(raw).hexdigest() if raw else "", standing)
        if kept.unlike:
            raise HostFileError(
                f"{', '.join(kept.unlike)} is not as adzeguard wrote it",
                "See who changed it; then take it away, and /etc/adzeguard with it, and enact again",
            )
        logs = (said.used, said.seen)
        return Seen(accounts, names, kept, frozenset(said.ways), said.sudo, *logs, said.name, said.policy, said.called)

    def _programs(self, programs: list[str]) -> list[Program]:
        *lines, end = self._run(scripts.DIGESTS, programs).out.decode("ascii", "replace").splitlines() or [""]
        if end != "end" or len(lines) != len(programs):
            raise HostFileError("the host gave no whole answer about its programs")
        return [Program.of(line) for line in lines]

    def _run(self, script: str, arguments: Iterable[str] = ()) -> Ran:
        ran = self._shell.run(with_arguments(script, list(arguments)))
        # Between reading and writing another program, or a person, wrote the state.
        if ran.code == scripts.CHANGED_MEANWHILE:
            raise HostRefusedError(ran.said or "the settings of the host were changed meanwhile", "Try again")
        if ran.code >= _ENDED_BY_SIGNAL:
            # It may have come to its end or not: the caller looks again.
            raise HostUnreachableError("the host ended it in the middle")
        if ran.code:
            raise HostRefusedError(ran.said or f"the host ended it with {ran.code}")
        return ran

    # One member of a group

    def change_member(self, seen: Seen, change: LocalMembershipChange) -> None:
        """Put an account into a group of the host, or take it out."""
        group = seen.accounts.groups[seen.names.group_of(change.group_sid)]
        if seen.names.own_group(change.member_sid):
            raise HostRefusedError("a group of a Linux host holds accounts, and no groups")
        spellings = _spelt(seen, change.member_sid, seen.unknown)
        if isinstance(change, AddLocalMember):
            known = self._known(spellings)
            if known is None or known.is_group:
                raise HostRefusedError(f"the host knows no account {spellings[0]}")
            self._run(scripts.ADD_MEMBER, [known.name, group.name])
            return
        # group(5) may list a spelling of its own, and gpasswd takes out only what is listed letter by letter.
        name = next((listed for listed in group.members if listed in spellings), spellings[0])
        if name not in group.members:
            why = "its number is 0" if name in seen.accounts.roots else "its primary group"
            raise HostRefusedError(f"{name} is in {group.name} since it is {why}, and in no list", "Change that there")
        if name == self._shell.account and name not in seen.accounts.roots:
            # Taken out, nothing could put it back: neither the next rule nor undo would come in.
            self._run(scripts.WAY_IN, [name, group.name])
        self._run(scripts.REMOVE_MEMBER, [name, group.name])

    def _known(self, spellings: Iterable[str]) -> KeptName | None:
        """Return what the host knows first of some names, by the name that it gives it itself."""
        said = self._run(scripts.KIND, wanted := list(spellings)).out.decode("utf-8", "surrogateescape")
        kind, _, known = said.partition(" ")
        # getent takes digits for a number: the account 1000 is somebody else than one whose name is 1000.
        return KeptName(name=known, is_group=kind == "group") if folded(known) in map(folded, wanted) else None

    # Settings of ours

    def change_refusal(self, seen: Seen, change: RefuseLogon | EndRefusal) -> None:
        """Refuse somebody logon by a way, or end it."""
        lists = dict(seen.kept.state.refused)
        listed = {
            sid: name for sid, name in lists.get(change.way, {}).items() if seen.identity(sid, name) != change.who.sid
        }
        if isinstance(change, RefuseLogon):
            listed[change.who.sid] = self._name(seen, change.who)
        lists[change.way] = listed
        self._write(seen, seen.kept.state.model_copy(update={"refused": {w: n for w, n in lists.items() if n}}))

    def change_alone(self, seen: Seen, change: SetLogonAlone) -> None:
        """Let nobody log on by a way but those, or end it."""
        lists = {way: names for way, names in seen.kept.state.alone.items() if way != change.way}
        if change.after is not None:
            lists[change.way] = {one.sid: self._name_or_spelling(seen, one) for one in change.after}
        self._write(seen, seen.kept.state.model_copy(update={"alone": lists}))

    def change_notice(self, seen: Seen, change: SetNotice) -> None:
        """Show a notice before anybody logs on, or none."""
        self._write(seen, seen.kept.state.model_copy(update={"title": change.title, "text": change.text}))

    def change_fact(self, seen: Seen, change: SetFact) -> None:
        """Set a fact, or take it away."""
        if all(row.capability != change.setting for row in FACT_FILES):
            raise HostRefusedError(f"a Linux host knows no {change.setting}")
        facts = dict(seen.kept.state.facts)
        named = {name: text for name, text in facts.pop(change.setting, {}).items() if name != change.name}
        named |= {change.name: change.after} if change.after else {}
        facts |= {change.setting: named} if named else {}
        self._write(seen, seen.kept.state.model_copy(update={"facts": facts}))

    def change_elevation(self, seen: Seen, change: GiveElevation | EndElevation) -> None:
        """Elevate a program for somebody, or end it; then ask sudo itself."""
        wanted = change.fact
        left = tuple(one for one in seen.kept.state.elevated if seen.as_it_is(one) != wanted)
        if isinstance(change, EndElevation):
            self._write(seen, seen.kept.state.model_copy(update={"elevated": left}))
            return
        who = self._name(seen, change.who)
        [program] = self._programs([wanted.program])
        if program.open_at:
            raise HostRefusedError(
                f"{wanted.program} can be changed by others than root, at {program.open_at}: it would be root for them",
                f"There: chown root:root '{program.open_at}' and chmod go-w '{program.open_at}'",
            )
        new = KeptElevation(
            program=wanted.program,
            sha256=wanted.sha256,
            who=wanted.who,
            name=who.name,
            is_group=who.is_group,
            arguments=wanted.arguments,
            until=wanted.until,
        )
        self._write(seen, seen.kept.state.model_copy(update={"elevated": (*left, new)}))
        # sudo -l asks for one account; for a group, or a program that is not there yet, there is no such proof.
        if not who.is_group and program.digest == wanted.sha256:
            arguments = wanted.arguments.split() if wanted.arguments != NO_ARGUMENTS else []
            proof = self._shell.run(with_arguments(scripts.PROVE, [who.name, wanted.program, *arguments]))
            if proof.code >= _ENDED_BY_SIGNAL:
                raise HostUnreachableError("the host ended it in the middle")
            if proof.code:
                self._write(self._look(), seen.kept.state)
                raise HostRefusedError(f"sudo would not run {wanted.program} for {who.name} after all")

    def _name(self, seen: Seen, who: Named) -> KeptName:
        name = self._name_if_known(seen, Sid(who.sid))
        if name is None:
            raise HostRefusedError(f"the host does not know {who.name}", "See: getent passwd, getent group, there")
        # Refusing ourselves would end the only way to take it back.
        if name.name == self._shell.account and not name.is_group:
            raise HostRefusedError(f"{name.name} is the account that adzeguard itself uses there")
        return name

    def _name_or_spelling(self, seen: Seen, who: Named) -> KeptName:
        """Return the name of somebody who is let; whom the host does not know yet must be let once it does."""
        known = self._name_if_known(seen, Sid(who.sid))
        if known is not None:
            return known
        return KeptName(name=_spelt(seen, Sid(who.sid), {})[-1], is_known=False)

    def _name_if_known(self, seen: Seen, sid: Sid) -> KeptName | None:
        own = seen.names.own_group(sid)
        if own is not None:
            return KeptName(name=own, is_group=True)
        spellings = seen.names.spellings_of(sid, {})
        return self._known(spellings) if spellings else None

    def _write(self, seen: Seen, wanted: Kept) -> None:
        """Put the files of a state in place, and the state beside them."""
        before = seen.kept.state
        files = _files(wanted, frozenset(self._always), seen.ways)
        digests = {path: sha256(text.encode()).hexdigest() for path, (text, _) in files.items() if text}
        now = wanted.model_copy(update={"files": digests})
        changes = [
            f"write={path}={mode}={_packed(text)}"
            for path, (text, mode) in sorted(files.items())
            if digests.get(path) != before.files.get(path)
        ]
        changes += [f"remove={path}" for path in sorted(before.files.keys() - files.keys())]
        both, only = kept_text(now, before), kept_text(now)
        self._run(scripts.WRITE, [seen.kept.digest, _packed(both), _packed(only), *changes])

    @property
    def _always(self) -> tuple[str, ...]:
        return ("root", self._shell.account) if self._shell.account else ("root",)


_EXECUTORS: Final[Mapping[type[Change], Callable[[LinuxSession, Seen, Any], None]]] = {
    AddLocalMember: LinuxSession.change_member,
    RemoveLocalMember: LinuxSession.change_member,
    RefuseLogon: LinuxSession.change_refusal,
    EndRefusal: LinuxSession.change_refusal,
    SetLogonAlone: LinuxSession.change_alone,
    SetNotice: LinuxSession.change_notice,
    SetFact: LinuxSession.change_fact,
    GiveElevation: LinuxSession.change_elevation,
    EndElevation: LinuxSession.change_elevation,
}
_SAYING_NOTHING: Final = frozenset(sha256(text.encode()).hexdigest() for text in ("", HEAD))
"""The digests of an access file that refuses nobody: as it was made for the service of PAM, or as we leave it."""


def _spelt(seen: Seen, sid: Sid, unknown: Mapping[str, str]) -> tuple[str, ...]:
    """Return how somebody may be called on the host; `HostRefusedError` for a SID that stands for nobody."""
    spellings = seen.names.spellings_of(sid, unknown)
    if not spellings:
        raise HostRefusedError(f"the host knows no account {sid}")
    return spellings


def _files(state: Kept, always: frozenset[str], ways: frozenset[str]) -> dict[str, tuple[str, str]]:
    """Return by their paths the files that a state comes to, each with its mode.

    Where a service asks for its access file, that stands even when nobody is refused: without it, nobody gets in (seen
    on Linux-PAM 1.5.2, which takes a missing file for a mistake in its line).
    """
    files: dict[str, tuple[str, str]] = {}
    for way in SERVICES:
        refused, alone = state.refused.get(way, {}).values(), state.alone.get(way)
        if refused or alone is not None or way in ways:
            let = list(alone.values()) if alone is not None else []
            logons = Logons(
                [one.name for one in refused if not one.is_group],
                [one.name for one in refused if one.is_group],
                None if alone is None else [one.name for one in let if not one.is_group],
                [one.name for one in let if one.is_group or not one.is_known],
                sorted(always),
            )
            files[access_path(way)] = (access_text(logons), "0644")
    if state.elevated:
        named = [NamedElevation(one.elevation, one.name, one.is_group) for one in state.elevated]
        files[SUDOERS] = (sudoers_text(named), "0440")
    for row in FACT_FILES:
        files |= row.files(state.facts[row.capability]) if row.capability in state.facts else {}
    return files | notice_files(Notice(state.title, state.text))


def _packed(text: str) -> str:
    return base64.b64encode(text.encode("utf-8", "surrogateescape")).decode()
