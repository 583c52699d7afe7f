"""Reviews: for each owner what they own, with who is inside and how, to be kept or taken out by an answer."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import field
from datetime import datetime
from hashlib import blake2b
from typing import Final

from adzeguard.core.access.chains import chain_in_words
from adzeguard.core.access.members import Access, members_of
from adzeguard.core.change.by_hand.members import memberships_by_hand
from adzeguard.core.change.by_hand.objects import rights_change
from adzeguard.core.change.by_hand.on_host import members_on
from adzeguard.core.change.change import BY_HAND_RULE, Change
from adzeguard.core.change.draft import Draft, LeftOut
from adzeguard.core.charter.grant_rule import ResolvedGrant
from adzeguard.core.charter.group_rule import ResolvedGroupRule
from adzeguard.core.charter.local_group_rule import ResolvedLocalGroupRule
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.charter.scopes import HostScopes
from adzeguard.core.descriptors.ace import Ace
from adzeguard.core.errors import AdzeguardError
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.hosts import Host
from adzeguard.core.estate.moments import moment
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.names import on_host
from adzeguard.core.estate.principal import Kind, Principal
from adzeguard.core.identity import Sid
from adzeguard.core.review.correction import Correction
from adzeguard.core.rights.delegations import Delegation, Rights
from adzeguard.core.values import dataclass
from adzeguard.core.wellknown import ADMINISTRATORS
from adzeguard.core.wording import printable

KEEP: Final = "keep"
TAKE_OUT: Final = "take out"
ANSWERS: Final = (KEEP, TAKE_OUT)
_ALSO_MEAN: Final = {
    **dict.fromkeys(("keep", "keeps", "stay", "stays"), KEEP),
    **dict.fromkeys(("take out", "takeout", "take-out", "out", "remove", "removed", "leaves"), TAKE_OUT),
}
"""What people write; yes and no are not among it, since each could be meant either way."""


@dataclass(frozen=True, slots=True)
class Item:
    """One thing to be answered. Its identity is what it is about; the rest is for the person who answers.

    `what` is "group", "host" or "grant"; `through` says how a member got in, empty for a direct one.
    """

    what: str
    where: str
    where_sid: str
    member: str
    member_sid: str
    kind: str
    through: str = ""
    since: str = ""
    by: str = ""
    last_used: str = ""
    entries: tuple[str, ...] = ()
    """Of a grant the entries by which it stands, in hexadecimal."""

    @property
    def id(self) -> str:
        """By what its answer is found again: short, and the same after a renaming."""
        parts = (self.what, self.where_sid or self.where, self.member_sid or self.member, *self.entries)
        return blake2b("\0".join(parts).encode(), digest_size=6).hexdigest()

    @property
    def shown(self) -> dict[str, str]:
        """What stands in a form beside its answer, none of which may be changed there."""
        return {
            "what": self.what,
            "where": self.where,
            "member": self.member,
            "kind": self.kind,
            "through": self.through,
            "since": self.since,
            "by": self.by,
            "last used": self.last_used,
        }


@dataclass(frozen=True, slots=True)
class Answer:
    """What the owner says of an item."""

    answer: str
    reason: str = ""


@dataclass(frozen=True)
class Review:
    """What one owner was asked, until when, and what was answered so far, by the ids of items."""

    id: str
    owner: str
    made_at: datetime
    until: datetime
    by: str
    items: tuple[Item, ...]
    answers: Mapping[str, Answer] = field(default_factory=dict)

    @property
    def unanswered(self) -> int:
        """How many items wait for an answer."""
        return sum(item.id not in self.answers for item in self.items)

    @property
    def taken_out(self) -> int:
        """How many answers take somebody out."""
        return sum(answer.answer == TAKE_OUT for answer in self.answers.values())


Origins = Mapping[tuple[str, str], tuple[str, str]]
"""By the SIDs of a group and its member since when it is so, and by whom, in words."""


@dataclass(frozen=True)
class Owned:
    """Where items come from."""

    rights: Rights
    charter: ResolvedCharter
    deputy: str
    """Who answers where nobody is the owner, or where the owner would answer about themselves."""

    @property
    def estate(self) -> Estate:
        """The estate."""
        return self.rights.estate


def items_by_owner(
    owned: Owned, groups: Iterable[Principal] | None, hosts: Iterable[Host] | None
) -> dict[str, list[Item]]:
    """Return the items of each owner: of given groups and hosts, or of all that somebody owns, grants included."""
    everything = groups is None and hosts is None
    found: dict[str, list[Item]] = {}
    pairs = [
        *_of_groups(owned, _owned_groups(owned) if groups is None and everything else groups or ()),
        *_of_hosts(owned, owned.estate.hosts if hosts is None and everything else hosts or (), only_owned=everything),
        *(_of_grants(owned) if everything else ()),
    ]
    for owner, item in pairs:
        # Nobody answers about themselves.
        whom = owned.deputy if owner == item.member else owner
        found.setdefault(whom, []).append(item)
    return {owner: items for owner, items in found.items() if owner}


def owned_by_nobody(owned: Owned, groups: Iterable[Principal] | None) -> list[str]:
    """Return the names of groups with members that are in no review, since nobody would answer: of these, or of all.

    Of all groups the deputy is asked about none: there are too many, and they are told to nobody in silence.
    """
    if groups is not None:
        return [one.qualified_name for one in groups if not (owned.deputy or _owner_of_group(owned, one))]
    catalogue, graph = owned.estate.catalogue, owned.estate.graph
    every = catalogue.principals(catalogue.of_kind(Kind.GROUP).tolist()).values()
    inside = (one for one in every if graph.direct_members(one.id).size or graph.primary_members(one.id).size)
    return [one.qualified_name for one in inside if not _owner_of_group(owned, one)]


def asked_already(reviews: Iterable[Review], now: datetime) -> dict[tuple[str, str], str]:
    """Return by owner and item in which review that is not over an answer is awaited."""
    return {
        (one.owner.casefold(), item.id): one.id
        for one in reviews
        if one.until > now
        for item in one.items
        if item.id not in one.answers
    }


def _owned_groups(owned: Owned) -> Iterator[Principal]:
    catalogue = owned.estate.catalogue
    for group in catalogue.principals(catalogue.of_kind(Kind.GROUP).tolist()).values():
        if _owner_of_group(owned, group):
            yield group


def _owner_of_group(owned: Owned, group: Principal) -> str:
    """The manager whom the directory notes, otherwise the owner of a rule about the group."""
    manager = owned.estate.catalogue.by_dn(str(group.details.get("managed_by", "")))
    if manager is not None:
        return owned.estate.principal(manager).qualified_name
    rules = owned.charter.of(ResolvedGroupRule)
    return next((rule.rule.owner for rule in rules if rule.rule.owner and rule.group.id == group.id), "")


def _of_groups(owned: Owned, groups: Iterable[Principal]) -> Iterator[tuple[str, Item]]:
    for group in sorted(groups, key=lambda one: one.qualified_name.casefold()):
        owner = _owner_of_group(owned, group) or owned.deputy
        for access in members_of(owned.estate, group):
            if access.principal.kind != Kind.GROUP or access.direct:
                yield owner, _in_group(group, access)


def _in_group(group: Principal, access: Access) -> Item:
    member = access.principal
    used = member.details.get("last_logon")
    return Item(
        "group",
        group.qualified_name,
        str(group.sid or ""),
        member.qualified_name,
        str(member.sid or ""),
        member.label,
        "" if access.direct else chain_in_words(access),
        last_used=_day(used),
    )


def _of_hosts(owned: Owned, hosts: Iterable[Host], *, only_owned: bool) -> Iterator[tuple[str, Item]]:
    scopes = HostScopes(owned.charter.of(ResolvedLocalGroupRule))
    for host in hosts:
        if host.state is None:
            continue
        about = [one.rule for one in scopes.on(host) if one.rule.local_group == ADMINISTRATORS and one.rule.rule.owner]
        owner = about[0].rule.owner if about else "" if only_owned else owned.deputy
        group = host.state.group(ADMINISTRATORS)
        members = on_host(owned.estate, host.state, host.name, group.members) if owner and group is not None else {}
        for sid, member in members.items():
            label, used = member.label, _day(member.details.get("last_logon"))
            yield owner, Item("host", host.name, host.sid, member.qualified_name, str(sid), label, last_used=used)


def _of_grants(owned: Owned) -> Iterator[tuple[str, Item]]:
    rules = [rule for rule in owned.charter.of(ResolvedGrant) if rule.rule.owner]
    for one in owned.rights.own_grants():
        owner = next((rule.rule.owner for rule in rules if rule.over.id == one.over.id), "")
        if owner:
            yield owner, _grant(one)


def _grant(one: Delegation) -> Item:
    entries = tuple(entry.to_bytes().hex() for entry in one.grant.entries)
    return Item(
        "grant",
        one.over.dn,
        str(one.over.sid or ""),
        one.holder.qualified_name,
        str(one.holder.sid or ""),
        one.holder.label,
        one.sentence,
        entries=entries,
    )


def _day(seconds: object) -> str:
    at = moment(seconds)
    return f"{at:%Y-%m-%d}" if at is not None else ""


def what_answers_ask_for(estate: Estate, review: Review) -> Draft:
    """Return the changes for what is to be taken out; what cannot be taken out so is said."""
    changes: list[Change] = []
    left_out: list[LeftOut] = []
    for item in review.items:
        answer = review.answers.get(item.id)
        if answer is None or answer.answer != TAKE_OUT:
            continue
        why = f"review {review.id} by {review.owner}: {answer.reason}"
        try:
            draft = _taken_out(estate, item, why)
        except AdzeguardError as error:
            draft = Draft((), (_left(item, error.message.splitlines()[0]),))
        changes += draft.changes
        left_out += draft.left_out
    return Draft(tuple(changes), tuple(left_out))


def _taken_out(estate: Estate, item: Item, why: str) -> Draft:
    if item.what == "host":
        host = estate.hosts_by_name.get(item.where.casefold())
        if host is None:
            return Draft((), (_left(item, "the host is not there any more"),))
        return members_on(estate, host, "administrators", [item.member_sid], why, add=False)
    if item.what == "grant":
        over = estate.catalogue.by_dn(item.where)
        if over is None:
            return Draft((), (_left(item, "the object is not there any more"),))
        entries = [Ace.from_bytes(bytes.fromhex(entry)) for entry in item.entries]
        return Draft.of([rights_change(Named.of(estate.principal(over)), takes=entries, why=why)])
    ids = estate.ids_of_sids([Sid(sid) for sid in (item.where_sid, item.member_sid) if sid])
    group, member = (ids.get(Sid(sid)) if sid else None for sid in (item.where_sid, item.member_sid))
    if group is None or member is None:
        return Draft((), (_left(item, "the group or the member is not there any more"),))
    return memberships_by_hand(estate, (), [(estate.principal(group), estate.principal(member))], why)


def _left(item: Item, reason: str) -> LeftOut:
    return LeftOut(subject=item.where, member=item.member, rule=BY_HAND_RULE, reason=reason)


def with_origins(items: Iterable[Item], origins: Origins) -> list[Item]:
    """Return items with since when they are so and by whom, as far as that is known."""
    from dataclasses import replace

    found = []
    for item in items:
        since, by = origins.get((item.where_sid, item.member_sid), ("", "")) if item.what == "group" else ("", "")
        found.append(replace(item, since=since, by=by))
    return found


@dataclass(frozen=True, slots=True)
class Returned:
    """What a file brings back: the review that it says it is of, its rows, and where each stands in it."""

    review: str
    rows: Sequence[Mapping[str, str]]
    at: Sequence[str]


def checked_answers(review: Review, rows: Sequence[Mapping[str, str]], at: Sequence[str]) -> dict[str, Answer]:
    """Return the answers of a form's rows; `TamperedError` where anything but the answers was changed.

    `at` says of each row where it stands in the file. A row that is missing is an item without an answer.
    """
    from adzeguard.core.errors import TamperedError

    items = {item.id: item for item in review.items}
    answers: dict[str, Answer] = {}
    seen: set[str] = set()
    for row, where in zip(rows, at, strict=True):
        item = items.get(row.get("item", ""))
        if item is None or item.id in seen:
            raise TamperedError(f"{where}: this line is none of review {review.id}, or stands there twice")
        seen.add(item.id)
        for key, value in item.shown.items():
            # Forms show what is printable alone; a quote before a sign of formulas is taken for theirs.
            if printable(value) not in (row.get(key, ""), f"'{row.get(key, '')}"):
                raise TamperedError(f"{where}: '{key}' was changed; only answer and reason may be")
        written, reason = (row.get(key, "").strip() for key in ("answer", "reason"))
        if not written and not reason:
            continue
        answer = _ALSO_MEAN.get(" ".join(written.casefold().split()), "")
        if not answer:
            raise TamperedError(f"{where}: the answer '{written}' is none of {', '.join(ANSWERS)}")
        if answer == TAKE_OUT and not reason:
            raise TamperedError(f"{where}: 'take out' wants a reason")
        answers[item.id] = Answer(answer, reason)
    return answers


def overdue(reviews: Iterable[Review], now: datetime, deputy: str) -> Iterator[Correction]:
    """Yield what was not answered in time: the deputy is asked about it, until it is answered."""
    for one in reviews:
        if one.unanswered and one.until < now and deputy and deputy != one.owner:
            waits = f"{one.unanswered} of {len(one.items)} lines of review {one.id} for {one.owner}"
            message = f"{waits} were not answered by {one.until:%Y-%m-%d}: adzeguard review write {one.id} --output DIR"
            yield Correction("review-unanswered", Named(one.owner, ""), message, f"review-{one.id.casefold()}", deputy)
