"""No host refuses logon to every keeper: somebody must always get in to put it right."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace

from adzeguard.core.access.logon import may_log_on, own_administrator_gets_in, token_on
from adzeguard.core.change.change import Change
from adzeguard.core.change.guards.case import Case
from adzeguard.core.change.kinds.logon_refusal import EndRefusal, RefuseLogon
from adzeguard.core.change.kinds.own_account import DisableOwnAccount
from adzeguard.core.change.kinds.set_logon_alone import SetLogonAlone
from adzeguard.core.estate.hosts import HostState
from adzeguard.core.estate.logon import IN_PERSON, LogonRules, logon_of
from adzeguard.core.identity import Sid
from adzeguard.core.wellknown import ADMINISTRATORS
from adzeguard.core.wording import some_of

_WAY_OUT = "Leave one of them out of the refusal, or enable the host's own administrator"


def shut_out_of_hosts(case: Case) -> Iterator[str]:
    """Yield a reason where no keeper could log on at a host any more, at its console or remotely.

    A keeper is an enabled account of theirs that administers the host, or the host's own administrator.
    """
    by_host: dict[str, list[Change]] = {}
    for change in case.changes:
        if isinstance(change, RefuseLogon | SetLogonAlone | EndRefusal | DisableOwnAccount):
            by_host.setdefault(change.host.casefold(), []).append(change)
    if not by_host:
        return
    gets_in = _GettingIn(case)
    shut: list[str] = []
    for name, changes in by_host.items():
        host = case.estate.hosts_by_name.get(name)
        if host is None or host.state is None or not any(c.takes_access_away for c in changes):
            continue
        rules = logon_of(host.state) or LogonRules()
        then = _with_accounts_after(host.state, changes)
        if not gets_in.at(then, after(rules, changes)) and gets_in.at(host.state, rules):
            shut.append(host.name)
    if shut:
        hosts = f"host{'s' * (len(shut) > 1)} {some_of(shut)}"
        yield f"no keeper could log on any more at {hosts}, neither at the console nor remotely. {_WAY_OUT}"


def after(rules: LogonRules, changes: Sequence[Change]) -> LogonRules:
    """Return what a host will say about logons after changes."""
    refused = {way: set(sids) for way, sids in rules.refused.items()}
    alone = dict(rules.alone)
    for change in changes:
        if isinstance(change, RefuseLogon) and change.way in refused:
            refused[change.way].add(Sid(change.who.sid))
        elif isinstance(change, EndRefusal) and change.way in refused:
            refused[change.way].discard(Sid(change.who.sid))
        elif isinstance(change, SetLogonAlone) and change.after is None:
            alone.pop(change.way, None)
        elif isinstance(change, SetLogonAlone) and change.after is not None:
            alone[change.way] = frozenset(Sid(one.sid) for one in change.after)
    return LogonRules({way: frozenset(sids) for way, sids in refused.items()}, alone)


def _with_accounts_after(state: HostState, changes: Sequence[Change]) -> HostState:
    disabled = {change.who.sid for change in changes if isinstance(change, DisableOwnAccount)}
    if not disabled:
        return state
    accounts = tuple(replace(a, enabled=False) if a.sid in disabled else a for a in state.accounts)
    return state.with_accounts(accounts)


class _GettingIn:
    """Whether any keeper gets in; hosts with the same administrators and the same rules share the answer."""

    def __init__(self, case: Case) -> None:
        self._case = case
        self._known: dict[tuple[object, ...], bool] = {}

    def at(self, state: HostState, rules: LogonRules) -> bool:
        if own_administrator_gets_in(state, rules):
            return True
        group = state.group(ADMINISTRATORS)
        inside = group.members if group else frozenset()
        key = (inside, tuple(sorted(rules.refused.items())), tuple(sorted(rules.alone.items())))
        if key not in self._known:
            self._known[key] = any(self._gets_in(state, inside, rules))
        return self._known[key]

    def _gets_in(self, state: HostState, inside: frozenset[Sid], rules: LogonRules) -> Iterator[bool]:
        case = self._case
        keepers = case.keepers_after.people.nonzero()[0].tolist()
        for keeper in case.estate.catalogue.principals(keepers).values():
            token = token_on(case.estate, state, Sid(keeper.sid), case.after.graph)
            yield bool(token & inside) and any(may_log_on(rules, token, way).allowed for way in IN_PERSON)


def logons_stay(case: Case) -> Callable[[Change, HostState], str]:
    """Return what judges a change by the host as it stands right before it: somebody else may have been there."""
    gets_in = _GettingIn(case)

    def judge(change: Change, state: HostState) -> str:
        if not isinstance(change, RefuseLogon | SetLogonAlone | DisableOwnAccount):
            return ""
        rules, then = logon_of(state) or LogonRules(), _with_accounts_after(state, [change])
        if gets_in.at(then, after(rules, [change])) or not gets_in.at(state, rules):
            return ""
        return f"as {change.host_name} stands now, no keeper could log on there any more"

    return judge


def both(
    first: Callable[[Change, HostState], str], second: Callable[[Change, HostState], str]
) -> Callable[[Change, HostState], str]:
    """Return what judges by the one, then by the other."""
    return lambda change, state: first(change, state) or second(change, state)
