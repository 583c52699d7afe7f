"""The one road by which anything is written, for hands, files, rounds, undo, leases, answers and programs.

Make the proposal, judge it, ask, read again what decides, judge anew, write, note. All of it happens while the
workspace is held, so that nothing of ours changes between the guards and the changes.
"""

from collections.abc import Mapping
from contextlib import suppress
from dataclasses import field, replace
from typing import TYPE_CHECKING, Final

from adzeguard.core.change.change import BY_HAND_RULE, UNDO_RULE
from adzeguard.core.change.draft import Draft
from adzeguard.core.change.guards.all import pass_guards_when_made
from adzeguard.core.change.guards.judge import Judged, judge
from adzeguard.core.change.kinds.add_local_member import AddLocalMember
from adzeguard.core.change.kinds.add_member import AddMember
from adzeguard.core.change.kinds.membership import MembershipChange
from adzeguard.core.change.outcome import Outcome
from adzeguard.core.change.proposal import Proposal
from adzeguard.core.errors import ApprovalError, CharterError, UsageError
from adzeguard.core.limits import NOTHING_NAMED, NamedSizes
from adzeguard.core.review.against_rules import undone_by_rules
from adzeguard.core.time.lease import GIVEN_BACK
from adzeguard.core.values import dataclass
from adzeguard.store.leases import Leases
from adzeguard.store.letters import Letters, keep_letters
from adzeguard.workflows.approval_used import made_with_approval
from adzeguard.workflows.asking import alarms
from adzeguard.workflows.enact import drop_enactment, enact_judged
from adzeguard.workflows.interrupted import Interrupted, interrupted_enactment, the_interrupted
from adzeguard.workflows.leases import end_what_was_taken_out
from adzeguard.workflows.propose import Proposed, believed, impact_of_rest, with_words_and_impact
from adzeguard.workflows.reread_before_enact import reread_before_enact
from adzeguard.workflows.run import UNTOUCHED
from adzeguard.workflows.telling import tell_waiting
from adzeguard.workspace.approval_needs import approving
from adzeguard.workspace.wanted import Done, Escort, Wanted

if TYPE_CHECKING:
    from adzeguard.workspace.open_workspace import Workspace

BROKEN_GLASS: Final = "nobody"
"""Who has said yes where glass was broken."""
_CHANGED: Final = "Groups that decide here have changed since the last collection; the guards judge by what stands now"
_FAILURES: Final = ("unreachable", "refused", "differs")


def enact(workspace: "Workspace", wanted: Wanted, escort: Escort | None = None) -> Done:
    """Make a proposal of what is wanted, and enact it.

    `GuardError` says why it must not be made, `UsageError` why not now, `DeclinedError` that the escort said no.
    """
    with workspace.held("enact"):
        earlier = interrupted_enactment(workspace.journal)
        if earlier is not None and not wanted.beside_interrupted:
            raise UsageError(f"nothing was changed, since {earlier.in_words}")
        if earlier is not None and not wanted.unattended:
            workspace.frontend.say(f"Beside this, {earlier.in_words}")
        return _go(workspace, _made(workspace, wanted), wanted, escort or Escort(), None)


def resume(workspace: "Workspace", wanted: Wanted, escort: Escort | None = None) -> Done:
    """Go on with the enactment that was interrupted, past the guards as they judge what is left of it now."""
    with workspace.held("enact"):
        earlier = the_interrupted(workspace.journal)
        if not wanted.unattended:
            of = f"{len(earlier.left)} of {len(earlier.proposal.changes)} changes are left"
            workspace.frontend.say(f"Going on with {earlier.name}: {of}")
        left = impact_of_rest(earlier.proposal, earlier.left, workspace.privilege)
        return _go(workspace, left, wanted, escort or Escort(), earlier)


