"""By which rights over an object somebody could become what it is, or put themselves into it."""

from collections.abc import Iterator
from dataclasses import dataclass

from adzeguard.core.descriptors.ace import Ace, Right
from adzeguard.core.descriptors.descriptor import Descriptor
from adzeguard.core.estate.principal import Kind
from adzeguard.core.identity import Sid
from adzeguard.core.rights.evaluate import SELF, Question, owner_has_the_rights, speaks_about
from adzeguard.core.rights.schema import Schema

MEMBERS, JOINING, PASSWORD, RIGHTS, OWNER, OWNS = (
    "may change its members",
    "may put themselves into it",
    "may reset its password",
    "may change its rights",
    "may take its ownership",
    "owns it",
)


@dataclass(frozen=True, slots=True)
class Takeover:
    """One principal's way of taking an object over: how, and the entry that gives it (none for the owner)."""

    who: Sid
    how: str
    entry: Ace | None
    unless_denied: Question | None = None
    """The question that an earlier entry denies to somebody, so that not everybody here need have it."""


class TakeoverReader:
    """Finds who holds an object by its rights, whoever they are.

    Denials that stand on the very same principal are taken into account here. Whether another denial meets only some
    of those whom an entry is for is told of each takeover, and decided by the tokens of people.
    """

    def __init__(self, schema: Schema) -> None:
        member, of_set = schema.attributes["member"]
        group, user, computer = (schema.classes[name] for name in ("group", "user", "computer"))
        reset = schema.control_rights["User-Force-Change-Password"]
        joining = schema.validated_writes["Self-Membership"]
        members = tuple(guid for guid in (member, of_set, group) if guid is not None)
        self._questions: dict[int, list[tuple[str, Question]]] = {
            Kind.GROUP: [
                (MEMBERS, Question(Right.WRITE_PROPERTY, members)),
                (JOINING, Question(Right.SELF_WRITE, (joining, group))),
            ],
            Kind.USER: [(PASSWORD, Question(Right.CONTROL_ACCESS, (reset, user)))],
            Kind.COMPUTER: [(PASSWORD, Question(Right.CONTROL_ACCESS, (reset, computer)))],
        }
        self._always = [(RIGHTS, Question(Right.WRITE_DAC)), (OWNER, Question(Right.WRITE_OWNER))]

    def takeovers(self, kind: int, descriptor: Descriptor) -> Iterator[Takeover]:
        """Yield each principal that the entries let take over an object of a kind, once for each way."""
        seen: set[tuple[Sid, str]] = set()
        for how, question in (*self._questions.get(kind, ()), *self._always):
            denied: set[Sid] = set()
            for entry in descriptor.entries:
                if entry.sid is None or not speaks_about(entry, question) or entry.sid == SELF:
                    continue
                if entry.denies:
                    denied.add(entry.sid)
                elif not entry.conditional and entry.sid not in denied and (entry.sid, how) not in seen:
                    seen.add((entry.sid, how))
                    yield Takeover(entry.sid, how, entry, question if denied else None)
        if descriptor.owner is not None and owner_has_the_rights(descriptor):
            yield Takeover(descriptor.owner, OWNS, None)
