"""An account of a host itself is disabled, or enabled again."""

from typing import ClassVar, Literal

from adzeguard.core.change.change import About, Key, Order
from adzeguard.core.change.kinds.host_setting import FactChange
from adzeguard.core.estate.capabilities import OWN_ACCOUNTS
from adzeguard.core.estate.hosts import HostState
from adzeguard.core.identity import Sid


class _OfOwnAccount(FactChange):
    needs: ClassVar[str] = OWN_ACCOUNTS.name

    @property
    def key(self) -> Key:
        """Whether the account can be used."""
        return ("own-account", self.host.casefold(), self.who.key)

    @property
    def about(self) -> About:
        """The account."""
        return About(member=self.who.name)

    @property
    def fact(self) -> Sid:
        """The account."""
        return Sid(self.who.sid)

    def said(self) -> str:
        """Return that it is disabled."""
        return f"{self.who.name} is disabled"

    def is_so(self, state: HostState) -> bool | None:
        """Tell whether it is disabled; None where the host has no such account."""
        return next((not account.enabled for account in state.accounts if account.sid == self.who.sid), None)


class DisableOwnAccount(_OfOwnAccount):
    """The account is expected to be enabled, and is not afterwards."""

    kind: Literal["disable-own-account"] = "disable-own-account"
    order: ClassVar[Order] = Order.REMOVE
    takes_access_away: ClassVar[bool] = True

    @classmethod
    def opposite(cls) -> type[FactChange]:
        """Return its enabling."""
        return EnableOwnAccount

    def in_words(self) -> str:
        """Return "disable X"."""
        return f"disable {self.who.name}"


class EnableOwnAccount(_OfOwnAccount):
    """The account is expected to be disabled, and is not afterwards."""

    kind: Literal["enable-own-account"] = "enable-own-account"
    order: ClassVar[Order] = Order.ADD
    puts: ClassVar[bool] = False

    @classmethod
    def opposite(cls) -> type[FactChange]:
        """Return its disabling."""
        return DisableOwnAccount

    def in_words(self) -> str:
        """Return "enable X"."""
        return f"enable {self.who.name}"
