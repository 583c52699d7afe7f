"""The words of a charter, as a validated model. Its JSON Schema is made from here."""

from datetime import date
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator
from pydantic.json_schema import SkipJsonSchema

Response = Literal["alert", "correct"]
PrincipalName = Annotated[
    str,
    Field(
        min_length=1,
        description=r"A qualified name: DOMAIN\name, name@domain, a DN, a SID, local\name or well-known\name.",
        examples=[r"LOWMERE\Domain Admins", r"local\administrator", "S-1-5-21-1-2-3-512"],
    ),
]


def _dashed(name: str) -> str:
    return name.rstrip("_").replace("_", "-")


class _Strict(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True, alias_generator=_dashed, strict=True)


class Place(_Strict):
    """Where a rule stands."""

    file: str
    lines: dict[tuple[str | int, ...], int]

    def at(self, *path: str | int) -> str:
        """Return "file:line" of the value at this path inside the rule, or of the nearest value around it."""
        for length in range(len(path), -1, -1):
            line = self.lines.get(path[:length])
            if line is not None:
                return f"{self.file}:{line}"
        return self.file


class HostScope(_Strict):
    """On which hosts a rule holds. At least one of everywhere, under and named."""

    everywhere: Literal[True] | None = Field(None, description="On every host.")
    under: tuple[str, ...] = Field((), description="On the hosts below these OUs; the base DN may be left off.")
    named: tuple[str, ...] = Field((), description="On these hosts; the closest scope there is.")
    except_: tuple[str, ...] = Field((), description="Not on these hosts, whatever else says so.")

    @model_validator(mode="before")
    @classmethod
    def _one_or_many(cls, value: Any) -> Any:
        if not isinstance(value, dict):
            return value
        return {
            key: (item,) if key != "everywhere" and isinstance(item, str) else _frozen(item)
            for key, item in value.items()
        }

    @model_validator(mode="after")
    def _says_where(self) -> "HostScope":
        if not (self.everywhere or self.under or self.named):
            raise ValueError("says no hosts: give under, named or everywhere")
        return self


def _frozen(item: Any) -> Any:
    return tuple(item) if isinstance(item, list) else item


class RuleBase(_Strict):
    """What every rule says."""

    id: str = Field(pattern=r"^[a-z0-9]+(-[a-z0-9]+)*$", max_length=64, description="Unique, kebab-case.")
    why: str = Field("", description="Why the rule exists, for whoever meets it later.")
    owner: str = Field("", description="Who hears of deviations.")
    response: Response | None = Field(
        None, description="correct: put right by plan. alert: only told. Default: the workspace's."
    )
    enabled: bool = Field(True, description="false switches the rule off.")
    until: date | None = Field(None, description="The last day on which the rule holds.")
    leave: bool = Field(False, description="true: what the rule put in stays when the rule goes away.")
    place: SkipJsonSchema[Place] = Field(default=Place(file="charter", lines={}), exclude=True)

    @model_validator(mode="before")
    @classmethod
    def _freeze_lists(cls, value: Any) -> Any:
        return {key: _frozen(item) for key, item in value.items()} if isinstance(value, dict) else value

    def holds_on(self, day: date) -> bool:
        """Tell whether the rule is in force on a day."""
        return self.enabled and (self.until is None or day <= self.until)


class MembershipRule(RuleBase):
    """A rule about members. `only`: exactly these. `include`: these too. `exclude`: never these."""

    only: tuple[PrincipalName, ...] | None = Field(None, description="Exactly these, and nobody else.")
    include: tuple[PrincipalName, ...] = Field((), description="At least these; others stay.")
    exclude: tuple[PrincipalName, ...] = Field((), description="Never these.")
    nested: Literal["refuse"] | None = Field(None, description="refuse: any group inside the group is a finding.")
    reach_only: tuple[PrincipalName, ...] | None = Field(
        None,
        description="Nobody but these may be inside, directly or through any nesting. Told, never corrected.",
    )

    @model_validator(mode="after")
    def _demands_something(self) -> "MembershipRule":
        if self.only is None and self.reach_only is None and not (self.include or self.exclude or self.nested):
            raise ValueError("demands nothing: give only, include, exclude, nested or reach-only")
        both = {n.casefold() for n in (self.only or ()) + self.include} & {n.casefold() for n in self.exclude}
        if both:
            raise ValueError(f"both wants and excludes {min(both)}")
        return self


class GroupRule(MembershipRule):
    """A rule about a group of the directory."""

    group: PrincipalName


class LocalGroupRule(MembershipRule):
    """A rule about a local group on hosts."""

    hosts: HostScope
    local_group: str = Field(
        description=r"administrators, remote-desktop-users, … or local\Name for a group of the host's own."
    )


