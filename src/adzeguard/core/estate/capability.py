"""What one capability of hosts is: its name, its words, and the form of its part of a host's state."""

from collections.abc import Callable, Mapping
from typing import Any

from adzeguard.core.estate.hosts import HostState
from adzeguard.core.values import dataclass


@dataclass(frozen=True, slots=True)
class Capability:
    """Something that can be read of a host, and changed there.

    `pack` returns its part of a state as plain values, always in the same order, so that equal states are equal text.
    `unpack` returns the keywords that it gives to a `HostState`; `ValueError`, `KeyError` or `TypeError` where the
    values are not what `pack` made.
    """

    name: str
    words: str
    pack: Callable[[HostState], Any]
    unpack: Callable[[Any], Mapping[str, Any]]
    holds_facts: bool = False
    """Whether its part is texts by names and nothing else, which any change of a fact and any view understand."""
