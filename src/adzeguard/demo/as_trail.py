"""Thirty days of the audit log of the example's directory server, in the form that a Samba server writes."""

import json
import random
from collections.abc import Iterator, Mapping
from datetime import UTC, datetime, timedelta
from typing import Any, Final

from adzeguard.core.identity import Sid
from adzeguard.demo.scenario import BASE_DN, Scenario

_SEED: Final = 1130
_DAYS: Final = 30
SILENT_DAYS: Final = (11, 15)
"""Planted: between so many days ago nothing was logged."""
NIGHT_GROUP, NIGHT_ACTOR, NIGHT_MEMBER = "Night Watch", "signe.quist", "roan.pell"
"""Planted: into a group that is itself inside a privileged one, by an account of the service desk, on a Sunday."""
NIGHT_BEGIN: Final = timedelta(hours=2, minutes=40)
NIGHT_LENGTH: Final = timedelta(minutes=11)
_ACTORS: Final = {
    "isolde.varn.adm": "198.51.100.11",
    "tobin.asker.adm": "198.51.100.12",
    "roan.pell": "198.51.100.41",
    "signe.quist": "198.51.100.42",
}
_GROUPS: Final = ("First Aiders", "Radio Watch", "Chart Editors", "Console Wardens", "Kiosk Stewards")
_AT_HOSTS: Final = (
    ("tobin.asker.adm", "KIOSK-07", 2, timedelta(days=2)),
    ("isolde.varn.adm", "CONSOLE-03", 10, timedelta(days=1)),
    ("isolde.varn.adm", "KIOSK-09", 3, timedelta(days=1)),
)
"""Planted: who logged on at which host, by which kind of logon, so long ago; the last one over the network alone."""
_WEEKEND: Final = 5


def trail_text(scenario: Scenario, sid_of: Mapping[str, Sid], now: datetime) -> str:
    """Return the log, oldest first, one record a line."""
    return "".join(f"{json.dumps(record)}\n" for _, record in sorted(_records(scenario, sid_of, now), key=_when))


def night_of(now: datetime) -> datetime:
    """Return when the planted addition was: on the last Sunday that is over."""
    today = now.astimezone(UTC).replace(hour=0, minute=0, second=0, microsecond=0)
    return today - timedelta(days=today.isoweekday() % 7 or 7) + NIGHT_BEGIN


def _when(item: tuple[datetime, dict[str, Any]]) -> datetime:
    return item[0]


def _records(scenario: Scenario, sid_of: Mapping[str, Sid], now: datetime) -> Iterator[tuple[datetime, dict[str, Any]]]:
    lot = random.Random(_SEED)
    people = {person.account: person.dn for person in scenario.people}
    inside = {group.name: set(group.members) for group in scenario.groups}
    accounts = sorted(people)
    night = night_of(now)
    today = now.astimezone(UTC).replace(hour=0, minute=0, second=0, microsecond=0)
    for ago in range(_DAYS, 0, -1):
        day = today - timedelta(days=ago)
        if SILENT_DAYS[0] <= ago <= SILENT_DAYS[1]:
            continue
        for _ in range(lot.randrange(1, 3) if day.weekday() >= _WEEKEND else lot.randrange(4, 9)):
            at = day + timedelta(hours=lot.randrange(8, 17), minutes=lot.randrange(60), seconds=lot.randrange(60))
            actor, group, member = lot.choice([*_ACTORS]), lot.choice(_GROUPS), lot.choice(accounts)
            if member in inside.get(group, ()):
                continue  # what stands now was there before, or the log would contradict the directory
            later = at + timedelta(minutes=lot.randrange(90, 420))
            yield _membership(at, "Added", actor, group, people[member], sid_of)
            yield _membership(later, "Removed", lot.choice([*_ACTORS]), group, people[member], sid_of)
        for actor, address in _ACTORS.items():
            at = day + timedelta(hours=7, minutes=lot.randrange(50), seconds=lot.randrange(60))
            yield _logon(at, actor, address, sid_of)
            yield _change(at + timedelta(minutes=4), actor, people[lot.choice(accounts)], sid_of)
    for actor, host, kind, before in _AT_HOSTS:
        yield _logon_at_host(today - before + timedelta(hours=9, minutes=20), actor, host, kind, sid_of)
    yield _membership(night, "Added", NIGHT_ACTOR, NIGHT_GROUP, people[NIGHT_MEMBER], sid_of)
    yield _membership(night + NIGHT_LENGTH, "Removed", NIGHT_ACTOR, NIGHT_GROUP, people[NIGHT_MEMBER], sid_of)


def _record(at: datetime, kind: str, body: dict[str, Any]) -> tuple[datetime, dict[str, Any]]:
    stamp = f"{at:%Y-%m-%dT%H:%M:%S}.000000+0000"
    return at, {"timestamp": stamp, "type": kind, kind: {"version": {"major": 1, "minor": 1}, **body}}


def _membership(
    at: datetime, action: str, actor: str, group: str, member: str, sid_of: Mapping[str, Sid]
) -> tuple[datetime, dict[str, Any]]:
    body = {
        "eventId": 4728 if action == "Added" else 4729,
        "statusCode": 0,
        "status": "Success",
        "action": action,
        "remoteAddress": f"ipv4:{_ACTORS[actor]}:{49152 + at.second}",
        "userSid": str(sid_of[actor]),
        "group": f"CN={group},OU=Groups,{BASE_DN}",
        "user": member,
    }
    return _record(at, "groupChange", body)


def _logon(at: datetime, actor: str, address: str, sid_of: Mapping[str, Sid]) -> tuple[datetime, dict[str, Any]]:
    body = {
        "eventId": 4624,
        "status": "NT_STATUS_OK",
        "remoteAddress": f"ipv4:{address}:{49152 + at.second}",
        "serviceDescription": "Kerberos KDC",
        "logonType": 3,
        "clientAccount": actor,
        "becameSid": str(sid_of[actor]),
    }
    return _record(at, "Authentication", body)


def _logon_at_host(
    at: datetime, actor: str, host: str, kind: int, sid_of: Mapping[str, Sid]
) -> tuple[datetime, dict[str, Any]]:
    """What a directory server logs when a host asks it about a password that somebody typed there."""
    body = {
        "eventId": 4624,
        "status": "NT_STATUS_OK",
        "remoteAddress": f"ipv4:{_ACTORS[actor]}:{49152 + at.second}",
        "serviceDescription": "SamLogon",
        "authDescription": "network" if kind == 3 else "interactive",
        "logonType": kind,
        "clientAccount": actor,
        "becameSid": str(sid_of[actor]),
        "netlogonComputer": host,
        "netlogonTrustAccount": f"{host}$",
        "netlogonSecureChannelType": 2,
    }
    return _record(at, "Authentication", body)


def _change(at: datetime, actor: str, dn: str, sid_of: Mapping[str, Sid]) -> tuple[datetime, dict[str, Any]]:
    body = {
        "status": "Success",
        "operation": "Modify",
        "remoteAddress": f"ipv4:{_ACTORS[actor]}:{49152 + at.second}",
        "userSid": str(sid_of[actor]),
        "dn": dn,
    }
    return _record(at, "dsdbChange", body)