class ProtectRule(RuleBase):
    """OUs that nobody may delete or move."""

    protect: tuple[str, ...] = Field(min_length=1, description="These OUs; the base DN may be left off.")

    @model_validator(mode="before")
    @classmethod
    def _one_or_many(cls, value: Any) -> Any:
        if isinstance(value, dict) and isinstance(value.get("protect"), str):
            return {**value, "protect": (value["protect"],)}
        return value


class Intake(_Strict):
    """Where new objects land. At least one of both."""

    users: str = Field("", description="The OU for users that are created without a place.")
    computers: str = Field("", description="The OU for computers that are created without a place.")

    @model_validator(mode="after")
    def _says_where(self) -> "Intake":
        if not (self.users or self.computers):
            raise ValueError("says no OU: give users, computers or both")
        return self


class IntakeRule(RuleBase):
    """Where users and computers land that are created without a place."""

    intake: Intake


class NewGroups(_Strict):
    """How groups are made that a roster names and that do not exist."""

    in_: str = Field(description="The OU in which they are made.")
    scope: Literal["global", "universal", "domain-local"] = Field("global", description="Their scope.")


class RosterRow(_Strict):
    """One line of a roster."""

    group: str
    member: str
    line: int


class RosterRule(RuleBase):
    """Groups and their members from a CSV file with the columns group and member: exactly these."""

    roster: str = Field(pattern=r"^[^/\\]+\.csv$", description="A file in the charter's folder.")
    new_groups: NewGroups | None = Field(None, description="Make groups that do not exist; otherwise they are told.")
    rows: SkipJsonSchema[tuple[RosterRow, ...]] = Field(default=(), exclude=True)


Reach = Literal["this", "below", "this-and-below"]


class GrantRule(RuleBase):
    """Rights over an OU, a group or another object, given or denied."""

    over: str = Field(min_length=1, description="The OU by its DN, or another object by its qualified name.")
    grant: tuple[str, ...] = Field((), description="Duties that are given; see: adzeguard grant duties.")
    deny: tuple[str, ...] = Field((), description="Duties that are denied; a denial wins.")
    to: tuple[PrincipalName, ...] = Field(min_length=1, description="To whom; better groups than persons.")
    only_for: tuple[str, ...] = Field((), description="Only over objects of these classes.")
    reach: Reach | None = Field(None, description="Over the object, what lies below it, or both. Default: as the duty.")

    @model_validator(mode="after")
    def _gives_something(self) -> "GrantRule":
        if bool(self.grant) == bool(self.deny):
            raise ValueError("give either grant or deny; two rules where both are meant")
        return self


class DutySpec(_Strict):
    """A duty of the workspace's own."""

    words: str = Field(min_length=1, description='What one may do with it, as in "set the room and the telephone".')
    classes: tuple[str, ...] = Field((), description="Over objects of these classes; none means any.")
    read: tuple[str, ...] = Field((), description="Attributes or property sets that may be read.")
    write: tuple[str, ...] = Field((), description="Attributes or property sets that may be written.")
    create: tuple[str, ...] = Field((), description="Classes that may be created.")
    delete: tuple[str, ...] = Field((), description="Classes that may be deleted.")
    control: tuple[str, ...] = Field((), description="Control rights, such as User-Force-Change-Password.")

    @model_validator(mode="before")
    @classmethod
    def _freeze_lists(cls, value: Any) -> Any:
        return {key: _frozen(item) for key, item in value.items()} if isinstance(value, dict) else value

    @model_validator(mode="after")
    def _lets_one_do_something(self) -> "DutySpec":
        if not (self.read or self.write or self.create or self.delete or self.control):
            raise ValueError("lets one do nothing: give read, write, create, delete or control")
        return self


Rule = GroupRule | LocalGroupRule | ProtectRule | IntakeRule | RosterRule | GrantRule


class CharterDocument(_Strict):
    """One file of a charter."""

    charter: Literal[1] = Field(description="The version of this format.")
    duties: dict[str, DutySpec] = Field({}, description="Duties of the workspace's own, by name.")
    rules: tuple[Rule, ...] = ()


class Charter(_Strict):
    """All rules of a workspace, in the order of the files."""

    rules: tuple[Rule, ...] = ()
    duties: dict[str, DutySpec] = {}


def json_schema() -> dict[str, Any]:
    """Return the JSON Schema of a charter file, for editors."""
    schema = CharterDocument.model_json_schema(by_alias=True)
    _accept_one_or_many(schema["$defs"]["HostScope"])
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **schema, "title": "Adzeguard charter"}


def _accept_one_or_many(scope: dict[str, Any]) -> None:
    for key in ("under", "named", "except"):
        listed = scope["properties"][key]
        scope["properties"][key] = {
            "description": listed.pop("description"),
            "anyOf": [{"type": "string"}, {"type": "array", "items": {"type": "string"}}],
        }
