"""The judge: a proposal that has passed every guard, as a value that nothing else can make.

What writes takes this value, or one change out of it. So the type checker, and at the latest the running program,
refuses a write that no guard has seen.
"""

from collections.abc import Mapping, Sequence
from typing import Final

from adzeguard.core.change.change import Change
from adzeguard.core.change.guards.all import pass_guards
from adzeguard.core.change.guards.case import Case
from adzeguard.core.change.proposal import Proposal
from adzeguard.core.estate.named import Named

_SEAL: Final = object()


class Allowed:
    """One change that may be made."""

    __slots__ = ("change",)

    def __init__(self, change: Change, seal: object) -> None:
        """Only `Judged` makes one."""
        if seal is not _SEAL:
            raise TypeError("a change is allowed by the judge alone: see judge()")
        self.change: Final = change


class Judged:
    """A proposal that may be enacted, with the case in which the guards saw it."""

    __slots__ = ("_ids", "_made", "case", "proposal")

    def __init__(self, proposal: Proposal, case: Case, made: Sequence[Change], seal: object) -> None:
        """Only `judge` makes one."""
        if seal is not _SEAL:
            raise TypeError("a proposal is allowed by the judge alone: see judge()")
        self.proposal: Final = proposal
        self.case: Final = case
        self._ids = frozenset(change.id for change in proposal.changes)
        self._made = frozenset(change.id for change in made)

    def allowed(self, change: Change) -> Allowed:
        """Return a change of the proposal as one that may be made; `ValueError` for any other."""
        if change.id not in self._ids:
            raise ValueError(f"{change.id} is no change of the proposal that was judged")
        return Allowed(change, _SEAL)

    def allowed_back(self, change: Change, groups: Mapping[str, Named]) -> Allowed | None:
        """Return what takes a change of this enactment back, or None if nothing does.

        A host on which one change fails gets back what stood before, which the guards saw as it stood.
        """
        if change.id not in self._ids | self._made:
            raise ValueError(f"{change.id} is no change of the enactment that was judged")
        back = change.taken_back(change, groups)
        return Allowed(back, _SEAL) if back is not None else None


def judge(proposal: Proposal, case: Case, made: Sequence[Change] = ()) -> Judged:
    """Return a proposal as one that may be enacted; `GuardError` with each reason why it must not.

    The guards look at `case`, which must be about the changes of this very proposal, weighed in the estate of today.
    `made` are the changes that an earlier try of the same enactment has made.
    """
    if tuple(case.changes) != tuple(proposal.changes):
        raise ValueError("the case is about other changes than the proposal's")
    pass_guards(case)
    return Judged(proposal, case, made, _SEAL)
