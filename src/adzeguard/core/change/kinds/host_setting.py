"""What changes of a host's own settings have in common: logons, notice, elevation."""

from collections.abc import Callable
from typing import Self

from adzeguard.core.change.change import Change, Key
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


class HostSettingOfSomebody(HostSettingChange):
    """A change of one setting that is about one person or group."""

    who: Named

    def renamed(self, renaming: Callable[[Named], Named]) -> Self:
        """Return it about another identity."""
        who = renaming(self.who)
        return self if who == self.who else self.model_copy(update={"who": who})
