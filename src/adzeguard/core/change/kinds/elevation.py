"""A program is run elevated for somebody at a host, or not any more."""

from typing import ClassVar, Literal

from pydantic import Field

from adzeguard.core.change.change import About, Key, Order
from adzeguard.core.change.kinds.host_setting import FactChange
from adzeguard.core.estate.elevation import ELEVATION, Elevation, arguments_in_words, elevations_of
from adzeguard.core.estate.hosts import HostState
from adzeguard.core.identity import Sid


class _OfElevation(FactChange):
    program: str = Field(min_length=1, max_length=1000)
    sha256: str = Field(pattern=r"^[0-9a-f]{64}$")
    arguments: str = Field("", max_length=1000)
    until: str = Field("", pattern=r"^(\d{4}-\d\d-\d\d)?$")
    needs: ClassVar[str] = ELEVATION.name

    @property
    def fact(self) -> Elevation:
        """What is given or ended."""
        return Elevation(self.program, self.sha256, Sid(self.who.sid), self.arguments, self.until)

    @property
    def key(self) -> Key:
        """The program at its version, for whom, with what and until when."""
        host = self.host.casefold()
        return ("elevation", host, self.program, self.sha256, self.who.key, self.arguments, self.until)

    @property
    def about(self) -> About:
        """The program, and who."""
        return About(group=self.program, member=self.who.name)

    def said(self) -> str:
        """Return that they run it."""
        return f"{self.who.name} runs {self.program} elevated"

    def is_so(self, state: HostState) -> bool | None:
        """Tell whether the host elevates it for them."""
        part = elevations_of(state)
        return None if part is None else self.fact in part.granted

    def _ordered(self) -> str:
        given = arguments_in_words(self.arguments)
        return f"let {self.who.name} run {self.program} at {self.sha256[:12]}… {given} elevated"


class GiveElevation(_OfElevation):
    """The program is expected not to be elevated for them, and is afterwards."""

    kind: Literal["give-elevation"] = "give-elevation"
    order: ClassVar[Order] = Order.ADD

    @classmethod
    def opposite(cls) -> type[FactChange]:
        """Return its end."""
        return EndElevation

    def in_words(self) -> str:
        """Return "let X run Y elevated"."""
        return self._ordered() + (f" until {self.until}" if self.until else "")


class EndElevation(_OfElevation):
    """The program is expected to be elevated for them, and is not afterwards."""

    kind: Literal["end-elevation"] = "end-elevation"
    order: ClassVar[Order] = Order.REMOVE
    puts: ClassVar[bool] = False

    @classmethod
    def opposite(cls) -> type[FactChange]:
        """Return the elevation."""
        return GiveElevation

    def in_words(self) -> str:
        """Return "let X run Y elevated no more"."""
        return f"{self._ordered()} no more"
