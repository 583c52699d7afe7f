"""What deviates, and what would put it right: findings and proposals of a workspace."""

from collections.abc import Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

from adzeguard.core.change.change import Change
from adzeguard.core.change.draft import Draft
from adzeguard.core.charter.host_scope import HostRule
from adzeguard.core.check_row import Severity
from adzeguard.core.checks.counts import by_check, counts_of, mendable
from adzeguard.core.checks.finding import Finding
from adzeguard.core.errors import AmbiguousNameError, StoreError, UnknownNameError, UsageError
from adzeguard.core.estate.names import resolve
from adzeguard.core.identity import fold_dn
from adzeguard.core.review.chosen import Chosen
from adzeguard.core.review.correction import Correction
from adzeguard.core.review.met import met_by
from adzeguard.core.wording import counted_noun, nearest, some_of
from adzeguard.store.checked import LastCheck
from adzeguard.store.questions import Questions
from adzeguard.workspace.choice import Choice

if TYPE_CHECKING:
    from adzeguard.workflows.propose import Proposed
    from adzeguard.workspace.open_workspace import Workspace

_NEAR = 0.6
_SHORTEST_START = 4
_QUESTION = "Q"
_PATIENCE = 2.0
"""For how many seconds an answer that stands already waits to be noted."""


EVERYTHING = Choice()


def found_and_to_note(workspace: "Workspace", rules: Sequence[str] = ()) -> tuple[list[Finding], LastCheck]:
    """Return all that deviates now, worst first, and what is to be noted of it once it has been said."""
    refuse_unknown_rules(workspace, rules)
    with workspace.in_one_moment():
        findings = workspace.findings()
        number = workspace.store.latest().id
        counts, checks = counts_of(findings), by_check(findings)
        return findings, LastCheck(workspace.now(), number, counts, checks, mendable(findings))


def note_found(workspace: "Workspace", check: LastCheck) -> None:
    """Note how much was found, for status; a workspace that cannot be written to, or not soon, is only looked at."""
    if not workspace.database.writable:
        return
    try:
        workspace.checked.note(check, _PATIENCE)
    except StoreError as error:
        workspace.frontend.say(f"How much was found is not noted: {error.message}")


def of_those(findings: Sequence[Finding], least: str, rules: Sequence[str]) -> list[Finding]:
    """Return the findings that matter so much, and are of these rules where any are named."""
    matters = _severity(least)
    return [one for one in findings if one.severity >= matters and (not rules or _is_of(one, rules))]


def proposed(workspace: "Workspace", also: Sequence[str] = (), choice: Choice = EVERYTHING) -> "Proposed":
    """Return the changes that put right what rules ask for, with the sizes that must be named to enact them.

    `also` are rules that only tell, and are put right all the same. `GuardError` where it would do harm.
    """
    with workspace.in_one_moment():
        return workspace.proposed(chosen_draft(workspace, also, choice))


def proposed_take_over(workspace: "Workspace", rules: Sequence[str]) -> "Proposed":
    """Return what lets rules own what they find standing as they want it; nothing is written but that."""
    refuse_unknown_rules(workspace, rules)
    with workspace.in_one_moment():
        ours = {key for change in workspace.put_in for key in change.claims()}
        changes: list[Change] = []
        for rule in workspace.charter.rules:
            if rule.id in rules:
                met = met_by(workspace.estate, workspace.charter, rule, ours)
                changes += [change.model_copy(update={"takes_over": True}) for change in met]
        return workspace.proposed(Draft.of(changes))


def chosen_draft(workspace: "Workspace", also: Sequence[str] = (), choice: Choice = EVERYTHING) -> Draft:
    """Return what the charter asks for, as far as it was chosen; a name that is none is an error."""
    refuse_unknown_rules(workspace, [*also, *choice.rules])
    groups = [str(resolve(workspace.estate, name).sid or "") for name in choice.groups]
    under = [fold_dn(workspace.estate.domain.full_dn(name)) for name in choice.under]
    for name, dn in zip(choice.under, under, strict=True):
        if workspace.estate.catalogue.by_dn(dn) is None:
            raise UsageError(f"there is no OU '{name}'", "Write it like OU=Ticket Kiosks,OU=Hosts")
    chosen = Chosen(choice.rules, groups, choice.hosts, under)
    on_hosts = {rule.id for rule in workspace.written_charter.rules if isinstance(rule, HostRule)}

    def is_meant(one: Correction) -> bool:
        return chosen.means(one) or (one.stops_rule and chosen.may_concern(one, about_hosts=one.rule in on_hosts))

    draft = workspace.charter_draft(tuple(also), is_meant)
    unread = [host.name for host in workspace.estate.hosts if host.trouble and chosen.means_host(host)]
    if not unread or not on_hosts:
        return draft
    said = f"{counted_noun(len(unread), 'host')} {'was' if len(unread) == 1 else 'were'} not read: {some_of(unread)}"
    return replace(draft, notes=(*draft.notes, said))


def refuse_unknown_rules(workspace: "Workspace", named: Sequence[str]) -> None:
    """Refuse the name of a rule that the charter does not have."""
    known = {rule.id for rule in workspace.written_charter.rules} if named else set()
    for rule in named:
        if rule not in known:
            near = nearest(rule, known, _NEAR)
            way_out = f"Did you mean {near}?" if near else "See: adzeguard charter lint"
            raise UsageError(f"the charter has no rule '{rule}'", way_out)


def finding_called(workspace: "Workspace", name: str) -> Finding:
    """Return a finding by its fingerprint, the beginning of it, or the id of a question about it."""
    start = name.casefold()
    if name.upper().startswith(_QUESTION):
        from adzeguard.workflows.asking import any_question

        start = any_question(Questions(workspace.database).all(), name).fingerprint
    findings = workspace.findings(with_left=False)
    found = [one for one in findings if one.fingerprint.startswith(start)] if len(start) >= _SHORTEST_START else []
    if len({one.fingerprint for one in found}) == 1:
        return found[0]
    way_out = "See: adzeguard check --columns fingerprint,subject,message"
    if found:
        raise AmbiguousNameError(f"{len(found)} findings have a fingerprint that begins with '{name}'", way_out)
    raise UnknownNameError(f"nothing that is found now has the fingerprint '{name}'", way_out)


def _severity(word: str) -> Severity:
    severities = {one.label: one for one in Severity}
    if word not in severities:
        raise UsageError(f"there is no severity '{word}'", f"There are: {', '.join(severities)}")
    return severities[word]


def _is_of(finding: Finding, rules: Sequence[str]) -> bool:
    """Tell whether a finding is of one of these rules; one about a conflict is of both."""
    return finding.rule in rules or not set(rules).isdisjoint(finding.evidence.get("rules", ()))
