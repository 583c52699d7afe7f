"""Groups and their members from a CSV file."""

from collections.abc import Iterator
from datetime import date
from typing import Literal, Self

from pydantic import Field
from pydantic.json_schema import SkipJsonSchema

from adzeguard.core.charter.group_rule import GroupRule, ResolvedGroupRule, resolve_group_rule
from adzeguard.core.charter.references import RuleNames
from adzeguard.core.charter.roster_row import RosterRow
from adzeguard.core.charter.rule import Place, ReadFile, Resolved, Response, RuleBase, Strict
from adzeguard.core.estate.names import is_qualified, lookup_qualified
from adzeguard.core.estate.principal import Principal
from adzeguard.core.values import dataclass


class NewGroups(Strict):
    """How groups are made that a roster names and that do not exist."""

    in_: str = Field(description="The OU in which they are made.")
    scope: Literal["global", "universal", "domain-local"] = Field("global", description="Their scope.")


class RosterRule(RuleBase):
    """Groups and their members from a CSV file with the columns group and member, and until: exactly these."""

    roster: str = Field(pattern=r"^[^/\\]+\.csv$", description="A file in the charter's folder.")
    new_groups: NewGroups | None = Field(None, description="Make groups that do not exist; otherwise they are told.")
    rows: SkipJsonSchema[tuple[RosterRow, ...]] = Field(default=(), exclude=True)

    def completed(self, read_file: ReadFile) -> Self:
        """Return the rule with the lines of its file."""
        return self.model_copy(update={"rows": read_file(self.roster)})


@dataclass(frozen=True)
class AbsentGroup(Resolved):
    """A group that a roster names, that does not exist, and that the roster lets be made."""

    name: str
    container: Principal
    scope: str
    members: tuple[Principal, ...]


def resolve_roster(rule: RosterRule, names: RuleNames, response: Response) -> Iterator[ResolvedGroupRule | AbsentGroup]:
    """Yield a rule for each group that exists, and the groups that are yet to be made.

    A roster is one list: where any name of it cannot be used, nothing of it is followed.
    """
    resolved: list[ResolvedGroupRule | AbsentGroup] = []
    asked = [names]
    container = names.container_object(("new-groups", "in"), rule.new_groups.in_) if rule.new_groups else None
    rows: dict[str, list[RosterRow]] = {}
    for row in rule.rows:
        rows.setdefault(row.group, []).append(row)
    for group, lines in rows.items():
        wanted = _as_group_rule(rule, group, lines, names.day)
        its_names = names.of_rule(wanted)
        asked.append(its_names)
        known = lookup_qualified(names.estate, group) if is_qualified(group) else []
        if known or container is None or rule.new_groups is None or not _may_be_made(names, group, container):
            resolved += list(resolve_group_rule(wanted, its_names, response))
        else:
            members = its_names.principals("only", wanted.only or ())
            name = group.rpartition("\\")[2]
            resolved.append(AbsentGroup(wanted, response, name, container, rule.new_groups.scope, members))
    if not any(one.failed for one in asked):
        yield from resolved


def _may_be_made(names: RuleNames, group: str, container: Principal) -> bool:
    """A group of the domain of its place can be made; a SID, a DN or the group of another domain cannot."""
    domain, _, name = group.rpartition("\\")
    ours = names.estate.domain.called(domain)
    return bool(name) and ours is not None and ours == names.estate.domain.holding(container.dn)


def _as_group_rule(rule: RosterRule, group: str, rows: list[RosterRow], day: date) -> GroupRule:
    members = [row for row in rows if row.member and (row.until is None or day <= row.until)]
    lines: dict[tuple[str | int, ...], int] = {(): rows[0].line}
    lines |= {("only", at): row.line for at, row in enumerate(members)}
    place = Place(file=f"charter/{rule.roster}", lines=lines)
    kept = {key: getattr(rule, key) for key in ("id", "why", "owner", "response", "enabled", "until", "leave")}
    return GroupRule(**kept, group=group, only=tuple(row.member for row in members), place=place)
