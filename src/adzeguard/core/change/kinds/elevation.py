"""A program is run elevated for somebody at a host, or not any more."""

from collections.abc import Mapping
from typing import ClassVar, Literal

from pydantic import Field

from adzeguard.core.change.change import UNDO_RULE, About, Change, Key, Order
from adzeguard.core.change.kinds.host_setting import HostSettingOfSomebody
from adzeguard.core.estate.elevation import ELEVATION, Elevation, elevations_of
from adzeguard.core.estate.hosts import HostState
from adzeguard.core.estate.named import Named
from adzeguard.core.identity import Sid


class _OfElevation(HostSettingOfSomebody):
    program: str = Field(min_length=1, max_length=1000)
    sha256: str = Field(pattern=r"^[0-9a-f]{64}$")
    arguments: str = Field("", max_length=1000)
    until: str = Field("", pattern=r"^(\d{4}-\d\d-\d\d)?$")
    needs: ClassVar[str] = ELEVATION.name

    @property
    def elevation(self) -> Elevation:
        """What is given or ended."""
        return Elevation(self.program, self.sha256, Sid(self.who.sid), self.arguments, self.until)

    @property
    def key(self) -> Key:
        """The program at its version, for whom, with what and until when."""
        return (
            "elevation",
            self.host.casefold(),
            self.program,
            self.sha256,
            self.who.key,
            self.arguments,
            self.until,
        )

    @property
    def about(self) -> About:
        """The program, and who."""
        return About(group=self.program, member=self.who.name)

    def _said(self) -> str:
        version = f"{self.program} at {self.sha256[:12]}…"
        return version + (f" with {self.arguments}" if self.arguments else "")

    def _values(self) -> dict[str, object]:
        names = ("host", "program", "sha256", "arguments", "until", "who")
        return {name: getattr(self, name) for name in names}

    def _is_granted(self, state: HostState) -> bool | None:
        part = elevations_of(state)
        return None if part is None else self.elevation in part.granted


class GiveElevation(_OfElevation):
    """The program is expected not to be elevated for them, and is afterwards."""

    kind: Literal["give-elevation"] = "give-elevation"
    order: ClassVar[Order] = Order.ADD

    def in_words(self) -> str:
        """Return "let X run Y elevated"."""
        end = f" until {self.until}" if self.until else ""
        return f"let {self.who.name} run {self._said()} elevated{end}"

    def taken_back(self, last: Change, groups: Mapping[str, Named]) -> Change | None:  # noqa: ARG002 - the base's
        """Return its end, unless it was ended since."""
        return self.ended(UNDO_RULE, self.undone_why()) if isinstance(last, GiveElevation) else None

    def ended(self, rule: str, why: str) -> Change:
        """Return the change that ends it."""
        return EndElevation.model_validate({**self._values(), "rule": rule, "why": why})

    def puts_in(self) -> tuple[Key, ...]:
        """The elevation."""
        return self.claims()

    def stands(self, state: HostState) -> bool | None:
        """Tell whether the host elevates it for them."""
        return self._is_granted(state)


class EndElevation(_OfElevation):
    """The program is expected to be elevated for them, and is not afterwards."""

    kind: Literal["end-elevation"] = "end-elevation"
    order: ClassVar[Order] = Order.REMOVE

    def in_words(self) -> str:
        """Return "let X run Y elevated no more"."""
        return f"let {self.who.name} run {self._said()} elevated no more"

    def taken_back(self, last: Change, groups: Mapping[str, Named]) -> Change | None:  # noqa: ARG002 - the base's
        """Return the elevation, unless somebody gave it again since."""
        if not isinstance(last, EndElevation):
            return None
        return GiveElevation.model_validate({**self._values(), "rule": UNDO_RULE, "why": self.undone_why()})

    def stands(self, state: HostState) -> bool | None:
        """Tell whether the host elevates it for them no more."""
        granted = self._is_granted(state)
        return None if granted is None else not granted
