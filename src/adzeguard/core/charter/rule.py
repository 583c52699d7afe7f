"""What every rule of a charter says, and where it stands."""

from collections.abc import Callable
from datetime import date
from typing import Annotated, Any, Literal, Self

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, model_validator
from pydantic.json_schema import SkipJsonSchema

from adzeguard.core.values import dataclass

Response = Literal["tell", "mend"]
"""What to do about a deviation: `tell` its owner, or `mend` it by a proposal."""


def _day(value: Any) -> Any:
    """Read a day as YAML gives it, as text; what is none is left for the model to complain about."""
    try:
        return date.fromisoformat(value) if isinstance(value, str) else value
    except ValueError:
        return value


Day = Annotated[date, BeforeValidator(_day)]
PrincipalName = Annotated[
    str,
    Field(
        min_length=1,
        description=r"A qualified name: DOMAIN\name, name@domain, a DN, a SID, local\name or well-known\name.",
        examples=[r"LOWMERE\Domain Admins", r"local\administrator", "S-1-5-21-1-2-3-512"],
    ),
]


def _dashed(name: str) -> str:
    return name.rstrip("_").replace("_", "-")


class Strict(BaseModel):
    """A part of a charter: no unknown keys, no conversions; keys have dashes."""

    model_config = ConfigDict(extra="forbid", frozen=True, alias_generator=_dashed, strict=True, defer_build=True)


@dataclass(frozen=True, slots=True)
class Place:
    """Where a rule stands."""

    file: str
    lines: dict[tuple[str | int, ...], int]

    def at(self, *path: str | int) -> str:
        """Return "file:line" of the value at this path inside the rule, or of the nearest value around it."""
        for length in range(len(path), -1, -1):
            line = self.lines.get(path[:length])
            if line is not None:
                return f"{self.file}:{line}"
        return self.file


def frozen(item: Any) -> Any:
    """Return a list of YAML as the tuple that a strict model wants."""
    return tuple(item) if isinstance(item, list) else item


def frozen_values(value: Any) -> Any:
    """Freeze every list of a mapping; what is none is left for the model to complain about."""
    return {key: frozen(item) for key, item in value.items()} if isinstance(value, dict) else value


def one_or_many(value: Any, *keys: str) -> Any:
    """Take a single text for a list of one, where people write `under: OU=Hosts`."""
    if not isinstance(value, dict):
        return value
    return {key: (item,) if key in keys and isinstance(item, str) else frozen(item) for key, item in value.items()}


ReadFile = Callable[[str], Any]
"""Gives what a file beside the charter holds, by its name; `CharterError` for one that cannot be read."""


class RuleBase(Strict):
    """What every rule says."""

    id: str = Field(pattern=r"^[a-z0-9]+(-[a-z0-9]+)*$", max_length=64, description="Unique, kebab-case.")
    why: str = Field("", description="Why the rule exists, for later readers.")
    owner: str = Field("", description="Who hears of deviations.")
    response: Response | None = Field(
        None, description="mend: put right by a proposal. tell: only told. Default: the workspace's."
    )
    enabled: bool = Field(True, description="false switches the rule off.")
    until: Day | None = Field(None, description="The last day on which the rule holds.")
    leave: bool = Field(False, description="true: what the rule put in stays when the rule goes away.")
    place: SkipJsonSchema[Place] = Field(default=Place(file="charter", lines={}), exclude=True)

    @model_validator(mode="before")
    @classmethod
    def _freeze_lists(cls, value: Any) -> Any:
        return frozen_values(value)

    def holds_on(self, day: date) -> bool:
        """Tell whether the rule is in force on a day."""
        return self.enabled and (self.until is None or day <= self.until)

    def completed(self, read_file: ReadFile) -> Self:  # noqa: ARG002 - for kinds that name a file
        """Return the rule with what the files hold that it names."""
        return self


@dataclass(frozen=True)
class Resolved:
    """A rule whose names all stand for something. Each kind of rule adds what its names stand for."""

    rule: RuleBase
    response: Response

    @property
    def id(self) -> str:
        """The id of the rule."""
        return self.rule.id
