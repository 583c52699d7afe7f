"""What deviates, and what would put it right: findings and proposals of a workspace."""

from collections.abc import Sequence
from typing import TYPE_CHECKING

from adzeguard.core.change.draft import Draft
from adzeguard.core.check_row import Severity
from adzeguard.core.checks.finding import Finding
from adzeguard.core.errors import UsageError
from adzeguard.core.estate.names import resolve
from adzeguard.core.identity import fold_dn
from adzeguard.core.review.chosen import Chosen
from adzeguard.core.views.findings import counts_of
from adzeguard.core.wording import nearest
from adzeguard.store.checked import LastCheck
from adzeguard.workflows.propose import Proposed
from adzeguard.workspace.choice import Choice

if TYPE_CHECKING:
    from adzeguard.workspace.open_workspace import Workspace

_NEAR = 0.6


EVERYTHING = Choice()


def found_now(workspace: "Workspace", least: str = "note", rules: Sequence[str] = ()) -> list[Finding]:
    """Return what deviates now, worst first, as far as it matters so much and is of these rules; note what was found.

    A workspace that cannot be written to is only looked at.
    """
    refuse_unknown_rules(workspace, rules)
    findings = workspace.findings()
    if workspace.database.writable:
        workspace.checked.note(LastCheck(workspace.now(), workspace.store.latest().id, counts_of(findings)))
    matters = _severity(least)
    return [one for one in findings if one.severity >= matters and (not rules or _is_of(one, rules))]


def proposed(workspace: "Workspace", also: Sequence[str] = (), choice: Choice = EVERYTHING) -> Proposed:
    """Return the changes that put right what rules ask for, with the sizes that must be named to enact them.

    `also` are rules that only tell, and are put right all the same. `GuardError` where it would do harm.
    """
    with workspace.held("propose"):
        return workspace.proposed(chosen_draft(workspace, also, choice))


def chosen_draft(workspace: "Workspace", also: Sequence[str] = (), choice: Choice = EVERYTHING) -> Draft:
    """Return what the charter asks for, as far as it was chosen; a name that is none is an error."""
    refuse_unknown_rules(workspace, [*also, *choice.rules])
    groups = [str(resolve(workspace.estate, name).sid or "") for name in choice.groups]
    under = [fold_dn(workspace.estate.domain.full_dn(name)) for name in choice.under]
    for name, dn in zip(choice.under, under, strict=True):
        if workspace.estate.catalogue.by_dn(dn) is None:
            raise UsageError(f"there is no OU '{name}'", "Write it like OU=Ticket Kiosks,OU=Hosts")
    meant = Chosen(choice.rules, groups, choice.hosts, under).means
    return workspace.charter_draft(tuple(also), meant)


def refuse_unknown_rules(workspace: "Workspace", named: Sequence[str]) -> None:
    """Refuse the name of a rule that the charter does not have."""
    known = {rule.id for rule in workspace.written_charter.rules} if named else set()
    for rule in named:
        if rule not in known:
            near = nearest(rule, known, _NEAR)
            way_out = f"Did you mean {near}?" if near else "See: adzeguard charter lint"
            raise UsageError(f"the charter has no rule '{rule}'", way_out)


def _severity(word: str) -> Severity:
    severities = {one.label: one for one in Severity}
    if word not in severities:
        raise UsageError(f"there is no severity '{word}'", f"There are: {', '.join(severities)}")
    return severities[word]


def _is_of(finding: Finding, rules: Sequence[str]) -> bool:
    """Tell whether a finding is of one of these rules; one about a conflict is of both."""
    return finding.rule in rules or not set(rules).isdisjoint(finding.evidence.get("rules", ()))
