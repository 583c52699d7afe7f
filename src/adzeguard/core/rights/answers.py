"""Who may do what: the answers for one person, and for everybody at once."""

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from adzeguard.core.access.members import like_everyone, proof_in_group
from adzeguard.core.descriptors.ace import Right
from adzeguard.core.descriptors.descriptor import Descriptor
from adzeguard.core.descriptors.inheritance import inherited_entries
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.links import Ids
from adzeguard.core.estate.principal import ACCOUNTS, Kind, Principal
from adzeguard.core.identity import Sid, parent_dn
from adzeguard.core.rights.evaluate import (
    OWNER_RIGHTS,
    SELF,
    Decision,
    Question,
    decide,
    owner_has_the_rights,
    speaks_about,
)
from adzeguard.core.rights.questions import Asked
from adzeguard.core.rights.schema import Schema
from adzeguard.core.values import dataclass
from adzeguard.core.wellknown import RID_OF_ADMINISTRATORS, WELL_KNOWN

_Bools = NDArray[np.bool_]
_SITUATIONS = (WELL_KNOWN["everyone"], WELL_KNOWN["authenticated-users"], WELL_KNOWN["network"])
"""What everybody is who has bound to the directory over the network."""


@dataclass(frozen=True, slots=True)
class Answer:
    """Whether somebody may, the decision that settles it, and through which membership it is theirs."""

    allowed: bool
    decision: Decision
    through: tuple[str, ...]
    never: str = ""
    doubt: Principal | None = None
    """A group of another domain by which it could be otherwise, since nobody here knows who is inside."""

    @property
    def because(self) -> str:
        """Why, in a few words."""
        if self.never:
            return self.never
        if self.decision.as_owner:
            return "owns the object"
        return "" if self.decision.entry is not None else "no entry gives it"


class Tokens:
    """The SIDs that somebody acts with: their own, those of all their groups, and those of everybody."""

    def __init__(self, estate: Estate) -> None:
        self._estate = estate
        everybody = estate.catalogue.principals(like_everyone(estate))
        standing = [i for i, principal in everybody.items() if principal.sid in _SITUATIONS]
        inside = {g for i in standing for g in estate.graph.effective_groups(i).tolist()}
        self._of_everybody = frozenset(_SITUATIONS) | self._sids(inside)
        self._known: dict[int, frozenset[str]] = {}

    def of(self, principal: Principal) -> frozenset[str]:
        """Return the SIDs of one person, computer or group, in whatever domain they count."""
        if principal.id not in self._known:
            groups = set(self._estate.graph.effective_groups(principal.id).tolist()) if principal.id >= 0 else set()
            self._known[principal.id] = frozenset({principal.sid or ""}) | self._sids(groups) | self._of_everybody
        return self._known[principal.id]

    def at(self, principal: Principal, target: Principal) -> frozenset[str]:
        """Return the SIDs that somebody acts with where an object is looked after."""
        token = self.of(principal)
        if not self._estate.domain.others:
            return token
        own = self._estate.domain.of_sid(principal.sid or "")
        counting = ((sid, self._estate.counts_at(sid, target.dn)) for sid in token)
        return frozenset(sid for sid, of in counting if of is not None and (of.others or of.sid == (own and own.sid)))

    @property
    def of_everybody(self) -> frozenset[str]:
        """The SIDs that everybody has."""
        return self._of_everybody

    def _sids(self, groups: Iterable[int]) -> frozenset[str]:
        return frozenset(p.sid for p in self._estate.catalogue.principals(groups).values() if p.sid)


def answer(
    estate: Estate, tokens: Tokens, who: Principal, target: Principal, right: Asked, descriptor: Descriptor
) -> Answer:
    """Answer for one person; the first question that is answered with no settles it."""
    token, own = tokens.at(who, target), target.sid or ""
    rulers = administrators_over(estate, target)
    decision = Decision(allowed=False)
    if right.never:
        return Answer(decision.allowed, decision, (who.qualified_name,), right.never)
    above = container_descriptor(estate, target) if right.or_container is not None else None
    decision = _all_decided(right, descriptor, above, token, own, rulers)
    doubts = (
        other
        for other in estate.groups_that_may_hold(who)
        if _all_decided(right, descriptor, above, token | tokens.at(other, target), own, rulers).allowed
        != decision.allowed
    )
    return Answer(decision.allowed, decision, _through(estate, who, decision), doubt=next(doubts, None))


def _all_decided(
    right: Asked, descriptor: Descriptor, above: Descriptor | None, token: frozenset[str], own: str, rulers: Sid
) -> Decision:
    """The first question that is answered with no settles it, unless what it lies in lets."""
    decision = Decision(allowed=False)
    for question in right.questions:
        decision = _decided(descriptor, token, own, question, rulers)
        if not decision.allowed:
            break
    if not decision.allowed and right.or_container is not None and above is not None:
        other = _decided(above, token, "", right.or_container, rulers)
        decision = other if other.allowed else decision
    return decision


def administrators_over(estate: Estate, target: Principal) -> Sid:
    """Return the administrators of the domain that an object is of."""
    return Sid(f"{estate.domain.holding(target.dn).builtin}-{RID_OF_ADMINISTRATORS}")


