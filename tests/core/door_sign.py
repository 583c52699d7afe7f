"""Something made up that a house could grow, hosts that show a sign: a capability, a rule, a change, and a check."""

from collections.abc import Callable, Iterator, Mapping
from typing import ClassVar, Literal, Self

from pydantic import Field

from adzeguard.core.change.change import UNDO_RULE, About, Change, Key, Order
from adzeguard.core.charter.host_scope import HostRule, ResolvedScope, resolve_scope
from adzeguard.core.charter.kinds import KindRow, RuleKind
from adzeguard.core.charter.references import RuleNames
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.charter.rule import Resolved, Response
from adzeguard.core.charter.scopes import HostScopes
from adzeguard.core.check_row import Severity
from adzeguard.core.checks.check import Check
from adzeguard.core.checks.check_input import CheckInput
from adzeguard.core.checks.finding import Finding
from adzeguard.core.estate.capabilities import kept_as_it_is
from adzeguard.core.estate.hosts import HostState
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.names import host_named
from adzeguard.core.review.correction import Correction, correction_of
from adzeguard.core.rights.delegations import Rights
from adzeguard.core.values import dataclass

DOOR_SIGN = kept_as_it_is("door-sign", "what hosts show to whoever comes")


class SetSign(Change):
    """The sign is expected to be `before`, and is `after` afterwards."""

    kind: Literal["set-sign"] = "set-sign"
    host: str
    before: str
    after: str
    order: ClassVar[Order] = Order.ALTER
    needs: ClassVar[str] = DOOR_SIGN.name

    @property
    def host_name(self) -> str:
        return self.host

    @property
    def key(self) -> Key:
        return ("door-sign", self.host.casefold())

    @property
    def about(self) -> About:
        return About(object=self.host)

    def in_words(self) -> str:
        return f"show '{self.after}'"

    def taken_back(self, last: Change, groups: Mapping[str, Named]) -> Change | None:  # noqa: ARG002
        if not isinstance(last, SetSign) or last.after == self.before:
            return None
        return SetSign(host=self.host, before=last.after, after=self.before, rule=UNDO_RULE, why=self.undone_why())

    def renamed(self, renaming: Callable[[Named], Named]) -> Self:  # noqa: ARG002
        return self

    def stands(self, state: HostState) -> bool | None:
        return state.parts.get(DOOR_SIGN.name) == self.after


class SignRule(HostRule):
    """The sign that hosts are to show."""

    door_sign: str = Field(description="The text.")


@dataclass(frozen=True)
class ResolvedSign(Resolved):
    """The sign, with its hosts found."""

    scope: ResolvedScope


def resolve_sign(rule: SignRule, names: RuleNames, response: Response) -> Iterator[ResolvedSign]:
    """Yield the rule with its hosts found, or nothing where one cannot be used."""
    scope = resolve_scope(names, rule.hosts)
    if not names.failed:
        yield ResolvedSign(rule, response, scope)


def review_signs(rights: Rights, charter: ResolvedCharter) -> Iterator[Correction]:
    """Yield each host that shows another sign than it is to."""
    scopes = HostScopes(charter.of(ResolvedSign))
    for host in rights.estate.hosts:
        for scoped in scopes.on(host):
            rule, shown = scoped.rule.rule, (host.state.parts.get(DOOR_SIGN.name) or "") if host.state else ""
            if shown != rule.door_sign:
                change = SetSign(host=host.name, before=shown, after=rule.door_sign, rule=rule.id, why=rule.why)
                found = correction_of(scoped.rule, "other-sign", host_named(host), f"shows '{shown}'")
                yield found.with_changes([change])


def without_a_sign(looked_at: CheckInput) -> Iterator[Finding]:
    """Yield each host that shows nothing, whatever the charter says."""
    for host in looked_at.estate.hosts:
        if host.state is not None and not host.state.parts.get(DOOR_SIGN.name):
            yield Finding("no-sign", host_named(host), "shows no sign")


SIGN = RuleKind("door-sign", SignRule, resolve_sign, review_signs)
SIGNS = KindRow("door-sign", __name__, __name__)
NO_SIGN = Check("no-sign", "No sign", "People come in.", "Hang one up.", Severity.LOW, without_a_sign)
