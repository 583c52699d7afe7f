"""What changes of a host's own settings have in common: a fact that is put in or ended, a value before and after."""

from abc import abstractmethod
from collections.abc import Callable, Hashable, Mapping
from typing import Any, ClassVar, Self

from adzeguard.core.change.change import UNDO_RULE, Change, Key
from adzeguard.core.estate.hosts import HostState
from adzeguard.core.estate.named import Named


class HostSettingChange(Change):
    """A change of one setting of one host."""

    host: str

    @property
    def host_name(self) -> str:
        """The host that is written to."""
        return self.host

    @property
    def sorts_under(self) -> str:
        """The key: what is set in one place stands together."""
        return "\0".join(self.key)

    def claims(self) -> tuple[Key, ...]:
        """The setting."""
        return (self.key,)

    def renamed(self, renaming: Callable[[Named], Named]) -> Self:  # noqa: ARG002 - those that name nobody
        """Return it as it is."""
        return self

    def values(self) -> dict[str, Any]:
        """Return what it says of the host, without who asks for it and why."""
        return {name: getattr(self, name) for name in type(self).model_fields.keys() - Change.model_fields.keys()}


class RuledSetting(HostSettingChange):
    """A change of a setting that rules ask for. `fact` is what a rule wants, as the review of the setting knows it."""

    @property
    @abstractmethod
    def fact(self) -> Hashable:
        """Which fact of the host it is about."""

    @abstractmethod
    def stands(self, state: HostState) -> bool | None:
        """Tell whether the host is as it is afterwards; None where it has nothing like it."""

    @abstractmethod
    def ended(self, rule: str, why: str) -> Change:
        """Return the change by which nothing of it is left."""

    @abstractmethod
    def said(self) -> str:
        """Return what stands at the host after it, as a sentence."""


class FactChange(RuledSetting):
    """A fact about somebody is expected not to stand, and stands afterwards; the kind that ends it is its opposite."""

    who: Named
    puts: ClassVar[bool] = True
    """Whether it puts the fact in; its opposite ends it."""

    @classmethod
    @abstractmethod
    def opposite(cls) -> type["FactChange"]:
        """Return the kind that takes it back."""

    @abstractmethod
    def is_so(self, state: HostState) -> bool | None:
        """Tell whether the fact stands; None where the host has nothing like it."""

    def stands(self, state: HostState) -> bool | None:
        """Tell whether the fact stands, or for what ends it, stands no more."""
        is_so = self.is_so(state)
        return None if is_so is None else is_so == self.puts

    def puts_in(self) -> tuple[Key, ...]:
        """The fact."""
        return self.claims() if self.puts else ()

    def ended(self, rule: str, why: str) -> Change:
        """Return its opposite."""
        kind = self.opposite()
        values = self.values() | {"kind": kind.model_fields["kind"].default}
        return kind.model_validate({**values, "rule": rule, "why": why})

    def taken_back(self, last: Change, groups: Mapping[str, Named]) -> Change | None:  # noqa: ARG002 - the base's
        """Return its opposite, unless that was done since."""
        return self.ended(UNDO_RULE, self.undone_why()) if isinstance(last, type(self)) else None

    def renamed(self, renaming: Callable[[Named], Named]) -> Self:
        """Return it about another identity."""
        who = renaming(self.who)
        return self if who == self.who else self.model_copy(update={"who": who})


class ValueChange(RuledSetting):
    """A whole value is expected to be the one before, and is the one after."""

    pairs: ClassVar[tuple[tuple[str, str], ...]] = (("before", "after"),)
    """The names of the fields that hold the value before and after; their defaults stand for none."""

    @staticmethod
    @abstractmethod
    def value_of(*held: Any) -> Hashable:
        """Return the value that the fields of one side hold, as a host's state has it."""

    @abstractmethod
    def has_place(self, state: HostState) -> bool:
        """Tell whether the host has anything like it."""

    @abstractmethod
    def value_on(self, state: HostState) -> Hashable:
        """Return the value that stands at a host."""

    @property
    def value_before(self) -> Hashable:
        """The value that is expected."""
        return self.value_of(*(getattr(self, before) for before, _ in self.pairs))

    @property
    def value_after(self) -> Hashable:
        """The value that is wanted."""
        return self.value_of(*(getattr(self, after) for _, after in self.pairs))

    def stands(self, state: HostState) -> bool | None:
        """Tell whether the host has the value that is wanted."""
        return self.value_on(state) == self.value_after if self.has_place(state) else None

    def finds(self, state: HostState) -> bool:
        """Tell whether the host has the value that was seen when this was proposed."""
        return self.has_place(state) and self.value_on(state) == self.value_before

    def puts_in(self) -> tuple[Key, ...]:
        """The value, where it is any."""
        return () if self.value_after == self.value_of(*self._none().values()) else self.claims()

    def ended(self, rule: str, why: str) -> Change:
        """Return the change to no value."""
        return self._to(self, self._none(), rule, why)

    def taken_back(self, last: Change, groups: Mapping[str, Named]) -> Change | None:  # noqa: ARG002 - the base's
        """Return the change to the value as it was."""
        if not isinstance(last, type(self)) or last.value_after == self.value_before:
            return None
        was = {after: getattr(self, before) for before, after in self.pairs}
        return self._to(last, was, UNDO_RULE, self.undone_why())

    def _to(self, last: Self, wanted: Mapping[str, Any], rule: str, why: str) -> Self:
        expected = {before: getattr(last, after) for before, after in self.pairs}
        return self.by(rule, why, id="", leaves=False, **expected, **wanted)

    def _none(self) -> dict[str, Any]:
        return {after: type(self).model_fields[after].default for _, after in self.pairs}
