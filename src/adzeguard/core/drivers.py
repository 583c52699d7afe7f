"""What a driver says of itself, for settings and for its opener. A driver of another package says the same."""

from collections.abc import Callable, Mapping
from typing import Any, Protocol

from adzeguard.core.values import dataclass

Settings = Mapping[str, str]
"""The keys of a driver's table in the settings, with their values as text; paths are whole."""
Secret = Callable[[], str]
"""Gives the password when it is asked for, and only then."""


class Names(Protocol):
    """What the directory knows of names, for hosts that know people by name alone."""

    @property
    def domain(self) -> str:
        """The short name of the directory's domain, empty where nothing is known of it yet."""

    def sid_of(self, name: str) -> str | None:
        """Return the SID of a qualified name, or None if it stands for nothing or for several things."""

    def name_of(self, sid: str) -> str | None:
        """Return the qualified name of a SID, or nothing."""


class NoNames:
    """Names for a driver that has to do without the directory: nobody is known."""

    domain = ""

    def sid_of(self, name: str) -> str | None:  # noqa: ARG002 - nobody is known
        """Return None."""
        return None

    def name_of(self, sid: str) -> str | None:  # noqa: ARG002 - nobody is known
        """Return None."""
        return None


def _never(_settings: Settings) -> bool:
    return False


@dataclass(frozen=True, slots=True)
class Setting:
    """One key that a driver understands. A path may be relative to the workspace."""

    key: str
    words: str
    is_path: bool = False
    needed: bool = False
    is_decisive: bool = False
    """Whether what stands at the path decides whom we believe or what we do: it must then be ours alone to write."""


@dataclass(frozen=True, slots=True)
class DriverKind:
    """A kind of driver: its settings, and how it is opened. `open(settings, secret, names)` returns the driver."""

    name: str
    settings: tuple[Setting, ...]
    open: Callable[[Settings, Secret, Names], Any]
    in_worker: bool = False
    """Whether its hosts can be worked with by another process: it keeps nothing from host to host and asks no names."""
    is_heavy: bool = False
    """Whether a host costs so much computing here that several processes are quicker than one."""
    asks_secret: Callable[[Settings], bool] = _never
    """Whether it asks for a password with these settings."""
