"""One event of the trail: who did what to which membership, object or logon, and when."""

from collections.abc import Mapping
from datetime import UTC, datetime, timedelta
from hashlib import blake2b
from typing import Final, Literal

from adzeguard.core.values import dataclass

Verb = Literal["added", "removed", "created", "changed", "moved", "deleted", "logon", "refused", "cleared"]
VERBS: Final[tuple[Verb, ...]] = (
    "added",
    "removed",
    "created",
    "changed",
    "moved",
    "deleted",
    "logon",
    "refused",
    "cleared",
)
LOGON_WAYS: Final[Mapping[int, str]] = {
    2: "console",
    3: "network",
    4: "batch",
    5: "service",
    7: "console",
    8: "password",
    9: "network",
    10: "remote",
    11: "console",
    12: "remote",
    13: "console",
}
"""The kinds of logons that logs count, by their numbers. "password" came over the network and was not encrypted for it.

Beside these a server has "ticket", where it gave a Kerberos ticket, and "directory", where somebody bound over LDAP.
"""
MEMBERSHIP: Final[tuple[Verb, ...]] = ("added", "removed")
NOBODY: Final = "S-1-0-0"
"""As whom an event log has everybody that was not let in."""
_EPOCH: Final = datetime(1970, 1, 1, tzinfo=UTC)
_MICROSECOND: Final = timedelta(microseconds=1)
_KEY_BYTES: Final = 16


@dataclass(frozen=True, slots=True)
class Event:
    """One event. Its log has names, SIDs or both; what it lacks is empty.

    `group` and `group_sid` are what was done to: a group, or another object by its DN. `member` is who was put in or
    taken out, or who logged on; then `group` is the host at which, where that has proved itself to the server that
    logs. `origin` is the address from which it came.
    """

    at: datetime
    verb: Verb
    by: str = ""
    by_sid: str = ""
    group: str = ""
    group_sid: str = ""
    member: str = ""
    member_sid: str = ""
    origin: str = ""
    number: int = 0
    """The number of the event in its log, as event logs count them; 0 where it has none."""
    claimed: str = ""
    """Of a logon: the host that the client says it is, which anybody can make up."""
    way: str = ""
    """Of a logon: how, as in `LOGON_WAYS`; empty where the log does not tell."""
    source: Literal["trail", "journal", "collections", "directory"] = "trail"
    after: datetime | None = None
    """Of what two collections saw: the first of them. It was done between that and `at`."""


def microseconds_of(at: datetime) -> int:
    """Return how many microseconds after 1970 a time is."""
    return (at - _EPOCH) // _MICROSECOND


def moment(microseconds: int) -> datetime:
    """Return the time that is so many microseconds after 1970."""
    return _EPOCH + timedelta(microseconds=microseconds)


def key_of(text: str) -> bytes:
    """Return by what an event is known again when the same log is read once more: what was logged, to the letter."""
    return blake2b(text.encode("utf-8", "surrogateescape"), digest_size=_KEY_BYTES).digest()
