"""Reviews: owners are asked who is to be kept, and who is not is taken out."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import replace
from datetime import datetime, timedelta
from typing import TYPE_CHECKING

from adzeguard.core.change.draft import Draft
from adzeguard.core.cleaning.reviewed import (
    Item,
    Owned,
    Returned,
    Review,
    asked_already,
    checked_answers,
    items_by_owner,
    owned_by_nobody,
    what_answers_ask_for,
    with_origins,
)
from adzeguard.core.errors import UsageError
from adzeguard.core.estate.hosts import Host
from adzeguard.core.estate.names import resolve
from adzeguard.core.views.reviews import reviews_table
from adzeguard.core.views.table import Table
from adzeguard.core.wording import some_of
from adzeguard.store.reviews import Reviews
from adzeguard.workflows.origins import origins_of_pairs
from adzeguard.workflows.propose import Proposed

if TYPE_CHECKING:
    from adzeguard.workspace.open_workspace import Workspace

_USUAL_WAIT = timedelta(days=30)
_WAY_TO_OWN = "Note managers of groups, owners of rules, or [questions] owner"


def begin(
    workspace: "Workspace",
    owners: Sequence[str] = (),
    groups: Sequence[str] = (),
    hosts: Sequence[str] = (),
    until: datetime | None = None,
) -> list[Review]:
    """Begin a review for each owner of these groups and hosts, or of everything; return them by owner."""
    estate, now = workspace.estate, workspace.now()
    named_groups = [resolve(estate, name) for name in groups] if groups or hosts else None
    named_hosts = [_host(workspace, name) for name in hosts] if groups or hosts else None
    owned = Owned(workspace.rights, workspace.charter, workspace.settings.questions.owner)
    meant = {owner.casefold() for owner in owners}
    by_owner = {
        owner: items
        for owner, items in items_by_owner(owned, named_groups, named_hosts).items()
        if not meant or owner.casefold() in meant
    }
    _say_what_nobody_owns(workspace, owned_by_nobody(owned, named_groups))
    if not by_owner:
        raise UsageError("nobody owns anything of that", _WAY_TO_OWN)
    origins = origins_of_pairs(_pairs(by_owner.values()), workspace.past)
    made, by, end = [], workspace.operator(), until or now + _USUAL_WAIT
    with workspace.held("review start"):
        reviews = Reviews(workspace.database)
        known = reviews.all()
        by_owner = _not_asked_yet(workspace, by_owner, asked_already(known, now))
        last = max((int(one.id[1:]) for one in known), default=0)
        for number, (owner, items) in enumerate(sorted(by_owner.items()), last + 1):
            made.append(Review(f"R{number}", owner, now, end, by, tuple(with_origins(items, origins))))
            reviews.write(made[-1])
    return made


def _say_what_nobody_owns(workspace: "Workspace", names: Sequence[str]) -> None:
    if names:
        them = f"{len(names)} groups are" if len(names) > 1 else "1 group is"
        workspace.frontend.say(f"{them} owned by nobody, and in no review: {some_of(names)}. {_WAY_TO_OWN}")


def _not_asked_yet(
    workspace: "Workspace", by_owner: Mapping[str, Sequence[Item]], asked: Mapping[tuple[str, str], str]
) -> dict[str, list[Item]]:
    """Leave out what an owner is asked already: two lines about one thing could come back with two answers."""
    left = {
        owner: [item for item in items if (owner.casefold(), item.id) not in asked] for owner, items in by_owner.items()
    }
    count = sum(map(len, by_owner.values())) - sum(map(len, left.values()))
    if count:
        wanted = {(owner.casefold(), item.id) for owner, items in by_owner.items() for item in items}
        names = some_of(sorted({name for pair, name in asked.items() if pair in wanted}, key=lambda one: int(one[1:])))
        waits = f"{count} line{'s' * (count != 1)} of that wait for an answer already, in {names}"
        if not any(left.values()):
            raise UsageError(waits, "See: adzeguard review list; write it again: adzeguard review write")
        workspace.frontend.say(f"{waits}, and are not asked again")
    return {owner: items for owner, items in left.items() if items}


def review_called(workspace: "Workspace", name: str) -> Review:
    """Return a review by its id."""
    return Reviews(workspace.database).one(name)


def take_answers(workspace: "Workspace", several: Iterable[Returned]) -> Iterator[tuple[Review, int]]:
    """Take what came back, and yield each review with how many answers it gave; a tampered one is refused whole."""
    reviews = Reviews(workspace.database)
    with workspace.held("review read"):
        for returned in several:
            review = reviews.one(returned.review)
            answers = checked_answers(review, returned.rows, returned.at)
            answered = replace(review, answers={**review.answers, **answers})
            reviews.write(answered)
            yield answered, len(answers)


def listed(workspace: "Workspace") -> Table:
    """Return each review: whose, until when, and how much is answered."""
    return reviews_table(Reviews(workspace.database).all(), workspace.now())


def proposed_by_answers(workspace: "Workspace", names: Sequence[str]) -> Proposed:
    """Return the proposal that takes out whom the answers say."""
    with workspace.in_one_moment():
        drafts = [what_answers_ask_for(workspace.estate, review_called(workspace, name)) for name in names]
        changes = tuple(change for draft in drafts for change in draft.changes)
        return workspace.proposed(Draft(changes, tuple(left for draft in drafts for left in draft.left_out)))


def _pairs(several: Iterable[Sequence[Item]]) -> list[tuple[str, str]]:
    return [(item.where_sid, item.member_sid) for items in several for item in items if item.what == "group"]


def _host(workspace: "Workspace", name: str) -> Host:
    host = workspace.estate.host_named(name)
    if host is None:
        raise UsageError(f"there is no host '{name}'", "See: adzeguard hosts list")
    return host
