"""Simulated hosts, one JSON file each, for the demo and for trying things out.

{
  "host": "KIOSK-07",
  "machine_sid": "S-1-5-21-…",
  "accounts": [{"name": "administrator", "sid": "S-1-5-21-…-500", "enabled": true}],
  "local_groups": [{"name": "Administrators", "sid": "S-1-5-32-544", "members": ["S-1-5-21-…-512"]}],
  "logon": {"refused": {"console": ["S-1-5-21-…-513"]}, "alone": {}},
  "notice": {"title": "Not in service yet", "text": "…"},
  "elevated": [{"program": "/opt/charts/update", "sha256": "…", "who": "S-1-5-21-…", "arguments": "", "until": ""}],
  "programs": {"/opt/charts/update": "…"},
  "writable": {"/opt/charts/update": "/opt/charts"},
  "used": [{"who": "S-1-5-…-1107", "program": "/opt/charts/update", "day": "2026-11-20"}],
  "seen_on": [{"who": "S-1-5-…-1107", "how": "session", "at": "2026-11-30T08:12:00Z"}],
  "facts": {"screen-lock": {"": "10 minutes"}},
  "looks_like": "",
  "behaviour": {"offline": false, "refuses": false, "refuses_changes": [], "slow_seconds": 0}
}

`behaviour` makes the host switched off, unwilling, unwilling to make changes of some kinds, or slow. `looks_like`
gives it what hosts of another kind have: `remote-sam`, `linux` or `file-server`; otherwise it has everything.
"""

import json
import os
import time
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import asdict
from pathlib import Path
from typing import Annotated, Any, Final, Literal

from pydantic import AfterValidator, AwareDatetime, BaseModel, ConfigDict, Field, ValidationError

from adzeguard.core.change.change import Change
from adzeguard.core.change.kinds.add_local_member import AddLocalMember, RemoveLocalMember
from adzeguard.core.change.kinds.elevation import EndElevation, GiveElevation
from adzeguard.core.change.kinds.logon_refusal import EndRefusal, RefuseLogon
from adzeguard.core.change.kinds.membership import LocalMembershipChange
from adzeguard.core.change.kinds.own_account import DisableOwnAccount, EnableOwnAccount
from adzeguard.core.change.kinds.own_group import DeleteOwnGroup, MakeOwnGroup
from adzeguard.core.change.kinds.set_fact import SetFact
from adzeguard.core.change.kinds.set_logon_alone import SetLogonAlone
from adzeguard.core.change.kinds.set_notice import SetNotice
from adzeguard.core.drivers import DriverKind, Names, Secret, Setting, Settings
from adzeguard.core.errors import HostFileError, HostRefusedError, HostUnknownError, HostUnreachableError
from adzeguard.core.estate.capabilities import CAPABILITIES, OWN_ACCOUNTS
from adzeguard.core.estate.delegation_right import DELEGATION_RIGHT
from adzeguard.core.estate.elevation import ELEVATION, Elevation, Elevations, Used
from adzeguard.core.estate.hosts import Host, HostState, LocalAccount, LocalGroup
from adzeguard.core.estate.logon import LOGON_LIMIT, LOGON_REFUSAL, WAYS, LogonRules, Way
from adzeguard.core.estate.notice import NOTICE, Notice
from adzeguard.core.estate.seen_on import SeenOn
from adzeguard.core.identity import Sid
from adzeguard.private_files import alone_with, open_new

_FIRST_OWN_GROUP: Final = 1100
_LARGEST_FILE: Final = 8 * 1024 * 1024
OF_ITS_OWN_TOOLS: Final = "its accounts and groups are looked after by its own tools"
_WAYS_OF: Final[Mapping[str, tuple[Way, ...]]] = {
    "": WAYS,
    "remote-sam": WAYS,
    "linux": ("console", "remote"),
    "file-server": (),
}
_NO_ELEVATION: Final = "a host reached by its account database has no such thing as one elevated program"
_LACKING: Final[Mapping[str, Mapping[str, str]]] = {
    "": {},
    "linux": {OWN_ACCOUNTS.name: OF_ITS_OWN_TOOLS},
    "remote-sam": {
        ELEVATION.name: _NO_ELEVATION,
        LOGON_LIMIT: "its rights say who is refused; who alone may log on is not told from here",
    },
    "file-server": {
        ELEVATION.name: _NO_ELEVATION,
        LOGON_REFUSAL.name: "the host knows no such rights",
    },
}


