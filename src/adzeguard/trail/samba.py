"""The JSON lines of a Samba directory server (dsdb_group_json_audit, dsdb_json_audit, auth_json_audit).

In its log each stands indented below a header of its own, which is passed over.
"""

from collections.abc import Callable, Mapping, Sequence
from typing import Any, Final

from adzeguard.core.json_text import values_of_json
from adzeguard.core.trail.event import LOGON_WAYS, Event, Verb
from adzeguard.trail.port import NotReadError, PassedOverError
from adzeguard.trail.values import address_of, host_of, number_of, qualified, sid_of, text_of, time_of

_ACTIONS: Final[Mapping[str, Verb]] = {"Added": "added", "Removed": "removed"}
_OPERATIONS: Final[Mapping[str, Verb]] = {
    "Add": "created",
    "Modify": "changed",
    "Delete": "deleted",
    "Rename": "moved",
}
_OK: Final = "NT_STATUS_OK"
_LONGEST_WORD: Final = 40
_CHANNELS_OF_HOSTS: Final = (2, 6)
"""Of a member and of another directory server; the others are those of trusts ([MS-NRPC] section 2.2.1.3.13)."""


def read_samba(line: str) -> Sequence[Event] | None:
    """Return what a line tells; None for one that is no such JSON."""
    if not line.startswith("{") or '"type"' not in line or '"timestamp"' not in line:
        return None
    try:
        told = values_of_json(line)
    except (ValueError, RecursionError) as error:
        raise NotReadError("it is no whole JSON") from error
    kind = told.get("type") if isinstance(told, dict) else None
    body = told.get(kind) if isinstance(kind, str) else None
    if not isinstance(kind, str) or not isinstance(body, dict):
        return None
    read = _READERS.get(kind)
    if read is None:
        raise PassedOverError(kind)
    return read(told, body)


def _group_change(told: Mapping[str, Any], body: Mapping[str, Any]) -> Sequence[Event]:
    verb = _ACTIONS.get(str(body.get("action")))
    group, member = text_of(body.get("group")), text_of(body.get("user"))
    # PrimaryGroup says where a new account begins; "Failure" follows the deletion of a group (both seen in 4.17).
    if verb is None or body.get("status") != "Success":
        raise PassedOverError(f"groupChange {_told(body, 'action')} {_told(body, 'status')}")
    # A new account is told as put into itself (seen in 4.17), which nobody can be.
    if len(group) == len(member) and group.casefold() == member.casefold():
        raise PassedOverError("groupChange of an account itself")
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
        raise PassedOverError(f"dsdbChange {_told(body, 'operation')} {_told(body, 'status')}")
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


def _told(body: Mapping[str, Any], key: str) -> str:
    return text_of(body.get(key))[:_LONGEST_WORD]


def _authentication(told: Mapping[str, Any], body: Mapping[str, Any]) -> Sequence[Event]:
    return (
        Event(
            time_of(told.get("timestamp")),
            "logon" if body.get("status") == _OK else "refused",
            group=_proved_host(body),
            member=_meant(body),
            member_sid=sid_of(body.get("becameSid")),
            origin=address_of(body.get("remoteAddress")),
            number=number_of(body.get("eventId")),
            claimed=host_of(body.get("workstation")),
            way=_way(body),
        ),
    )


def _authorization(told: Mapping[str, Any], body: Mapping[str, Any]) -> Sequence[Event]:
    # Whoever comes with a ticket is let in without an authentication; what was let in by password is told as one.
    if body.get("authType") != "krb5":
        raise PassedOverError("Authorization after an Authentication")
    return (
        Event(
            time_of(told.get("timestamp")),
            "logon",
            member=qualified(body.get("domain"), body.get("account")),
            member_sid=sid_of(body.get("sid")),
            origin=address_of(body.get("remoteAddress")),
            way="directory" if text_of(body.get("serviceDescription")).startswith("LDAP") else "network",
        ),
    )


def _meant(body: Mapping[str, Any]) -> str:
    """Return whose password was tried: as the server understood the name that the client gave, else as it was given."""
    if body.get("mappedAccount"):
        return qualified(body.get("mappedDomain"), body.get("mappedAccount"))
    return text_of(body.get("clientAccount"))


def _proved_host(body: Mapping[str, Any]) -> str:
    """Return the host that asked, by the account with which it has proved itself; `netlogonComputer` it says itself."""
    is_trust = number_of(body.get("netlogonSecureChannelType")) not in _CHANNELS_OF_HOSTS
    return "" if is_trust else host_of(body.get("netlogonTrustAccount")).removesuffix("$")


def _way(body: Mapping[str, Any]) -> str:
    service = text_of(body.get("serviceDescription"))
    if service.startswith("Kerberos"):
        return "ticket"
    return "directory" if service.startswith("LDAP") else LOGON_WAYS.get(number_of(body.get("logonType")), "")


_READERS: Final[Mapping[str, Callable[[Mapping[str, Any], Mapping[str, Any]], Sequence[Event]]]] = {
    "groupChange": _group_change,
    "dsdbChange": _object_change,
    "Authentication": _authentication,
    "Authorization": _authorization,
}
