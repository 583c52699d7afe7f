"""An account of a host itself is disabled, or enabled again."""

from collections.abc import Mapping
from typing import ClassVar, Literal

from adzeguard.core.change.change import UNDO_RULE, About, Change, Key, Order
from adzeguard.core.change.kinds.host_setting import HostSettingOfSomebody
from adzeguard.core.estate.capabilities import OWN_ACCOUNTS
from adzeguard.core.estate.hosts import HostState
from adzeguard.core.estate.named import Named


class _OfOwnAccount(HostSettingOfSomebody):
    needs: ClassVar[str] = OWN_ACCOUNTS.name

    @property
    def key(self) -> Key:
        """Whether the account can be used."""
        return ("own-account", self.host.casefold(), self.who.key)

    @property
    def about(self) -> About:
        """The account."""
        return About(member=self.who.name)

    def _is_enabled(self, state: HostState) -> bool | None:
        return next((account.enabled for account in state.accounts if account.sid == self.who.sid), None)


class DisableOwnAccount(_OfOwnAccount):
    """The account is expected to be enabled, and is not afterwards."""

    kind: Literal["disable-own-account"] = "disable-own-account"
    order: ClassVar[Order] = Order.REMOVE
    takes_access_away: ClassVar[bool] = True

    def in_words(self) -> str:
        """Return "disable X"."""
        return f"disable {self.who.name}"

    def taken_back(self, last: Change, groups: Mapping[str, Named]) -> Change | None:  # noqa: ARG002 - the base's
        """Return its enabling, unless it was enabled since."""
        return self.ended(UNDO_RULE, self.undone_why()) if isinstance(last, DisableOwnAccount) else None

    def ended(self, rule: str, why: str) -> Change:
        """Return the change that enables it again."""
        return EnableOwnAccount(host=self.host, who=self.who, rule=rule, why=why)

    def puts_in(self) -> tuple[Key, ...]:
        """That it is disabled."""
        return self.claims()

    def stands(self, state: HostState) -> bool | None:
        """Tell whether it is disabled; nothing where the host has no such account."""
        enabled = self._is_enabled(state)
        return None if enabled is None else not enabled


class EnableOwnAccount(_OfOwnAccount):
    """The account is expected to be disabled, and is not afterwards."""

    kind: Literal["enable-own-account"] = "enable-own-account"
    order: ClassVar[Order] = Order.ADD

    def in_words(self) -> str:
        """Return "enable X"."""
        return f"enable {self.who.name}"

    def taken_back(self, last: Change, groups: Mapping[str, Named]) -> Change | None:  # noqa: ARG002 - the base's
        """Return its disabling, unless it was disabled since."""
        if not isinstance(last, EnableOwnAccount):
            return None
        return DisableOwnAccount(host=self.host, who=self.who, rule=UNDO_RULE, why=self.undone_why())

    def stands(self, state: HostState) -> bool | None:
        """Tell whether it is enabled."""
        return self._is_enabled(state)
