"""A fact of a host is set: one value of a capability that holds nothing but texts by names."""

from collections.abc import Mapping
from typing import Any, ClassVar, Literal

from pydantic import Field

from adzeguard.core.change.change import About, Key, Order
from adzeguard.core.change.kinds.host_setting import ValueChange
from adzeguard.core.estate.capabilities import CAPABILITIES
from adzeguard.core.estate.hosts import HostState

_LONGEST = 4000
_PLAIN = r"^[^\x00-\x1f\x7f]*$"
"""Text without control characters: a terminal would carry them out, and a file on the host might break its line."""


class SetFact(ValueChange):
    """The fact is expected to be the text before, and is the one after; an empty text stands for no such fact.

    It says itself in words from its own fields: a proposal that came as a file cannot make it sound like another one.
    """

    kind: Literal["set-fact"] = "set-fact"
    setting: str = Field(pattern=r"^[a-z][a-z-]{1,40}$", description="The capability that has the fact.")
    name: str = Field("", max_length=200, pattern=_PLAIN, description="Which fact, where the capability has several.")
    before: str = Field("", max_length=_LONGEST, pattern=_PLAIN)
    after: str = Field("", max_length=_LONGEST, pattern=_PLAIN)
    order: ClassVar[Order] = Order.ALTER

    @staticmethod
    def value_of(*held: Any) -> str:
        """Return the text."""
        return str(*held)

    @property
    def fact(self) -> str:
        """The name of the fact."""
        return self.name

    @property
    def key(self) -> Key:
        """The fact of the host."""
        return ("fact", self.host.casefold(), self.setting, self.name)

    @property
    def about(self) -> About:
        """The fact."""
        return About(group=self._called())

    def in_words(self) -> str:
        """Return what it is set to."""
        return f"set {self._called()} to '{self.after}'" if self.after else f"take away {self._called()}"

    def said(self) -> str:
        """Return what is set."""
        return f"{self._called()} is '{self.after}'"

    def lacking(self, state: HostState) -> str:
        """The capability is the one that it names, and one of facts: no other is written in this way."""
        of_facts = any(one.name == self.setting and one.holds_facts for one in CAPABILITIES)
        return "" if of_facts and self.setting in state.capabilities else self.setting

    def has_place(self, state: HostState) -> bool:
        """Tell whether the host has such facts."""
        return self.setting in state.parts

    def value_on(self, state: HostState) -> str:
        """Return the text that stands."""
        return facts_of(state, self.setting).get(self.name, "")

    def _called(self) -> str:
        return f"{self.setting.replace('-', ' ')}{f' of {self.name}' if self.name else ''}"


def facts_of(state: HostState, setting: str) -> Mapping[str, str]:
    """Return the texts by names of a capability that holds nothing else; none where the host has no such thing."""
    part = state.parts.get(setting)
    return part if isinstance(part, Mapping) else {}
