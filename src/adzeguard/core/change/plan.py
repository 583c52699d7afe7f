"""A plan: an ordered list of changes, computed, not yet made. It is a file that people read and review."""

from base64 import b64decode, b64encode
from collections.abc import Iterable
from datetime import datetime
from enum import StrEnum
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter, ValidationError

from adzeguard.core.errors import PlanFileError
from adzeguard.core.identity import Sid
from adzeguard.core.principal import Principal

_Text = Annotated[str, Field(max_length=8192)]
_Value = Annotated[str, Field(max_length=16 * 1024 * 1024)]
_Packed = Annotated[str, Field(max_length=256 * 1024, pattern=r"^([0-9a-f]{2})+$")]


class Verb(StrEnum):
    """What a change does."""

    ADD_MEMBER = "add-member"
    REMOVE_MEMBER = "remove-member"
    SET_PRIMARY_GROUP = "set-primary-group"
    CREATE = "create"
    DELETE = "delete"
    SET = "set"
    MOVE = "move"
    RIGHTS = "rights"


MemberVerb = Literal[Verb.ADD_MEMBER, Verb.REMOVE_MEMBER, Verb.SET_PRIMARY_GROUP]
ObjectVerb = Literal[Verb.CREATE, Verb.DELETE, Verb.SET, Verb.MOVE, Verb.RIGHTS]


class Expected(StrEnum):
    """The value that a change expects to find, checked again right before it is made."""

    ABSENT = "absent"
    PRESENT = "present"


class _Model(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class Named(_Model):
    """An object as a plan names it: for people by name, for the directory by DN, for comparing by SID.

    `made` says that an earlier change of the same plan makes it, so that its SID is not known yet.
    """

    name: _Text
    sid: _Text = ""
    dn: _Text = ""
    made: bool = False

    @classmethod
    def of(cls, principal: Principal) -> "Named":
        """Name an object of the estate."""
        return cls(name=principal.qualified_name, sid=principal.sid or "", dn=principal.dn)


class _ChangeModel(_Model):
    id: _Text
    rule: _Text
    why: _Text = ""
    leaves: bool = Field(False, description="What the rule put in stays when the rule goes away.")


class MemberChange(_ChangeModel):
    """One membership changed.

    `add-member` and `remove-member` are about `group` and `member`; `set-primary-group` makes `group` the primary
    group of `member`, where `expects` holds the SID of the primary group before.
    """

    verb: MemberVerb
    host: _Text | None = None
    group: Named
    member: Named
    expects: _Text

    @property
    def target(self) -> str:
        """What is written to: the host, or the directory."""
        return self.host or "directory"

    @property
    def about(self) -> tuple[str, str, str]:
        """The group, the member and the object that it is about, for people."""
        return self.group.name, self.member.name, ""

    def in_words(self) -> str:
        """Return the change as an order, without its rule."""
        match self.verb:
            case Verb.ADD_MEMBER:
                return f"add {self.member.name} to {self.group.name}"
            case Verb.REMOVE_MEMBER:
                return f"remove {self.member.name} from {self.group.name}"
            case _:
                return f"make {self.group.name} the primary group of {self.member.name}"


class AttributeChange(_Model):
    """One attribute: the values that are expected, and those that shall stand. See `value_text` for their form."""

    name: _Text
    before: tuple[_Value, ...] = ()
    after: tuple[_Value, ...] = ()


class ObjectChange(_ChangeModel):
    """One object made, removed, changed, moved, or given other rights.

    `create` gives it `attributes`; `delete` keeps them, so that it can be made again; `set` changes them where they
    stand as expected; `move` gives it the name `to`; `rights` puts the entries `gives` into its descriptor and takes
    the entries `takes` out, each in hexadecimal ([MS-DTYP] 2.4.4). `words` is the change for people.
    """

    verb: ObjectVerb
    object: Named
    words: _Text
    attributes: tuple[AttributeChange, ...] = ()
    to: _Text = ""
    gives: tuple[_Packed, ...] = ()
    takes: tuple[_Packed, ...] = ()

    @property
    def host(self) -> None:
        """No host is written to."""
        return

    @property
    def target(self) -> str:
        """What is written to."""
        return "directory"

    @property
    def about(self) -> tuple[str, str, str]:
        """The group, the member and the object that it is about, for people."""
        return "", "", self.object.dn

    def in_words(self) -> str:
        """Return the change as an order, without its rule."""
        return self.words


Change = MemberChange | ObjectChange
_AnyChange = Annotated[Change, Field(discriminator="verb")]
_ANY_CHANGE: TypeAdapter[Change] = TypeAdapter(_AnyChange)
_BINARY = "base64:"


def read_change(raw: Any) -> Change:
    """Read one change, as the journal keeps it."""
    return _ANY_CHANGE.validate_python(raw)


def members_only(changes: Iterable[Change]) -> list[MemberChange]:
    """Return the changes of memberships."""
    return [change for change in changes if isinstance(change, MemberChange)]


def objects_only(changes: Iterable[Change]) -> list[ObjectChange]:
    """Return the changes of objects."""
    return [change for change in changes if isinstance(change, ObjectChange)]


def value_text(value: bytes) -> str:
    """Return an attribute's value as a plan holds it: text as it is, anything else in base64 after "base64:"."""
    try:
        text = value.decode()
    except UnicodeDecodeError:
        text = ""
    plain = text.isprintable() and text and not text.startswith(_BINARY)
    return text if plain else _BINARY + b64encode(value).decode()


def value_bytes(text: str) -> bytes:
    """Return the value that a plan holds; `PlanFileError` where it is not base64 after all."""
    if not text.startswith(_BINARY):
        return text.encode()
    try:
        return b64decode(text.removeprefix(_BINARY), validate=True)
    except ValueError as error:
        raise PlanFileError("a value of the plan is not base64", "Make the plan again") from error


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
    changes: tuple[_AnyChange, ...] = ()
    left_out: tuple[LeftOut, ...] = ()
    notes: tuple[_Text, ...] = Field((), description="What people should know before they say yes.")
    impact: Impact = Impact()


def read_plan(text: bytes, source: str) -> Plan:
    """Read a plan file; `PlanFileError` says what is wrong with it."""
    try:
        return Plan.model_validate_json(text)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"]) or "the file"
        said = first["msg"]
        if first["type"] == "union_tag_invalid":
            said = f"there is no change of the kind '{first['ctx']['tag']}'"
        raise PlanFileError(
            f"{source}: not a plan: {where}: {said}", "Make one: adzeguard plan --output FILE"
        ) from error


def expected_primary(change: MemberChange) -> Sid:
    """Return the SID of the primary group that a `set-primary-group` expects to find."""
    return Sid.parse(change.expects)
