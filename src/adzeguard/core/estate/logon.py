"""Who is refused logon at a host, and who alone may log on, way by way."""

from collections.abc import Mapping
from dataclasses import field
from typing import Any, Final, Literal

from adzeguard.core.estate.capability import Capability
from adzeguard.core.estate.hosts import HostState
from adzeguard.core.identity import Sid
from adzeguard.core.values import dataclass

Way = Literal["console", "remote", "network", "service", "batch"]
WAYS: Final[tuple[Way, ...]] = ("console", "remote", "network", "service", "batch")
IN_PERSON: Final[tuple[Way, ...]] = ("console", "remote")
LEAVES_SECRETS: Final[tuple[Way, ...]] = (*IN_PERSON, "service", "batch")
"""The ways that leave a password or a ticket at the host; over the network alone nothing is left."""


@dataclass(frozen=True, slots=True)
class LogonRules:
    """What a host says about logons.

    `refused` has a key for each way that the host can tell apart. `alone` has one for each way by which only those may
    log on who stand there; by the others everybody may who is not refused.
    """

    refused: Mapping[str, frozenset[Sid]] = field(default_factory=dict)
    alone: Mapping[str, frozenset[Sid]] = field(default_factory=dict)

    @property
    def ways(self) -> tuple[str, ...]:
        """The ways that the host can tell apart, in our order."""
        return tuple(way for way in WAYS if way in self.refused)


def _pack(state: HostState) -> dict[str, Any]:
    rules = logon_of(state) or LogonRules()
    return {
        "refused": {way: sorted(rules.refused[way]) for way in rules.ways},
        "alone": {way: sorted(rules.alone[way]) for way in rules.ways if way in rules.alone},
    }


def _unpack(part: Any) -> Mapping[str, Any]:
    lists = {key: {way: frozenset(map(Sid, sids)) for way, sids in part[key].items()} for key in ("refused", "alone")}
    return {"parts": {LOGON_REFUSAL.name: LogonRules(**lists)}}


LOGON_REFUSAL: Final = Capability("logon-refusal", "who is refused logon, or alone may log on", _pack, _unpack)


LOGON_LIMIT: Final = "logon-limit"
"""What a host lacks that tells who is refused, and not who alone may log on."""


def logon_of(state: HostState) -> LogonRules | None:
    """Return what a host says about logons; None if it has no such thing."""
    rules = state.parts.get(LOGON_REFUSAL.name)
    return rules if isinstance(rules, LogonRules) else None
