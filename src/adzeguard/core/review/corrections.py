"""All that deviates from the charter: the one function that proposal, check, lint, questions and reports read."""

from collections.abc import Iterator, Sequence

from adzeguard.core.change.change import Change
from adzeguard.core.change.kinds.add_local_member import AddLocalMember
from adzeguard.core.charter.kinds import KindRow
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.hosts import GROUPS_IN_GROUPS, HostState
from adzeguard.core.estate.named import Named
from adzeguard.core.review.correction import Correction, about_rule
from adzeguard.core.review.kinds import RULE_KINDS
from adzeguard.core.rights.delegations import Rights


def corrections(
    rights: Rights, charter: ResolvedCharter, put_in: Sequence[Change] = (), kinds: Sequence[KindRow] = RULE_KINDS
) -> Iterator[Correction]:
    """Yield every deviation. `put_in` is what rules have put in, by the changes that did it."""
    yield from review_names(charter)
    for row in kinds:
        for correction in row.kind.review(rights, charter) if charter.has_any_of(row) else ():
            yield _as_far_as_supported(rights.estate, correction)
    if put_in:
        yield from _withdrawals(rights, charter, put_in, kinds)


def _withdrawals(
    rights: Rights, charter: ResolvedCharter, put_in: Sequence[Change], kinds: Sequence[KindRow]
) -> Iterator[Correction]:
    # Only here, since it brings along what rules of every kind can put in.
    from adzeguard.core.review.withdrawal import review_put_in

    for correction in review_put_in(rights, charter, put_in):
        yield _as_far_as_supported(rights.estate, correction)
    stopped = {problem.rule.id for problem in charter.problems}
    of_others = [change for change in put_in if change.rule not in stopped]
    there = {change.kind for change in of_others}
    for row in kinds:
        if not there.isdisjoint(row.puts_in):
            yield from row.kind.withdraw(rights, charter, [one for one in of_others if one.kind in row.puts_in])


def _nesting(estate: Estate, state: HostState, change: Change) -> str:
    """Return what is lacking where a group is to be put into a group of a host whose groups hold accounts alone."""
    if not isinstance(change, AddLocalMember) or GROUPS_IN_GROUPS not in state.lacks:
        return ""
    member = estate.id_of_sid(change.member_sid)
    is_group = member is not None and estate.graph.position_of(member) is not None
    return GROUPS_IN_GROUPS if is_group or state.group(change.member_sid) else ""


def _as_far_as_supported(estate: Estate, correction: Correction) -> Correction:
    """Say already here what a host cannot do, instead of trying it there."""
    for change in correction.changes:
        host = estate.hosts_by_name.get(change.host_name.casefold()) if change.needs else None
        if host is None or host.state is None:
            continue
        needs = change.lacking(host.state) or _nesting(estate, host.state, change)
        if needs:
            return correction.without_changes(f"unsupported: {host.name} has {host.state.unsupported(needs)}")
    return correction


def review_names(charter: ResolvedCharter) -> Iterator[Correction]:
    """Yield each such name; its rule is not followed."""
    for problem in charter.problems:
        yield Correction(
            "unresolved-name",
            Named(f"rule {problem.rule.id}"),
            problem.message,
            **about_rule(problem.rule) | {"place": problem.where},
            member=Named(problem.name),
            left_out=f"{problem.where}: {problem.message}",
            stops_rule=True,
            evidence={"place": problem.where, "name": problem.name},
        )
    for renaming in charter.memory.renamed:
        yield Correction(
            "renamed-in-rule",
            Named(f"rule {renaming.rule.id}"),
            f"'{renaming.name}' is called '{renaming.now}' by now, and is followed by its SID",
            **about_rule(renaming.rule) | {"place": renaming.where},
            member=Named(renaming.name),
            left_out=f"write '{renaming.now}' into the rule, at {renaming.where}",
            evidence={"place": renaming.where, "name": renaming.name},
        )