def drop(workspace: "Workspace") -> tuple[str, Done]:
    """End the enactment that was interrupted for good; return its name, and what stands of it."""
    with workspace.held("enact"):
        earlier = the_interrupted(workspace.journal)
        with (
            workspace.directory() as directory,
            workspace.hosts() as hosts,
            workspace.servers_of(earlier.left) as shares,
        ):
            dropped = drop_enactment(
                earlier, workspace.estate, workspace.ports(directory, hosts, shares=shares), lambda _outcome: None
            )
        workspace.look_anew()
        return earlier.name, Done(dropped.outcomes)


def only_propose(workspace: "Workspace", wanted: Wanted) -> Proposed:
    """Make the proposal, with the sizes that must be named when it is enacted; nothing is written."""
    proposal = _made(workspace, wanted)
    return Proposed(proposal, tuple(pass_guards_when_made(workspace.case(proposal, NOTHING_NAMED))))


def _made(workspace: "Workspace", wanted: Wanted) -> Proposal:
    asked = wanted.make()
    if isinstance(asked, Proposal):
        proposal = believed(workspace.privilege, asked)
    else:
        proposal = with_words_and_impact(_with_what_rules_undo(workspace, asked), workspace.proposer)
    if wanted.part is None:
        return proposal
    return impact_of_rest(proposal, wanted.part(proposal), workspace.privilege)


def _with_what_rules_undo(workspace: "Workspace", draft: Draft) -> Draft:
    """Return a draft that says what of it a rule that mends undoes again, before anybody says yes."""
    if not any(change.rule == BY_HAND_RULE and isinstance(change, MembershipChange) for change in draft.changes):
        return draft
    leased = {lease.pair for lease in Leases(workspace.database).all() if lease.is_open}
    said = undone_by_rules(workspace.estate, workspace.guarding_charter, draft.changes, leased)
    return replace(draft, notes=(*draft.notes, *said)) if said else draft


def _go(
    workspace: "Workspace", proposal: Proposal, wanted: Wanted, escort: Escort, earlier: Interrupted | None
) -> Done:
    sizes = escort.sizes(proposal, wanted.sizes)
    approval = earlier.approval if earlier is not None else _approval(workspace, proposal, wanted)
    judged = _judged(workspace, proposal, sizes, approval, earlier)
    escort.agree(proposal)
    if not proposal.changes and earlier is None:
        return Done()
    if any(change.rule not in (BY_HAND_RULE, UNDO_RULE) for change in proposal.changes):
        with suppress(CharterError):  # what the guards need is known without it
            workspace.remember_names()
    if approval.get("by") == BROKEN_GLASS and earlier is None:
        _tell_owners(workspace, proposal, approval["why"])
    try:
        return _write(workspace, judged, sizes, approval, wanted, escort, earlier)
    finally:
        workspace.look_anew()
        if any(change.removes_member for change in proposal.changes):
            end_what_was_taken_out(Leases(workspace.database), workspace.estate, workspace.now())


def _judged(
    workspace: "Workspace",
    proposal: Proposal,
    sizes: NamedSizes,
    approval: Mapping[str, str],
    earlier: Interrupted | None,
) -> Judged:
    made = earlier.proposal.changes if earlier is not None else ()
    return judge(proposal, workspace.case(proposal, sizes, approval.get("by", "")), made)


