"""A part of what a charter asks for."""

from adzeguard.core.values import dataclass


@dataclass(frozen=True, slots=True)
class Choice:
    """Which part of what the charter asks for is meant, by names."""

    rules: tuple[str, ...] = ()
    groups: tuple[str, ...] = ()
    hosts: tuple[str, ...] = ()
    under: tuple[str, ...] = ()

    @property
    def is_everything(self) -> bool:
        """Whether nothing is left out."""
        return self == Choice()
