"""What every way of telling somebody is."""

from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime
from typing import Any, Protocol, runtime_checkable

from adzeguard.core.values import dataclass


@dataclass(frozen=True, slots=True)
class Letter:
    """One thing to tell: to whom, of which kind, and what, as plain values. `id` is the same at every try."""

    id: int
    kind: str
    to: str
    made_at: datetime
    body: Mapping[str, Any]


class Teller(Protocol):
    """One way of telling. If it fails it raises `TellError`; the letters are kept and tried again."""

    def takes(self, kind: str, to: str) -> bool:
        """Tell whether letters of a kind to somebody go this way."""

    def bundles(self, letters: Sequence[Letter]) -> Iterable[Sequence[Letter]]:
        """Put together what is told at once."""

    def tell(self, letters: Sequence[Letter]) -> None:
        """Tell what belongs together. Afterwards it was told, or `TellError` was raised."""

    def close(self) -> None:
        """Let go of what is open."""


@runtime_checkable
class TryableTeller(Protocol):
    """A way of telling whose connection can be tried without telling anything."""

    def try_out(self) -> str:
        """Connect, and say to what; `TellError` if that cannot be."""
