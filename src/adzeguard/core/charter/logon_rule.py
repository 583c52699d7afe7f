"""Rules about logons at hosts: who is refused, who alone may, and the notice that says why."""

from collections.abc import Iterator, Mapping
from dataclasses import field
from typing import Any

from pydantic import Field, model_validator

from adzeguard.core.charter.host_scope import HostRule, resolve_scope
from adzeguard.core.charter.references import Reference, RuleNames
from adzeguard.core.charter.rule import PrincipalName, Response, Strict, one_or_many
from adzeguard.core.charter.setting_rule import ResolvedSetting
from adzeguard.core.estate.logon import IN_PERSON, LEAVES_SECRETS, WAYS
from adzeguard.core.estate.notice import LONGEST_TEXT, LONGEST_TITLE, Notice
from adzeguard.core.values import dataclass


class ByWay(Strict):
    """Names for each way of logging on."""

    console: tuple[PrincipalName, ...] | None = Field(None, description="At its own keyboard and screen.")
    remote: tuple[PrincipalName, ...] | None = Field(None, description="A session over the network.")
    network: tuple[PrincipalName, ...] | None = Field(None, description="Its shares and services.")
    service: tuple[PrincipalName, ...] | None = Field(None, description="As a service.")
    batch: tuple[PrincipalName, ...] | None = Field(None, description="As a scheduled job.")

    @model_validator(mode="before")
    @classmethod
    def _one_or_many(cls, value: Any) -> Any:
        return one_or_many(value, *WAYS)

    @model_validator(mode="after")
    def _says_something(self) -> "ByWay":
        if not self.by_way():
            raise ValueError(f"says no way of logging on: give {', '.join(WAYS)}")
        return self

    def by_way(self) -> dict[str, tuple[str, ...]]:
        """Return the names of each way that is given."""
        return {way: names for way in WAYS if (names := getattr(self, way)) is not None}


class NoticeForm(Strict):
    """What is shown before anybody logs on."""

    title: str = Field(min_length=1, max_length=LONGEST_TITLE, description="One line.")
    text: str = Field("", max_length=LONGEST_TEXT, description="What people in front of the host should know.")

    @model_validator(mode="after")
    def _is_plain(self) -> "NoticeForm":
        # A terminal shows a notice as it comes: an escape sequence in it would be carried out, not read.
        if not self.title.isprintable() or not all(c.isprintable() or c == "\n" for c in self.text):
            raise ValueError("must be plain text, without control characters")
        return self


class LogonRule(HostRule):
    """A rule about logons at hosts."""

    refuse_logon: ByWay | None = Field(
        None, description="Who may not log on, by which way; even if something else lets them."
    )
    no_privileged_logons: tuple[PrincipalName, ...] = Field(
        (), description="Who may not log on in any way that leaves a password or a ticket of theirs there."
    )
    allow_logon_only: ByWay | None = Field(None, description="Who alone may log on, by which way; keepers always may.")
    notice: NoticeForm | None = Field(None, description="What is shown before anybody logs on.")

    @model_validator(mode="before")
    @classmethod
    def _one_or_many(cls, value: Any) -> Any:
        return one_or_many(value, "no-privileged-logons")

    @model_validator(mode="after")
    def _wants_no_contradiction(self) -> "LogonRule":
        given = self.refuse_logon.by_way() if self.refuse_logon else {}
        refused = {way: (*given.get(way, ()), *self.no_privileged_logons) for way in (*given, *LEAVES_SECRETS)}
        for way, alone in (self.allow_logon_only.by_way() if self.allow_logon_only else {}).items():
            both = {name.casefold() for name in alone} & {name.casefold() for name in refused.get(way, ())}
            if both:
                raise ValueError(f"both lets and refuses {min(both)} by {way}")
        return self


@dataclass(frozen=True)
class ResolvedLogonRule(ResolvedSetting):
    """A rule about logons, with its names and hosts found."""

    rule: LogonRule
    refused: Mapping[str, tuple[Reference, ...]] = field(default_factory=dict)
    alone: Mapping[str, tuple[Reference, ...]] = field(default_factory=dict)
    notice: Notice | None = None
    where_told_apart: frozenset[str] = frozenset()
    """The ways in which nobody is refused where a host cannot tell them apart."""
    leaving: tuple[Reference, ...] = ()
    """Whose logons leave nothing behind there, by whichever way."""

    @property
    def listed(self) -> list[Reference]:
        """Everybody that it names, by any way."""
        return [one for lists in (self.refused, self.alone) for names in lists.values() for one in names]


def resolve_logon_rule(rule: LogonRule, names: RuleNames, response: Response) -> Iterator[ResolvedLogonRule]:
    """Yield the rule with its names found, or nothing if one cannot be used."""
    refused = _found(names, "refuse-logon", rule.refuse_logon)
    leaving = tuple(names.with_sids(("no-privileged-logons",), rule.no_privileged_logons))
    apart = frozenset(LEAVES_SECRETS if leaving else ()) - {*refused, *IN_PERSON}
    refused |= {way: (*refused.get(way, ()), *leaving) for way in LEAVES_SECRETS if leaving}
    alone = _found(names, "allow-logon-only", rule.allow_logon_only)
    notice = Notice(rule.notice.title, rule.notice.text.strip("\n")) if rule.notice else None
    scope = resolve_scope(names, rule.hosts)
    if not names.failed:
        yield ResolvedLogonRule(rule, response, scope, refused, alone, notice, apart, leaving)


def _found(names: RuleNames, key: str, given: ByWay | None) -> dict[str, tuple[Reference, ...]]:
    return {way: names.with_sids((key, way), listed) for way, listed in (given.by_way() if given else {}).items()}
