"""Rules about single programs that people run elevated."""

import re
from collections.abc import Iterator
from typing import Any

from pydantic import Field, model_validator

from adzeguard.core.charter.host_scope import HostRule, resolve_scope
from adzeguard.core.charter.references import Reference, RuleNames
from adzeguard.core.charter.rule import PrincipalName, Response, Strict, frozen_values
from adzeguard.core.charter.setting_rule import ResolvedSetting, sids_on
from adzeguard.core.estate.elevation import NO_ARGUMENTS, Elevation
from adzeguard.core.estate.hosts import HostState
from adzeguard.core.values import dataclass

_DIGEST = re.compile(r"[0-9a-fA-F]{64}")
_LONGEST = 1000


class ElevateForm(Strict):
    """One program, at one exact version, for named people."""

    program: str = Field(max_length=_LONGEST, description="Its whole path on the host.")
    sha256: str = Field(description="The digest of its file, in hexadecimal: sha256sum FILE.")
    for_: tuple[PrincipalName, ...] = Field(min_length=1, description="Who runs it elevated.")
    arguments: str | None = Field(
        None, max_length=_LONGEST, description="The only arguments allowed, empty for none; without this key, any."
    )

    @model_validator(mode="before")
    @classmethod
    def _freeze_lists(cls, value: Any) -> Any:
        if isinstance(value, dict) and isinstance(value.get("arguments"), list | tuple):
            raise ValueError("arguments is one text, such as '-u -n', and no list")  # noqa: TRY004 - the validation library wants ValueError
        return frozen_values(value)

    @model_validator(mode="after")
    def _can_be_meant(self) -> "ElevateForm":
        if not self.program.isprintable() or not (self.arguments or "").isprintable():
            raise ValueError("must be plain text, without control characters")
        if not (self.program.startswith("/") or re.match(r"[A-Za-z]:\\", self.program)):
            raise ValueError(f"program '{self.program}' must be a whole path, such as /opt/charts/update")
        if any(part in ("..", ".", "") for part in re.split(r"[/\\]", self.program)[1:]):
            raise ValueError(f"program '{self.program}' must be a path without . and ..")
        if not _DIGEST.fullmatch(self.sha256):
            raise ValueError("sha256 must be 64 hexadecimal digits, as sha256sum prints them")
        return self

    @property
    def allowed(self) -> str:
        """The arguments as an elevation has them."""
        return "" if self.arguments is None else self.arguments or NO_ARGUMENTS


class ElevateRule(HostRule):
    """A rule about a program that people run elevated."""

    elevate: ElevateForm


@dataclass(frozen=True)
class ResolvedElevateRule(ResolvedSetting):
    """A rule about a program, with its names and hosts found."""

    form: ElevateForm
    people: tuple[Reference, ...]

    @property
    def listed(self) -> tuple[Reference, ...]:
        """Everybody who runs it elevated."""
        return self.people

    def wanted_on(self, state: HostState) -> frozenset[Elevation]:
        """Return what is to stand on a host. Where the rule has a last day, so has the elevation."""
        until = self.rule.until.isoformat() if self.rule.until else ""
        form = self.form
        return frozenset(
            Elevation(form.program, form.sha256.lower(), sid, form.allowed, until)
            for sid in sids_on(self.people, state)
        )


def resolve_elevation(rule: ElevateRule, names: RuleNames, response: Response) -> Iterator[ResolvedElevateRule]:
    """Yield the rule with its names found, or nothing if one cannot be used."""
    people = names.with_sids(("elevate", "for"), rule.elevate.for_)
    scope = resolve_scope(names, rule.hosts)
    if not names.failed:
        yield ResolvedElevateRule(rule, response, scope, rule.elevate, people)
