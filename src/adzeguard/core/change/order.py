"""In which order changes are made, and their numbers."""

from collections.abc import Iterable, Iterator

from adzeguard.core.change.change import Change


def in_order(changes: Iterable[Change]) -> tuple[Change, ...]:
    """Return the changes of a proposal in the order in which they are made, each once, numbered.

    New objects and additions go first, the directory before the hosts: a new way in stands before an old one goes.
    What is done to objects keeps the order in which it was asked for.
    """
    return numbered(sorted(_without_twins(changes), key=_place))


def numbered(changes: Iterable[Change]) -> tuple[Change, ...]:
    """Give changes their numbers in the order in which they are made."""
    return tuple(change.model_copy(update={"id": f"c{number:05}"}) for number, change in enumerate(changes, 1))


def _place(change: Change) -> tuple[int, bool, str, str]:
    return change.order, bool(change.host_name), change.host_name, change.sorts_under


def _without_twins(changes: Iterable[Change]) -> Iterator[Change]:
    """Two groups can ask the same step of a person: to be listed in the group that becomes the primary one."""
    seen: set[tuple[str, ...]] = set()
    for change in changes:
        key = (change.kind, *change.key)
        if key not in seen:
            seen.add(key)
            yield change
