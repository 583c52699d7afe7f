"""All hosts, each through the source that looks after its part of the fleet."""

from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager

from adzeguard.core.errors import HostUnknownError
from adzeguard.core.estate.fleet import FleetPart
from adzeguard.core.estate.hosts import Host
from adzeguard.core.values import dataclass
from adzeguard.hosts.port import HostSession, HostSource
from adzeguard.hosts.worker_pool import SourceApart


@dataclass(frozen=True, slots=True)
class FleetSource:
    """One source with its name in the settings and its part of the fleet."""

    name: str
    part: FleetPart
    source: HostSource
    apart: Callable[[], SourceApart] | None = None
    """Gives what another process needs to reach its hosts; None if they are reached from this process alone."""
    is_heavy: bool = False
    """Whether a host costs so much computing that several processes are quicker than one."""


class Fleet:
    """The sources of a workspace, in their order: the first whose part takes a host is the one that reaches it."""

    def __init__(self, sources: Sequence[FleetSource] = ()) -> None:
        self._sources = tuple(sources)

    def source_of(self, host: Host) -> str:
        """Return the name of the source that takes a host; empty where none does."""
        found = self._find(host)
        return found.name if found is not None else ""

    def source_with(self, host: Host) -> HostSource:
        """Return the source that takes a host; `HostUnknownError` where none does."""
        found = self._find(host)
        if found is None:
            raise HostUnknownError(f"no source of hosts takes {host.name}", "Give it one in adzeguard.toml, [hosts]")
        return found.source

    @contextmanager
    def session(self, host: Host) -> Iterator[HostSession]:
        """Open a session with a host; `HostUnknownError` where no source takes it, or the one that does has none."""
        with self.source_with(host).session(host) as session:
            yield session

    def in_worker(self, host: Host, *, heavy_only: bool) -> bool:
        """Tell whether another process can work with a host; with the heavy ones alone, whether that pays."""
        found = self._find(host)
        return found is not None and found.apart is not None and (found.is_heavy or not heavy_only)

    def sources_apart(self, *, heavy_only: bool) -> tuple[SourceApart, ...]:
        """Return what another process needs to reach the hosts that it works with, passwords among it."""
        return tuple(one.apart() for one in self._sources if one.apart is not None and (one.is_heavy or not heavy_only))

    def close(self) -> None:
        """Let go of everything that the sources keep open."""
        for one in self._sources:
            one.source.close()

    def _find(self, host: Host) -> FleetSource | None:
        return next((one for one in self._sources if one.part.takes(host)), None)
