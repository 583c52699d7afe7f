"""The JSON lines of a Samba directory server (dsdb_group_json_audit, dsdb_json_audit, auth_json_audit).

In its log each stands indented below a header of its own, which is passed over.
"""

import json
from collections.abc import Callable, Mapping, Sequence
from typing import Any, Final

from adzeguard.core.trail.event import Event, Verb
from adzeguard.trail.port import NotReadError
from adzeguard.trail.values import address_of, host_of, number_of, sid_of, text_of, time_of

_ACTIONS: Final[Mapping[str, Verb]] = {"Added": "added", "Removed": "removed"}
_OPERATIONS: Final[Mapping[str, Verb]] = {
    "Add": "created",
    "Modify": "changed",
    "Delete": "deleted",
    "Rename": "moved",
}
_DECODE: Final = json.JSONDecoder().raw_decode
_OK: Final = "NT_STATUS_OK"


def read_samba(line: str) -> Sequence[Event] | None:
    """Return what a line tells; None for one that is no such JSON."""
    if not line.startswith("{") or '"type"' not in line or '"timestamp"' not in line:
        return None
    try:
        told, end = _DECODE(line)  # without the three calls around it that json.loads makes: half of its time
    except (ValueError, RecursionError) as error:
        raise NotReadError("it is no whole JSON") from error
    if end != len(line) and line[end:].strip():
        raise NotReadError("it is no whole JSON")
    kind = told.get("type") if isinstance(told, dict) else None
    body = told.get(kind) if isinstance(kind, str) else None
    if not isinstance(kind, str) or not isinstance(body, dict):
        return None
    read = _READERS.get(kind)
    return read(told, body) if read is not None else ()


def _group_change(told: Mapping[str, Any], body: Mapping[str, Any]) -> Sequence[Event]:
    verb = _ACTIONS.get(str(body.get("action")))
    group, member = text_of(body.get("group")), text_of(body.get("user"))
    # PrimaryGroup says where a new account begins; "Failure" follows the deletion of a group (both seen in 4.17).
    if verb is None or body.get("status") != "Success":
        return ()
    # A new account is told as put into itself (seen in 4.17), which nobody can be.
    if len(group) == len(member) and group.casefold() == member.casefold():
        return ()
    return (
        Event(
            time_of(told.get("timestamp")),
            verb,
            by_sid=sid_of(body.get("userSid")),
            group=group,
            member=member,
            origin=address_of(body.get("remoteAddress")),
            number=number_of(body.get("eventId")),
        ),
    )


def _object_change(told: Mapping[str, Any], body: Mapping[str, Any]) -> Sequence[Event]:
    verb = _OPERATIONS.get(str(body.get("operation")))
    if verb is None or body.get("status") != "Success":
        return ()
    by_sid, dn = sid_of(body.get("userSid")), text_of(body.get("dn"))
    return (
        Event(
            time_of(told.get("timestamp")),
            verb,
            by_sid=by_sid,
            group=dn,
            origin=address_of(body.get("remoteAddress")),
        ),
    )


def _authentication(told: Mapping[str, Any], body: Mapping[str, Any]) -> Sequence[Event]:
    account = text_of(body.get("clientAccount"))
    return (
        Event(
            time_of(told.get("timestamp")),
            "logon" if body.get("status") == _OK else "refused",
            group=host_of(body.get("workstation")),
            member=account,
            member_sid=sid_of(body.get("becameSid")),
            origin=address_of(body.get("remoteAddress")),
            number=number_of(body.get("eventId")),
        ),
    )


_READERS: Final[Mapping[str, Callable[[Mapping[str, Any], Mapping[str, Any]], Sequence[Event]]]] = {
    "groupChange": _group_change,
    "dsdbChange": _object_change,
    "Authentication": _authentication,
}
