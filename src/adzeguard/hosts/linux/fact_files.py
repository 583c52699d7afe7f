"""The files of ours by which a Linux host has what is nothing but texts by names: a row for each such capability."""

from collections.abc import Callable, Mapping
from typing import Final

from adzeguard.core.values import dataclass


@dataclass(frozen=True, slots=True)
class FactFiles:
    """How a host is told the facts of one capability.

    `files` returns by their paths, which are among `paths`, the texts of the files that say so, each with its mode;
    `HostRefusedError` for a fact that cannot be written into one.
    """

    capability: str
    paths: tuple[str, ...]
    files: Callable[[Mapping[str, str]], Mapping[str, tuple[str, str]]]


FACT_FILES: Final[tuple[FactFiles, ...]] = ()
