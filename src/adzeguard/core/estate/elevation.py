"""Which programs, at which exact version, a host runs elevated for whom."""

from collections.abc import Mapping
from dataclasses import field
from typing import Any, Final

from adzeguard.core.estate.capability import Capability
from adzeguard.core.estate.hosts import HostState
from adzeguard.core.identity import Sid
from adzeguard.core.values import dataclass

NO_ARGUMENTS: Final = '""'
"""Stands for a program that is run without arguments alone, as in sudoers(5): an empty text allows any."""
_GIVE_MORE: Final = """
sh bash dash ash zsh ksh csh tcsh fish busybox su sudo env nice nohup timeout xargs find awk gawk mawk sed perl python
python3 ruby lua node php vi vim nvim nano emacs ed less more man view tar rsync scp ssh sftp git make gdb strace docker
podman nsenter chroot unshare mount cp mv dd tee install chmod chown ln crontab at systemctl systemd-run apt apt-get
dpkg dnf yum rpm pip pip3 visudo
"""
GIVE_MORE: Final = frozenset(_GIVE_MORE.split())
"""Programs that are a shell, run others, or write any file: who runs one as root can do everything."""


@dataclass(frozen=True, slots=True, order=True)
class Elevation:
    """One program for one person or group.

    `sha256` is the digest of its file in lower-case hexadecimal. `arguments` are the only ones allowed; an empty text
    allows any, and `NO_ARGUMENTS` none. `until` is the last day, as 2026-11-30, empty for no end.
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
    writable: Mapping[str, str] = field(default_factory=dict)
    """By programs that somebody else than root may write: the file or folder by which they may."""


def _pack(state: HostState) -> dict[str, Any]:
    part = elevations_of(state) or Elevations()
    granted = [
        {"program": e.program, "sha256": e.sha256, "who": e.who, "arguments": e.arguments, "until": e.until}
        for e in sorted(part.granted)
    ]
    packed: dict[str, Any] = {"granted": granted, "digests": dict(sorted(part.digests.items()))}
    used = [{"who": one.who, "program": one.program, "day": one.day} for one in sorted(part.used)]
    packed |= {"used": used} if used else {}
    return packed | ({"writable": dict(sorted(part.writable.items()))} if part.writable else {})


def _unpack(part: Any) -> Mapping[str, Any]:
    granted = frozenset(
        Elevation(e["program"], e["sha256"], Sid(e["who"]), e["arguments"], e["until"]) for e in part["granted"]
    )
    digests = {str(program): str(digest) for program, digest in part["digests"].items()}
    used = frozenset(Used(Sid(u["who"]), u["program"], u["day"]) for u in part.get("used", ()))
    writable = {str(program): str(by) for program, by in part.get("writable", {}).items()}
    return {"parts": {ELEVATION.name: Elevations(granted, digests, used, writable)}}


def arguments_in_words(arguments: str) -> str:
    """Return "without arguments", "with any arguments", or "with X"."""
    if arguments == NO_ARGUMENTS:
        return "without arguments"
    return f"with {arguments}" if arguments else "with any arguments"


ELEVATION: Final = Capability("elevation", "programs that people run elevated", _pack, _unpack)


def elevations_of(state: HostState) -> Elevations | None:
    """Return what is elevated at a host; None if it cannot elevate single programs."""
    part = state.parts.get(ELEVATION.name)
    return part if isinstance(part, Elevations) else None
