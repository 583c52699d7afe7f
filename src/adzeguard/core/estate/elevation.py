"""Which programs, at which exact version, a host runs elevated for whom."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Final

from adzeguard.core.estate.capability import Capability
from adzeguard.core.estate.hosts import HostState
from adzeguard.core.identity import Sid


@dataclass(frozen=True, slots=True, order=True)
class Elevation:
    """One program for one person or group.

    `sha256` is the digest of its file in lower-case hexadecimal. `arguments` are the only ones allowed; without any,
    all are. `until` is the last day, as 2026-11-30, empty for no end.
    """

    program: str
    sha256: str
    who: Sid
    arguments: str = ""
    until: str = ""


@dataclass(frozen=True, slots=True, order=True)
class Used:
    """Somebody ran a program elevated, as a host has logged it; `day` is the last one, empty where none is told."""

    who: Sid
    program: str
    day: str = ""


@dataclass(frozen=True, slots=True)
class Elevations:
    """What is elevated at a host, and the digests of the programs as they are there now, empty for one that is gone.

    `used` is what was run elevated lately by any right, where the host keeps a log of it.
    """

    granted: frozenset[Elevation] = frozenset()
    digests: Mapping[str, str] = field(default_factory=dict)
    used: frozenset[Used] = frozenset()


def _pack(state: HostState) -> dict[str, Any]:
    part = elevations_of(state) or Elevations()
    granted = [
        {"program": e.program, "sha256": e.sha256, "who": e.who, "arguments": e.arguments, "until": e.until}
        for e in sorted(part.granted)
    ]
    packed: dict[str, Any] = {"granted": granted, "digests": dict(sorted(part.digests.items()))}
    used = [{"who": one.who, "program": one.program, "day": one.day} for one in sorted(part.used)]
    return packed | ({"used": used} if used else {})


def _unpack(part: Any) -> Mapping[str, Any]:
    granted = frozenset(
        Elevation(e["program"], e["sha256"], Sid(e["who"]), e["arguments"], e["until"]) for e in part["granted"]
    )
    digests = {str(program): str(digest) for program, digest in part["digests"].items()}
    used = frozenset(Used(Sid(u["who"]), u["program"], u["day"]) for u in part.get("used", ()))
    return {"parts": {ELEVATION.name: Elevations(granted, digests, used)}}


ELEVATION: Final = Capability("elevation", "programs that people run elevated", _pack, _unpack)


def elevations_of(state: HostState) -> Elevations | None:
    """Return what is elevated at a host; None if it cannot elevate single programs."""
    part = state.parts.get(ELEVATION.name)
    return part if isinstance(part, Elevations) else None
