"""Somebody is refused logon at a host by one way, or not any more."""

from collections.abc import Mapping
from typing import ClassVar, Literal

from adzeguard.core.change.change import UNDO_RULE, About, Change, Key, Order
from adzeguard.core.change.kinds.host_setting import HostSettingOfSomebody
from adzeguard.core.estate.hosts import HostState
from adzeguard.core.estate.logon import LOGON_REFUSAL, Way, logon_of
from adzeguard.core.estate.named import Named


class _OfRefusal(HostSettingOfSomebody):
    way: Way
    needs: ClassVar[str] = LOGON_REFUSAL.name

    @property
    def key(self) -> Key:
        """Whether this principal is refused there by this way."""
        return ("refusal", self.host.casefold(), self.way, self.who.key)

    @property
    def about(self) -> About:
        """The way, and who."""
        return About(group=f"logon by {self.way}", member=self.who.name)

    def _is_refused(self, state: HostState) -> bool | None:
        rules = logon_of(state)
        return None if rules is None or self.way not in rules.refused else self.who.sid in rules.refused[self.way]


class RefuseLogon(_OfRefusal):
    """The principal is expected not to be refused, and is afterwards, whatever else lets them log on."""

    kind: Literal["refuse-logon"] = "refuse-logon"
    order: ClassVar[Order] = Order.REMOVE
    takes_access_away: ClassVar[bool] = True

    def in_words(self) -> str:
        """Return "refuse X logon by Y"."""
        return f"refuse {self.who.name} logon by {self.way}"

    def taken_back(self, last: Change, groups: Mapping[str, Named]) -> Change | None:  # noqa: ARG002 - the base's
        """Return its end, unless it was ended since."""
        return self.ended(UNDO_RULE, self.undone_why()) if isinstance(last, RefuseLogon) else None

    def ended(self, rule: str, why: str) -> Change:
        """Return the change that ends it."""
        return EndRefusal(host=self.host, way=self.way, who=self.who, rule=rule, why=why)

    def puts_in(self) -> tuple[Key, ...]:
        """The refusal."""
        return self.claims()

    def stands(self, state: HostState) -> bool | None:
        """Tell whether the host refuses them; nothing where it cannot tell that way apart."""
        return self._is_refused(state)


class EndRefusal(_OfRefusal):
    """The principal is expected to be refused, and is not afterwards."""

    kind: Literal["end-refusal"] = "end-refusal"
    order: ClassVar[Order] = Order.ADD

    def in_words(self) -> str:
        """Return "refuse X logon by Y no more"."""
        return f"refuse {self.who.name} logon by {self.way} no more"

    def taken_back(self, last: Change, groups: Mapping[str, Named]) -> Change | None:  # noqa: ARG002 - the base's
        """Return the refusal, unless somebody refused them again since."""
        if not isinstance(last, EndRefusal):
            return None
        return RefuseLogon(host=self.host, way=self.way, who=self.who, rule=UNDO_RULE, why=self.undone_why())

    def stands(self, state: HostState) -> bool | None:
        """Tell whether the host refuses them no more."""
        refused = self._is_refused(state)
        return None if refused is None else not refused