def _decided(descriptor: Descriptor, token: frozenset[str], own: str, question: Question, rulers: Sid) -> Decision:
    """Administrators may always take ownership, regardless of the entries ([MS-ADTS] 5.1.3.2, SeTakeOwnership)."""
    if question.right == Right.WRITE_OWNER and rulers in token:
        return Decision(allowed=True, as_owner=True)
    return decide(descriptor, token, own, question)


def _through(estate: Estate, who: Principal, decision: Decision) -> tuple[str, ...]:
    """The chain from the person to whom the deciding entry is about."""
    if decision.entry is None or decision.entry.sid is None or decision.entry.sid in (SELF, OWNER_RIGHTS):
        return (who.qualified_name,)
    holder = estate.id_of_sid(decision.entry.sid)
    if holder is None or holder == who.id or estate.graph.position_of(holder) is None:
        return (who.qualified_name,)
    access = proof_in_group(estate, who, estate.principal(holder))
    steps = [step.principal.qualified_name for step in access.chain] if access else []
    return tuple(reversed(steps)) or (who.qualified_name, estate.principal(holder).qualified_name)


def container_descriptor(estate: Estate, target: Principal) -> Descriptor | None:
    """Return the descriptor of what an object lies in, where there is one."""
    found = estate.catalogue.by_dn(parent_dn(target.dn))
    raw = estate.catalogue.descriptors([found]).get(found) if found is not None else None
    return Descriptor.from_bytes(raw) if raw else None


def asked_descriptor(estate: Estate, target: Principal, right: Asked, schema: Schema) -> Descriptor | None:
    """Return the descriptor that a right is asked of: the object's own, or that of an object of a class below it."""
    raw = estate.catalogue.descriptors([target.id]).get(target.id)
    if raw is None:
        return None
    descriptor = Descriptor.from_bytes(raw)
    if not right.on_class:
        return descriptor
    below = inherited_entries(descriptor.entries, schema.classes[right.on_class], None)
    return Descriptor(None, None, None).with_entries(below)


class Everybody:
    """Who of all people may do something, by one pass over the entries instead of one for each person.

    `groups_too` answers for groups as well: for what their members have by the group alone.
    """

    def __init__(self, estate: Estate, tokens: Tokens, *, groups_too: bool = False) -> None:
        self._estate = estate
        self._everybody = tokens.of_everybody
        self._groups_too = groups_too
        self._known: dict[str, _Bools] = {}
        self._people = estate.of_kinds(ACCOUNTS | {Kind.GROUP} if groups_too else ACCOUNTS)
        self._people[list(estate.of_other_domains)] = True

    @property
    def people(self) -> _Bools:
        """For each id whether it is somebody who acts: a user, a computer, or somebody of another domain."""
        return self._people

    def allowed(self, target: Principal, right: Asked, descriptor: Descriptor) -> _Bools:
        """Return for each id whether it is somebody who may."""
        if right.never:
            return np.zeros(len(self._people), bool)
        allowed = self._people.copy()
        for question in right.questions:
            allowed &= self._to_one(target, question, descriptor, target)
        if right.or_container is not None:
            above = container_descriptor(self._estate, target)
            allowed |= self._to_one(None, right.or_container, above, target) if above is not None else False
        return allowed

    def _to_one(self, target: Principal | None, question: Question, descriptor: Descriptor, where: Principal) -> _Bools:
        allowed, denied = np.zeros(len(self._people), bool), np.zeros(len(self._people), bool)
        owner = self.having(descriptor.owner, None) if descriptor.owner else np.zeros(len(self._people), bool)
        if owner_has_the_rights(descriptor) and question.right & (Right.READ_CONTROL | Right.WRITE_DAC):
            allowed |= owner
        if question.right == Right.WRITE_OWNER:
            allowed |= self.having(administrators_over(self._estate, where), None)
        for entry in descriptor.entries:
            if not speaks_about(entry, question) or (entry.conditional and not entry.denies) or entry.sid is None:
                continue
            of = self._estate.counts_at(entry.sid, where.dn)
            if of is None:
                continue
            about = owner if entry.sid == OWNER_RIGHTS else self.having(entry.sid, target)
            if of is not self._estate.domain:
                about = self._among(about, self._estate.ids_in(of))
            if entry.denies:
                denied |= about & ~allowed
            else:
                allowed |= about & ~denied
        return allowed & self._people

    def _among(self, about: _Bools, ids: Ids) -> _Bools:
        few = np.zeros(len(about), bool)
        few[ids] = about[ids]
        return few

    def having(self, sid: Sid, target: Principal | None) -> _Bools:
        """Return who acts with a SID; the one for itself is the object's own."""
        if sid == SELF:
            alone = np.zeros(len(self._people), bool)
            if target is not None and target.id >= 0:
                alone[target.id] = True
            return alone
        if sid not in self._known:
            self._known[sid] = self._with(sid)
        return self._known[sid]

    def _with(self, sid: Sid) -> _Bools:
        if sid in self._everybody:
            return self._people
        inside = np.zeros(len(self._people), bool)
        found = self._estate.id_of_sid(sid)
        if found is None:
            return inside
        inside[found] = True
        if self._estate.graph.position_of(found) is not None and self._estate.graph.grants_access(found):
            expansion = self._estate.graph.expand(found)
            inside[expansion.members if self._groups_too else expansion.people] = True
        return inside