def _write(
    workspace: "Workspace",
    judged: Judged,
    sizes: NamedSizes,
    approval: Mapping[str, str],
    wanted: Wanted,
    escort: Escort,
    earlier: Interrupted | None,
) -> Done:
    proposal = judged.proposal
    failing = _Failing(wanted.rollout.stop_after)

    def report(outcome: Outcome) -> None:
        failing.note(outcome)
        escort.outcome(outcome, len(proposal.changes))

    about: dict[str, object] = {"unattended": True} if wanted.unattended else {}
    about |= {"why": wanted.why} if wanted.why else {}
    about |= {name: who for name, who in workspace.acts_as.items() if who}
    about["charter"] = workspace.charter_digest
    if approval:
        about["approval"] = dict(approval)
    if proposal.changes and all(change.is_note for change in proposal.changes):
        enacted = enact_judged(judged, workspace.ports(UNTOUCHED, UNTOUCHED), report, earlier, about)
        return Done(enacted.outcomes, enacted.left)
    with (
        workspace.directory() as directory,
        workspace.hosts() as hosts,
        workspace.servers_of(proposal.changes) as shares,
        escort.at_work() as asked_to_stop,
    ):
        if reread_before_enact(directory, workspace.store, workspace.estate, proposal.changes, workspace.now()):
            workspace.look_anew()
            if not wanted.unattended:
                workspace.frontend.say(_CHANGED)
            anew = impact_of_rest(proposal, proposal.changes, workspace.privilege)
            judged = _judged(workspace, anew, sizes, approval, earlier)
        ports = workspace.ports(
            directory,
            hosts,
            stopping=lambda: asked_to_stop() or failing.are_too_many,
            pace=wanted.rollout.pace,
            crew=workspace.crew(wanted.rollout.workers),
            shares=shares,
        )
        enacted = enact_judged(judged, ports, report, earlier, about)
    return Done(enacted.outcomes, enacted.left, tuple(sorted(failing.names)), failing.are_too_many)


def _approval(workspace: "Workspace", proposal: Proposal, wanted: Wanted) -> Mapping[str, str]:
    """Return who has said yes to a proposal, with what proves it; empty where nobody has.

    `ApprovalError` for a signature that does not count, `UsageError` where the workspace lets nobody do without.
    """
    if wanted.gives_back and _only_gives_back(workspace, proposal):
        return {"by": GIVEN_BACK}
    signed = wanted.signed() if workspace.settings.approval.is_needed else None
    if signed is not None:
        whose = approving(workspace.settings.approval, workspace.now())
        approval = whose.checked(signed.content, proposal, signed.signature, workspace.operator())
        used = made_with_approval(workspace.journal.rows(), proposal)
        again = [change for change in proposal.changes if change.id in used]
        if again:
            raise ApprovalError(
                f"{approval.by} said yes to this once, and it was made: {again[0].id}, {again[0].in_words()}",
                "Propose anew, and let it be approved again",
            )
        return approval.as_data()
    if not wanted.without_approval.strip():
        return {}
    if not workspace.settings.approval.without:
        raise UsageError(
            "nothing is enacted here without approval", "Let somebody else run: adzeguard approve PROPOSAL"
        )
    return {"by": BROKEN_GLASS, "why": wanted.without_approval}


def _only_gives_back(workspace: "Workspace", proposal: Proposal) -> bool:
    """Whether every change takes away, or shortens, what a lease of ours gave."""
    given = {lease.pair for lease in Leases(workspace.database).all()}
    return all(
        isinstance(change, MembershipChange)
        and not isinstance(change, AddMember | AddLocalMember)
        and (change.host_name.casefold(), change.group.sid, change.member.sid) in given
        for change in proposal.changes
    )


def _tell_owners(workspace: "Workspace", proposal: Proposal, why: str) -> None:
    """Tell every owner at once that glass is broken, before anything is changed; what cannot be told is kept."""
    with workspace.tellers() as tellers:
        owner = workspace.settings.questions.owner
        letters = alarms(workspace.written_charter, tellers, owner, workspace.operator(), why, proposal)
        if letters:
            with workspace.database.writing() as connection:
                keep_letters(connection, letters, workspace.now())
        told = tell_waiting(Letters(workspace.database), tellers)
    kept = f", {told.untold} are kept and tried again" if told.untold else ""
    workspace.frontend.say(f"Glass is broken: {why}. Letters to owners: {told.told} told{kept}.")


@dataclass
class _Failing:
    """The hosts on which something could not be made, and how many may fail before nothing more is begun."""

    most: int | None
    names: set[str] = field(default_factory=set)

    def note(self, outcome: Outcome) -> None:
        """Take in what became of a change."""
        if outcome.change.host_name and outcome.status in _FAILURES:
            self.names.add(outcome.change.host_name)

    @property
    def are_too_many(self) -> bool:
        """Whether more have failed than may."""
        return self.most is not None and len(self.names) > self.most
