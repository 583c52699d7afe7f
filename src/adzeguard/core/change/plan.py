"""A plan: an ordered list of changes, computed, not yet made. It is a file that people read and review."""

from datetime import datetime
from enum import StrEnum
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from adzeguard.core.errors import PlanFileError
from adzeguard.core.identity import Sid
from adzeguard.core.principal import Principal

_Text = Annotated[str, Field(max_length=8192)]


class Verb(StrEnum):
    """What a change does."""

    ADD_MEMBER = "add-member"
    REMOVE_MEMBER = "remove-member"
    SET_PRIMARY_GROUP = "set-primary-group"


class Expected(StrEnum):
    """The value that a change expects to find, checked again right before it is made."""

    ABSENT = "absent"
    PRESENT = "present"


class _Model(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class Named(_Model):
    """An object as a plan names it: for people by name, for the directory by DN, for comparing by SID."""

    name: _Text
    sid: _Text = ""
    dn: _Text = ""

    @classmethod
    def of(cls, principal: Principal) -> "Named":
        """Name an object of the estate."""
        return cls(name=principal.qualified_name, sid=principal.sid or "", dn=principal.dn)


class Change(_Model):
    """One atomic modification with its precondition.

    `add-member` and `remove-member` are about `group` and `member`; `set-primary-group` makes `group` the primary
    group of `member`, where `expects` holds the SID of the primary group before.
    """

    id: _Text
    verb: Verb
    host: _Text | None = None
    group: Named
    member: Named
    expects: _Text
    rule: _Text
    why: _Text = ""
    leaves: bool = Field(False, description="What the rule put in stays when the rule goes away.")

    @property
    def target(self) -> str:
        """What is written to: the host, or the directory."""
        return self.host or "directory"

    def in_words(self) -> str:
        """Return the change as an order, without its rule."""
        match self.verb:
            case Verb.ADD_MEMBER:
                return f"add {self.member.name} to {self.group.name}"
            case Verb.REMOVE_MEMBER:
                return f"remove {self.member.name} from {self.group.name}"
            case _:
                return f"make {self.group.name} the primary group of {self.member.name}"


class LeftOut(_Model):
    """A deviation that the plan does not put right, and why."""

    subject: _Text
    member: _Text
    rule: _Text
    reason: _Text


class GroupImpact(_Model):
    """Who gains and who loses effective membership of one directory group, nested paths included."""

    group: _Text
    gains: tuple[_Text, ...] = ()
    loses: tuple[_Text, ...] = ()


class PersonImpact(_Model):
    """On how many hosts one person gains and loses effective administration."""

    person: _Text
    gains_hosts: int = 0
    loses_hosts: int = 0


class Impact(_Model):
    """What a plan comes to, beyond its direct changes."""

    groups: tuple[GroupImpact, ...] = ()
    people: tuple[PersonImpact, ...] = ()
    hosts_touched: int = 0
    other_entries_removed: int = Field(0, description="Local accounts and unresolved SIDs taken out of local groups.")


class Plan(_Model):
    """The whole plan."""

    plan: Literal[1] = 1
    made_at: datetime
    made_by: _Text
    collection: int = Field(description="The collection that the plan was computed from.")
    domain_sid: _Text
    changes: tuple[Change, ...] = ()
    left_out: tuple[LeftOut, ...] = ()
    impact: Impact = Impact()


def read_plan(text: bytes, source: str) -> Plan:
    """Read a plan file; `PlanFileError` says what is wrong with it."""
    try:
        return Plan.model_validate_json(text)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"]) or "the file"
        raise PlanFileError(
            f"{source}: not a plan: {where}: {first['msg']}", "Make one: adzeguard plan --output FILE"
        ) from error


def expected_primary(change: Change) -> Sid:
    """Return the SID of the primary group that a `set-primary-group` expects to find."""
    return Sid.parse(change.expects)
