"""What a plan must pass before it is applied."""

from collections.abc import Iterator, Sequence

from adzeguard.core.change.outlook import Outlook, outlook
from adzeguard.core.change.plan import Change, Verb
from adzeguard.core.charter.model import Charter
from adzeguard.core.errors import GuardError
from adzeguard.core.estate import Estate
from adzeguard.core.keepers import KeepersAtWork
from adzeguard.core.principal import Principal
from adzeguard.core.wellknown import ADMINISTRATORS, RID_DOMAIN_ADMINS, RID_ENTERPRISE_ADMINS

_HOSTS_NAMED = 5


def pass_guards(estate: Estate, changes: Sequence[Change], keepers: Sequence[Principal], charter: Charter) -> None:
    """Return quietly, or raise `GuardError` with each reason why the changes must not be made."""
    refusals = list(lockouts(estate, changes, keepers, charter))
    if refusals:
        raise GuardError(refusals)


def lockouts(
    estate: Estate, changes: Sequence[Change], keepers: Sequence[Principal], charter: Charter
) -> Iterator[str]:
    """Yield a reason for each host and each group that controls the directory which would lose its last keeper.

    A keeper counts with a working path only: an enabled account that is effectively inside.
    """
    if not changes:
        return
    after = outlook(estate, changes)
    before_at_work = KeepersAtWork(estate, keepers)
    after_at_work = KeepersAtWork(estate, keepers, after.graph)
    yield from _group_lockouts(estate, changes, before_at_work, after_at_work, charter)
    yield from _host_lockouts(estate, changes, after, (before_at_work, after_at_work), charter)


def _group_lockouts(
    estate: Estate, changes: Sequence[Change], before: KeepersAtWork, after: KeepersAtWork, charter: Charter
) -> Iterator[str]:
    sids = [
        ADMINISTRATORS,
        estate.domain.account(RID_DOMAIN_ADMINS),
        estate.domain.account(RID_ENTERPRISE_ADMINS),
    ]
    ids = estate.ids_of_sids(sids)
    for sid in sids:
        group = ids[sid]
        if group is None:
            continue
        removals = [c for c in changes if c.host is None and c.group.sid == sid and c.verb == Verb.REMOVE_MEMBER]
        held, holds = before.inside(frozenset({group})), after.inside(frozenset({group}))
        if not holds and (held or removals):
            name = estate.principal(group).qualified_name
            causes = removals or [c for c in changes if c.host is None and c.verb == Verb.REMOVE_MEMBER]
            yield _refusal(name, causes, charter)


def _host_lockouts(
    estate: Estate,
    changes: Sequence[Change],
    after: Outlook,
    at_work: tuple[KeepersAtWork, KeepersAtWork],
    charter: Charter,
) -> Iterator[str]:
    by_host: dict[str, list[Change]] = {}
    for change in changes:
        if change.host and change.group.sid == ADMINISTRATORS and change.verb == Verb.REMOVE_MEMBER:
            by_host.setdefault(change.host.casefold(), []).append(change)
    in_directory = [c for c in changes if c.host is None and c.verb == Verb.REMOVE_MEMBER]
    reasons: dict[tuple[str, ...], list[str]] = {}
    blame: dict[tuple[str, ...], list[Change]] = {}
    for host, before, then in zip(estate.hosts, estate.host_administrators, after.administrators, strict=True):
        removals = by_host.get(host.name.casefold(), [])
        if host.state is None or not (removals or after.changed_groups) or at_work[1].among(then):
            continue
        if removals or at_work[0].among(before):
            causes = removals or in_directory
            key = tuple(sorted({change.rule for change in causes}))
            reasons.setdefault(key, []).append(host.name)
            blame.setdefault(key, causes)
    for key, hosts in reasons.items():
        named = ", ".join(hosts[:_HOSTS_NAMED]) + (
            f" and {len(hosts) - _HOSTS_NAMED} more" if len(hosts) > _HOSTS_NAMED else ""
        )
        plural = "hosts " if len(hosts) > 1 else "host "
        yield _refusal(plural + named, blame[key], charter)


def _refusal(subject: str, causes: Sequence[Change], charter: Charter) -> str:
    first = causes[0]
    rules = {rule.id: rule for rule in charter.rules}
    mended = ", ".join(
        f"{rule_id} ({rules[rule_id].place.at()})" if rule_id in rules else rule_id
        for rule_id in sorted({c.rule for c in causes})
    )
    more = f" and {len(causes) - 1} more" if len(causes) > 1 else ""
    return (
        f"{subject} would be left without a keeper: {first.in_words()}{more}. "
        f"Mend the rule {mended}: list a keeper with an enabled account"
    )
