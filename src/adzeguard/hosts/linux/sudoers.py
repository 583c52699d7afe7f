"""The file of ours that sudo reads: one program, at one digest, for one person or group a line (sudoers(5))."""

from collections.abc import Iterable
from datetime import date, timedelta
from typing import Final

from adzeguard.core.estate.elevation import Elevation
from adzeguard.core.values import dataclass
from adzeguard.hosts.linux.access_file import HEAD
from adzeguard.hosts.linux.safe_names import sudoers_arguments, sudoers_name, sudoers_path

SUDOERS: Final = "/etc/sudoers.d/adzeguard"
"""Without a dot in its name: sudo passes over a file that has one."""


@dataclass(frozen=True, slots=True)
class NamedElevation:
    """An elevation, and who it is for by the host's own name."""

    elevation: Elevation
    name: str
    is_group: bool


def sudoers_text(elevations: Iterable[NamedElevation]) -> str:
    """Return the file; `HostRefusedError` for a name, program or arguments that cannot be written into one."""
    return HEAD + "".join(sorted(f"{_line(one)}\n" for one in elevations))


def _line(one: NamedElevation) -> str:
    who = f"{'%' if one.is_group else ''}{sudoers_name(one.name)}"
    elevation = one.elevation
    ends = f" NOTAFTER={_end(elevation.until)}" if elevation.until else ""
    arguments = f" {sudoers_arguments(elevation.arguments)}" if elevation.arguments else ""
    program = f"sha256:{elevation.sha256} {sudoers_path(elevation.program)}{arguments}"
    return f"{who} ALL=(root:root){ends} NOPASSWD: {program}"


def _end(until: str) -> str:
    """Return the end of the last day, in UTC, as RFC 4517 3.3.13 writes it."""
    return f"{date.fromisoformat(until) + timedelta(days=1):%Y%m%d}000000Z"
