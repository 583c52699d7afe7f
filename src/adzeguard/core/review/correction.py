"""A correction: a deviation of members, objects or hosts, as one value with what would put it right."""

from collections.abc import Collection, Iterable, Mapping
from dataclasses import field, replace
from typing import Any

from adzeguard.core.change.change import Change
from adzeguard.core.charter.rule import Resolved, Response, RuleBase
from adzeguard.core.estate.named import Named, fingerprint_of
from adzeguard.core.values import dataclass


@dataclass(frozen=True, slots=True)
class Correction:
    """One deviation. `check` is its row in the table of checks; `subject`, `member` and `host` are identities.

    `changes` put it right; without any, `left_out` says why there are none, or is empty if it is only ever told.
    """

    check: str
    subject: Named
    message: str
    rule: str
    owner: str = ""
    response: Response = "tell"
    place: str = ""
    member: Named | None = None
    host: Named | None = None
    changes: tuple[Change, ...] = ()
    left_out: str = ""
    stops_rule: bool = False
    """The rule itself cannot be followed: its author hears of it, for any response."""
    evidence: Mapping[str, Any] = field(default_factory=dict, hash=False)

    @property
    def fingerprint(self) -> str:
        """The same as that of the finding that tells of it."""
        return fingerprint_of(self.check, self.rule, self.host, self.subject, self.member)

    def is_to_be_mended(self, also: Collection[str] = ()) -> bool:
        """Tell whether a proposal puts it right; `also` are rules that only tell and are followed all the same."""
        return self.response == "mend" or self.rule in also

    def with_changes(self, changes: Iterable[Change]) -> "Correction":
        """Return it with what puts it right."""
        return replace(self, changes=tuple(changes))

    def without_changes(self, reason: str) -> "Correction":
        """Return it as something that cannot be put right."""
        return replace(self, changes=(), left_out=reason, message=f"{self.message}: {reason}")


def correction_of(rule: Resolved, check: str, subject: Named, message: str, **more: Any) -> Correction:
    """Make the correction that a resolved rule asks for."""
    answers = {"response": rule.response} | about_rule(rule.rule)
    return Correction(check, subject, message, **{**answers, **more})


def about_rule(rule: RuleBase) -> dict[str, Any]:
    """Return what a correction says of its rule."""
    return {"rule": rule.id, "owner": rule.owner, "place": rule.place.at()}
