"""Figures for monitoring, as plain values."""

from collections.abc import Mapping, Sequence
from dataclasses import field

from adzeguard.core.values import dataclass


@dataclass(frozen=True, slots=True)
class Sample:
    """One value, told apart from others of its figure by its labels."""

    value: float
    labels: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Figure:
    """One figure: its name, what it says, and its values."""

    name: str
    words: str
    samples: Sequence[Sample]
