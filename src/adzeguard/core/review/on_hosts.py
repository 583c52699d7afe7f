"""What every review of settings of hosts needs: which rules are followed where, and which one decides."""

from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import Generic, TypeVar

from adzeguard.core.charter.rule import Resolved
from adzeguard.core.charter.scopes import HostScopes, ScopedRule
from adzeguard.core.charter.setting_rule import ResolvedSetting
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.hosts import Host, HostState
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.names import host_named, on_host
from adzeguard.core.identity import Sid
from adzeguard.core.review.correction import Correction, correction_of
from adzeguard.core.values import dataclass

RuleT = TypeVar("RuleT", bound=ResolvedSetting)
AnyRule = TypeVar("AnyRule", bound=Resolved)
Value = TypeVar("Value")


@dataclass(frozen=True, slots=True)
class OnHost(Generic[RuleT]):
    """A host whose state is known, with the rules that are followed there, closest first."""

    host: Host
    state: HostState
    rules: Sequence[ScopedRule[RuleT]]

    @property
    def named(self) -> Named:
        """The host."""
        return host_named(self.host)

    def names_of(self, estate: Estate, sids: Iterable[Sid]) -> dict[Sid, Named]:
        """Return what SIDs mean there."""
        found = on_host(estate, self.state, self.host.name, sids)
        return {sid: Named.of(principal) for sid, principal in found.items()}


def hosts_with_rules(estate: Estate, rules: Sequence[RuleT]) -> Iterator[OnHost[RuleT]]:
    """Yield each host on which any of the rules is followed. A rule with a name that the host lacks is not."""
    scopes = HostScopes(rules)
    for host in estate.hosts if scopes.has_rules else ():
        if host.state is not None:
            state = host.state
            followed = [scoped for scoped in scopes.on(host) if not scoped.rule.unknown_on(state)]
            if followed:
                yield OnHost(host, state, followed)


def names_unknown(estate: Estate, rules: Sequence[RuleT]) -> Iterator[Correction]:
    """Yield each host that does not know a name of its own that a rule uses, and each that a rule excepts by name."""
    scopes = HostScopes(rules)
    for host in estate.hosts if scopes.has_rules else ():
        named = host_named(host)
        for scoped in scopes.on(host) if host.state is not None else ():
            for name in scoped.rule.unknown_on(host.state) if host.state is not None else ():
                said = rf"the host has no 'local\{name}', so rule {scoped.rule.id} is not followed there"
                about = {"response": "tell", "host": named, "left_out": said, "evidence": {"name": name}}
                yield correction_of(scoped.rule, "local-name-unknown", named, said, **about)
        for scoped in scopes.excepted_on(host):
            yield correction_of(
                scoped.rule, "host-excepted", named, "the host is excepted by name", response="tell", host=named
            )


@dataclass(frozen=True, slots=True)
class Decision(Generic[AnyRule, Value]):
    """Which value is wanted and by which rule, or the rules that contradict each other at the closest distance."""

    value: Value | None = None
    by: ScopedRule[AnyRule] | None = None
    conflict: tuple[ScopedRule[AnyRule], ...] = ()


def closest(rules: Sequence[ScopedRule[AnyRule]], value: Callable[[AnyRule], Value | None]) -> Decision[AnyRule, Value]:
    """Return what the closest rule wants that wants anything; where two want different things, neither."""
    wanting = [(scoped, wanted) for scoped in rules if (wanted := value(scoped.rule)) is not None]
    if not wanting:
        return Decision()
    first, wanted = wanting[0]
    level = [(scoped, other) for scoped, other in wanting if scoped.distance == first.distance]
    if any(other != wanted for _, other in level):
        return Decision(conflict=tuple(scoped for scoped, _ in level))
    return Decision(wanted, first)


def decisions(
    rules: Sequence[ScopedRule[AnyRule]], value: Callable[[AnyRule], Value | None]
) -> list[Decision[AnyRule, Value]]:
    """Return what is to be mended, decided among the rules that mend; then what is told, decided among all of them.

    A rule that only tells is no shield from a wider one that mends. Where both come to the same there is one decision.
    """
    mending = closest([scoped for scoped in rules if scoped.rule.response == "mend"], value)
    together = closest(rules, value)
    if mending.by is None and not mending.conflict:
        return [together] if together.by is not None or together.conflict else []
    same = together.value == mending.value and bool(together.conflict) == bool(mending.conflict)
    return [mending] if same else [mending, together]
