"""What closes a host to people: refusals of logon, limits to some, a notice; by which rule, or by none."""

from collections.abc import Iterable, Iterator
from typing import Any, Final

from adzeguard.core.change.change import Change
from adzeguard.core.change.kinds.logon_refusal import EndRefusal, RefuseLogon
from adzeguard.core.change.kinds.set_logon_alone import SetLogonAlone
from adzeguard.core.change.kinds.set_notice import SetNotice
from adzeguard.core.charter.logon_rule import ResolvedLogonRule
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.charter.scopes import HostScopes, ScopedRule
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.hosts import Host, HostState
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.notice import Notice
from adzeguard.core.identity import Sid
from adzeguard.core.review.logon_rules import ALONE, NOTICES, REFUSALS
from adzeguard.core.review.on_hosts import OnHost
from adzeguard.core.review.settings import Setting, keepers_of
from adzeguard.core.values import dataclass

_CLOSING: Final[tuple[Setting[Any], ...]] = (REFUSALS, ALONE, NOTICES)


@dataclass(frozen=True)
class Closing:
    """One thing that closes a host: in which setting, by which fact, and how it stands. `rule` wants it so, if any."""

    host: Host
    setting: Setting[Any]
    fact: Any
    stands: Any
    names: dict[Sid, Named]
    rule: ScopedRule[Any] | None = None

    @property
    def key(self) -> tuple[str, Any]:
        """What tells it from others of the same host."""
        return self.setting.put_in_by.__name__, self.fact

    def in_words(self) -> str:
        """Return what the host does."""
        if self.setting is REFUSALS:
            way, sid = self.fact
            return f"refuses {self.names[sid].name} logon by {way}"
        if self.setting is ALONE:
            return f"lets {', '.join(sorted(one.name for one in self.names.values())) or 'nobody'} alone by {self.fact}"
        return f"shows {self.stands.in_words()}"

    def put_in_by(self, rule: str, why: str) -> Change:
        """Return what would have put it there."""
        about: dict[str, Any] = {"host": self.host.name, "rule": rule, "why": why}
        if self.setting is REFUSALS:
            way, sid = self.fact
            return RefuseLogon(way=way, who=self.names[sid], **about)
        if self.setting is ALONE:
            return SetLogonAlone(way=self.fact, before=None, after=self._listed(), **about)
        return SetNotice(title=self.stands.title, text=self.stands.text, **about)

    def _listed(self) -> tuple[Named, ...]:
        return tuple(sorted(self.names.values(), key=lambda one: one.name.casefold()))

    def ended(self, rule: str, why: str) -> Change:
        """Return what takes it off."""
        about: dict[str, Any] = {"host": self.host.name, "rule": rule, "why": why}
        if self.setting is REFUSALS:
            way, sid = self.fact
            return EndRefusal(way=way, who=self.names[sid], **about)
        if self.setting is ALONE:
            return SetLogonAlone(way=self.fact, before=self._listed(), after=None, **about)
        return SetNotice(title_before=self.stands.title, text_before=self.stands.text, **about)


class ClosingRules:
    """The rules of a charter that close hosts."""

    def __init__(self, charter: ResolvedCharter) -> None:
        self._rules = charter.of(ResolvedLogonRule)
        self._scopes = HostScopes(self._rules)
        self._keepers = keepers_of(charter)

    @property
    def are_any(self) -> bool:
        """Whether the charter speaks of such things at all."""
        return bool(self._rules)

    def on(self, estate: Estate, host: Host) -> Iterator[Closing]:
        """Yield what closes a host; a rule that cannot be followed there leaves everything as if it wanted it."""
        state = host.state
        if state is None:
            return
        # Of twenty thousand hosts few are closed in any way: the others are not looked at further.
        closed = [(setting, standing) for setting in _CLOSING if (standing := _standing(setting, state))]
        rules = self._scopes.on(host) if closed else []
        if any(scoped.rule.unknown_on(state) for scoped in rules):
            return
        on = OnHost(host, state, rules)
        for setting, standing in closed:
            wanted = setting.wanted(state, rules, self._keepers)
            for fact, stands in sorted(standing.items()):  # in one order, whatever order a run keeps sets in
                by = next((one for one in wanted.get(fact, ()) if one.by is not None or one.conflict), None)
                names = on.names_of(estate, _sids(setting, fact, stands))
                rule = by.by or by.conflict[0] if by is not None else None
                yield Closing(host, setting, fact, stands, names, rule)


def _standing(setting: Setting[Any], state: HostState) -> dict[Any, Any]:
    standing = setting.standing(state)
    return {fact: stands for fact, stands in standing.items() if stands or (setting is ALONE and stands is not None)}


def _sids(setting: Setting[Any], fact: Any, stands: Any) -> Iterable[Sid]:
    if setting is REFUSALS:
        return [fact[1]]
    return () if isinstance(stands, Notice) else stands
