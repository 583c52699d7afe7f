"""Trying how far one comes with a host, step by step, changing nothing."""

from collections.abc import Iterator

from adzeguard.core.errors import AdzeguardError
from adzeguard.core.estate.hosts import Host
from adzeguard.hosts.fleet import Fleet
from adzeguard.hosts.guarded_session import session_with
from adzeguard.hosts.port import Step, TryableSource


def tried(fleet: Fleet, host: Host) -> Iterator[Step]:
    """Yield what was tried, from its source to its state; the first thing in the way is the last."""
    name = fleet.source_of(host)
    if not name:
        yield Step("source", trouble="no source of hosts takes it: see adzeguard.toml, [hosts]")
        return
    yield Step("source", name)
    source = fleet.source_with(host)
    try:
        if isinstance(source, TryableSource):
            for step in source.steps(host):
                yield step
                if step.trouble:
                    return
        with session_with(source, host) as session:
            state = session.read()
    except AdzeguardError as error:
        yield Step("read", trouble=str(error))
        return
    yield Step("read", f"{len(state.groups)} local groups, {len(state.accounts)} local accounts")
    yield Step("capabilities", ", ".join(sorted(state.capabilities)))
    for capability, why in sorted(state.lacks.items()):
        yield Step(f"no {capability}", why)