def open_standins(settings: Settings, _secret: Secret, _names: Names) -> "StandinHosts":
    """Open the folder that the settings name."""
    return StandinHosts(Path(settings["folder"]))


DRIVER: Final = DriverKind(
    "standin",
    (Setting("folder", "The folder of the host files, one a host.", is_path=True, is_decisive=True, needed=True),),
    open_standins,
    in_worker=True,
)


def _sid_text(text: str) -> str:
    return Sid.parse(text)


_SidText = Annotated[str, AfterValidator(_sid_text)]


class _Model(BaseModel):
    model_config = ConfigDict(extra="forbid")


class _Account(_Model):
    name: str
    sid: _SidText
    enabled: bool = True


class _Group(_Model):
    name: str
    sid: _SidText
    members: list[_SidText] = []


class _Behaviour(_Model):
    offline: bool = False
    refuses: bool = False
    refuses_changes: tuple[str, ...] = ()
    slow_seconds: float = Field(0, ge=0, le=60)


class _Logon(_Model):
    refused: dict[Way, list[_SidText]] = {}
    alone: dict[Way, list[_SidText]] = {}


class _Notice(_Model):
    title: str = ""
    text: str = ""


class _Used(_Model):
    who: _SidText
    program: str
    day: str = ""


class _SeenOn(_Model):
    who: _SidText
    how: Literal["session", "ticket-kept", "key", "console", "remote", "network"]
    at: AwareDatetime


class _Elevated(_Model):
    program: str
    sha256: str
    who: _SidText
    arguments: str = ""
    until: str = ""


class HostFile(_Model):
    """One host as its file has it."""

    host: str
    machine_sid: _SidText
    accounts: list[_Account] = []
    local_groups: list[_Group] = []
    logon: _Logon = _Logon()
    notice: _Notice = _Notice()
    lets_act: list[_SidText] | None = None
    elevated: list[_Elevated] = []
    used: list[_Used] = []
    seen_on: list[_SeenOn] = []
    programs: dict[str, str] = {}
    writable: dict[str, str] = {}
    facts: dict[str, dict[str, str]] = {}
    looks_like: Literal["", "remote-sam", "linux", "file-server"] = ""
    behaviour: _Behaviour = _Behaviour()


