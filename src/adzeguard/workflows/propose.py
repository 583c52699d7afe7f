"""Propose: the one way in which a draft becomes a proposal."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import field
from datetime import datetime

from adzeguard.core.change.change import Change
from adzeguard.core.change.draft import Draft
from adzeguard.core.change.guards.all import pass_guards_when_made
from adzeguard.core.change.guards.case import Case
from adzeguard.core.change.kinds.object_change import ObjectChange
from adzeguard.core.change.order import in_order
from adzeguard.core.change.proposal import Proposal
from adzeguard.core.change.reach_impact import Privilege, weighed
from adzeguard.core.change.recheck import misstatements
from adzeguard.core.change.words import with_words
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.errors import GuardError, ProposalFileError
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.principal import Principal
from adzeguard.core.limits import Limits
from adzeguard.core.review.leased import leased_by_rules
from adzeguard.core.values import dataclass

_UNTRUTHS_SHOWN = 12


@dataclass(frozen=True)
class Proposer:
    """In which estate, under which charter and by whom a proposal is made."""

    estate: Estate
    privilege: Privilege
    charter: Callable[[], ResolvedCharter]
    """Resolved when a guard first needs it."""
    collection: int
    now: datetime
    by: str
    limits: Limits
    operator: Principal | None
    taken_out: Mapping[str, int]
    """How many members were taken out of each group in the last day, by its SID."""
    ending: Sequence[Change] = ()
    """What is taken away at the ends of leases."""
    comes_in_by: Mapping[str, str] = field(default_factory=dict)
    """By source of hosts, the account of each host's own by which we come to it."""
    made_before: Callable[[], Sequence[Change]] = tuple
    """Gives what was ever made here."""


@dataclass(frozen=True, slots=True)
class Proposed:
    """A proposal that passed the guards, and the sizes that must be named when it is enacted."""

    proposal: Proposal
    past_limits: Sequence[str]


def proposed(draft: Draft, proposer: Proposer) -> Proposed:
    """Put the changes in order, weigh them, and hold them against the guards: `GuardError` where they would do harm."""
    proposal = with_words_and_impact(draft, proposer)
    if not proposal.changes:
        return Proposed(proposal, ())
    charter = proposer.charter()
    case = Case(
        proposer.estate,
        proposal.changes,
        charter,
        proposer.limits,
        operator=proposer.operator,
        reach_impacts=proposal.impact.reach,
        privileged=proposer.privilege.sids,
        taken_out=proposer.taken_out,
        ending=(*proposer.ending, *leased_by_rules(proposer.estate, charter)),
        comes_in_by=proposer.comes_in_by,
        now=proposer.now,
        made_before=proposer.made_before,
    )
    return Proposed(proposal, tuple(pass_guards_when_made(case)))


def believed(privilege: Privilege, proposal: Proposal) -> Proposal:
    """Return a proposal that came from a file, if it says what it does; `GuardError` names each untruth in it.

    What it notes beside its changes is left away: nobody can tell any more who wrote that.
    """
    if proposal.domain_sid != privilege.rights.estate.domain.sid:
        raise ProposalFileError("the proposal was made for another domain", "Make one here: adzeguard propose")
    untrue = list(misstatements(privilege, proposal))
    if untrue:
        raise GuardError([*untrue[:_UNTRUTHS_SHOWN], "Make the proposal again: adzeguard propose --output FILE"])
    return proposal.model_copy(update={"notes": (), "left_out": ()})


def impact_of_rest(proposal: Proposal, left: Sequence[Change], privilege: Privilege) -> Proposal:
    """Return what is left of a proposal as one of its own, with what it comes to now."""
    changes = tuple(left)
    return proposal.model_copy(update={"changes": changes, "impact": weighed(privilege, changes), "notes": ()})


def with_words_and_impact(draft: Draft, proposer: Proposer) -> Proposal:
    """Return a draft as a proposal, with its words and what it comes to."""
    changes = in_order(draft.changes)
    if any(isinstance(change, ObjectChange) for change in changes):
        changes = with_words(proposer.privilege.rights, changes)
    return Proposal(
        made_at=proposer.now,
        made_by=proposer.by,
        collection=proposer.collection,
        domain_sid=proposer.estate.domain.sid,
        changes=changes,
        left_out=draft.left_out,
        notes=draft.notes,
        impact=weighed(proposer.privilege, changes),
    )