class StandinHosts:
    """A folder of host files."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    @contextmanager
    def session(self, host: Host) -> Iterator["StandinSession"]:
        """Open a session with a host that has a file; whether it answers is seen when it is asked something."""
        path = self._path(host.name)
        if not path.is_file():
            raise HostUnknownError(f"there is no host file {path}")
        yield StandinSession(host.name, path)

    def close(self) -> None:
        """Nothing is kept open."""

    def _path(self, host: str) -> Path:
        # The name comes from the directory: it must not lead out of the folder.
        if not host or host.startswith(".") or any(c in host for c in "/\\\0"):
            raise HostUnknownError(f"'{host}' cannot be the name of a host")
        return self._folder / f"{host.upper()}.json"


class StandinSession:
    """One host, by its file."""

    def __init__(self, host: str, path: Path) -> None:
        self._host = host
        self._path = path

    def read(self) -> HostState:
        """Read the host, as its behaviour lets it."""
        return _state(self._answering())

    def change(self, change: Change) -> None:
        """Make one change and write the file whole."""
        with alone_with(self._path, HostUnreachableError):
            content = self._answering()
            raw = self._raw()
            write = _EXECUTORS.get(type(change))
            if change.kind in content.behaviour.refuses_changes:
                raise HostRefusedError(f"{self._host} refuses it", "Check the account's rights there")
            if write is None or change.lacking(_state(content)):
                raise HostRefusedError(f"{self._host} knows no change of the kind {change.kind}")
            write(content, raw, change)
            self._write(raw)

    def _answering(self) -> HostFile:
        content = self._load()
        if content.behaviour.slow_seconds:
            time.sleep(content.behaviour.slow_seconds)
        if content.behaviour.offline:
            raise HostUnreachableError(f"{self._host} does not answer", "Is it switched on?")
        if content.behaviour.refuses:
            raise HostRefusedError(f"{self._host} refuses the connection", "Check the account's rights there")
        return content

    def _raw(self) -> dict[str, Any]:
        """Return the file as it is written, so that only what is changed in it differs afterwards."""
        raw: dict[str, Any] = json.loads(self._path.read_bytes())
        return raw

    def _load(self) -> HostFile:
        path = self._path
        try:
            if path.stat().st_size > _LARGEST_FILE:
                raise HostFileError(f"{path} is larger than 8 MiB, which no host's state is")
            return HostFile.model_validate_json(path.read_bytes())
        except FileNotFoundError as error:
            raise HostUnknownError(f"there is no host file {path}") from error
        except OSError as error:
            raise HostUnreachableError(f"{path} cannot be read: {error.strerror}") from error
        except ValidationError as error:
            first = error.errors()[0]
            where = ".".join(str(part) for part in first["loc"])
            said = f"{f'{where}: ' if where else ''}{first['msg'].removeprefix('Value error, ')}"
            raise HostFileError(f"{path}: {said}", "Mend the file, or make it anew") from error

    def _write(self, content: dict[str, Any]) -> None:
        path = self._path
        try:
            # Always the same name: what an interrupted write left behind is written over by the next one.
            temporary = path.with_name(f".{path.name}.new")
            with os.fdopen(open_new(temporary), "w", encoding="utf-8") as file:
                file.write(host_file_text(content))
                file.flush()
                os.fsync(file.fileno())
            temporary.replace(path)
        except OSError as error:
            raise HostUnreachableError(f"{path} cannot be written: {error.strerror}") from error


def _change_member(content: HostFile, raw: dict[str, Any], change: LocalMembershipChange) -> None:
    """Put the member in or take it out; a real host refuses to do what is done already, and so does this one."""
    host = content.host
    place = next((at for at, g in enumerate(content.local_groups) if g.sid == change.group_sid), None)
    if place is None:
        raise HostRefusedError(f"{host} has no local group {change.group_sid}")
    group, member = content.local_groups[place], change.member_sid
    adds = isinstance(change, AddLocalMember)
    if adds == (member in group.members):
        state = "holds" if adds else "does not hold"
        raise HostRefusedError(f"{group.name} on {host} {state} {member} already")
    if adds:
        members = [*group.members, member]
        members = sorted(members) if group.members == sorted(group.members) else members
    else:
        members = [kept for kept in group.members if kept != member]
    raw["local_groups"][place]["members"] = members


def _change_refusal(content: HostFile, raw: dict[str, Any], change: RefuseLogon | EndRefusal) -> None:
    refused = set(content.logon.refused.get(change.way, [])) - {change.who.sid}
    if isinstance(change, RefuseLogon):
        refused.add(change.who.sid)
    _set_list(raw, "refused", change.way, refused or None)


def _change_alone(_content: HostFile, raw: dict[str, Any], change: SetLogonAlone) -> None:
    _set_list(raw, "alone", change.way, None if change.after is None else {one.sid for one in change.after})


def _set_list(raw: dict[str, Any], key: str, way: str, sids: set[str] | None) -> None:
    logon = raw.setdefault("logon", {})
    lists = logon.setdefault(key, {})
    lists.pop(way, None)
    if sids is not None:
        lists[way] = sorted(sids)
    for empty in [name for name, listed in logon.items() if not listed]:
        del logon[empty]
    if not logon:
        del raw["logon"]


def _change_notice(_content: HostFile, raw: dict[str, Any], change: SetNotice) -> None:
    raw.pop("notice", None)
    if change.title or change.text:
        raw["notice"] = {"title": change.title, "text": change.text}


def _change_fact(_content: HostFile, raw: dict[str, Any], change: SetFact) -> None:
    facts = raw.setdefault("facts", {})
    named = facts.setdefault(change.setting, {})
    named.pop(change.name, None)
    if change.after:
        named[change.name] = change.after


def _change_elevation(content: HostFile, raw: dict[str, Any], change: GiveElevation | EndElevation) -> None:
    granted = {_elevation(one) for one in content.elevated} - {change.fact}
    if isinstance(change, GiveElevation):
        granted.add(change.fact)
    raw.pop("elevated", None)
    if granted:
        raw["elevated"] = [asdict(one) for one in sorted(granted)]


def _change_account(content: HostFile, raw: dict[str, Any], change: DisableOwnAccount | EnableOwnAccount) -> None:
    place = next((at for at, account in enumerate(content.accounts) if account.sid == change.who.sid), None)
    if place is None:
        raise HostRefusedError(f"{content.host} has no account {change.who.sid}")
    raw["accounts"][place]["enabled"] = isinstance(change, EnableOwnAccount)


def _make_group(content: HostFile, raw: dict[str, Any], change: MakeOwnGroup) -> None:
    own = [Sid(account.sid) for account in content.accounts] + [Sid(group.sid) for group in content.local_groups]
    used = [sid.rid or 0 for sid in own if sid.authority == content.machine_sid]
    sid = f"{content.machine_sid}-{max([_FIRST_OWN_GROUP, *used]) + 1}"
    members = sorted(member.sid for member in change.members)
    raw.setdefault("local_groups", []).append({"name": change.group, "sid": sid, "members": members})


def _delete_group(content: HostFile, raw: dict[str, Any], change: DeleteOwnGroup) -> None:
    kept = [one for one in raw.get("local_groups", []) if one["name"].casefold() != change.group.casefold()]
    if len(kept) == len(content.local_groups):
        raise HostRefusedError(f"{content.host} has no local group {change.group}")
    raw["local_groups"] = kept


_EXECUTORS: Final[Mapping[type[Change], Callable[[HostFile, dict[str, Any], Any], None]]] = {
    AddLocalMember: _change_member,
    RemoveLocalMember: _change_member,
    RefuseLogon: _change_refusal,
    EndRefusal: _change_refusal,
    SetLogonAlone: _change_alone,
    SetNotice: _change_notice,
    SetFact: _change_fact,
    GiveElevation: _change_elevation,
    EndElevation: _change_elevation,
    DisableOwnAccount: _change_account,
    EnableOwnAccount: _change_account,
    MakeOwnGroup: _make_group,
    DeleteOwnGroup: _delete_group,
}


def host_file_text(content: dict[str, object]) -> str:
    """Return the text of a host file."""
    return json.dumps(content, indent=1) + "\n"


def _elevation(one: _Elevated) -> Elevation:
    return Elevation(one.program, one.sha256, Sid(one.who), one.arguments, one.until)


def _capabilities(content: HostFile) -> frozenset[str]:
    lacking = _LACKING[content.looks_like]
    of_members = {DELEGATION_RIGHT.name} if content.lets_act is None else set()
    return frozenset(capability.name for capability in CAPABILITIES) - lacking.keys() - of_members


def _state(content: HostFile) -> HostState:
    logon = content.logon
    known = _capabilities(content)
    parts = {
        LOGON_REFUSAL.name: LogonRules(
            {way: frozenset(map(Sid, logon.refused.get(way, []))) for way in _WAYS_OF[content.looks_like]},
            {
                way: frozenset(map(Sid, sids))
                for way, sids in logon.alone.items()
                if way in _WAYS_OF[content.looks_like]
            },
        ),
        OWN_ACCOUNTS.name: {},
        DELEGATION_RIGHT.name: frozenset(map(Sid, content.lets_act or ())),
        NOTICE.name: Notice(content.notice.title, content.notice.text),
        ELEVATION.name: Elevations(
            frozenset(_elevation(one) for one in content.elevated),
            # A host says of what it elevates how it is now; of a program that is gone, that it is.
            {**{one.program: "" for one in content.elevated}, **content.programs},
            frozenset(Used(Sid(one.who), one.program, one.day) for one in content.used),
            {one.program: by for one in content.elevated if (by := content.writable.get(one.program))},
        ),
    } | {one.name: content.facts.get(one.name, {}) for one in CAPABILITIES if one.holds_facts}
    return HostState(
        Sid(content.machine_sid),
        tuple(LocalAccount(a.name, Sid(a.sid), a.enabled) for a in content.accounts),
        tuple(LocalGroup(g.name, Sid(g.sid), frozenset(Sid(m) for m in g.members)) for g in content.local_groups),
        known,
        {name: part for name, part in parts.items() if name in known},
        _LACKING[content.looks_like],
        seen_on=tuple(SeenOn(Sid(one.who), one.how, int(one.at.timestamp())) for one in content.seen_on),
    )
