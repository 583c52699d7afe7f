"""Somebody is refused logon at a host by one way, or not any more."""

from typing import ClassVar, Literal

from adzeguard.core.change.change import About, Key, Order
from adzeguard.core.change.kinds.host_setting import FactChange
from adzeguard.core.estate.hosts import HostState
from adzeguard.core.estate.logon import LOGON_REFUSAL, Way, logon_of
from adzeguard.core.identity import Sid


class _OfRefusal(FactChange):
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

    @property
    def fact(self) -> tuple[str, Sid]:
        """The way, and who."""
        return self.way, Sid(self.who.sid)

    def said(self) -> str:
        """Return that they are refused."""
        return f"{self.who.name} is refused logon by {self.way}"

    def is_so(self, state: HostState) -> bool | None:
        """Tell whether the host refuses them; None where it cannot tell that way apart."""
        rules = logon_of(state)
        return None if rules is None or self.way not in rules.refused else self.who.sid in rules.refused[self.way]


class RefuseLogon(_OfRefusal):
    """The principal is expected not to be refused, and is afterwards, even if something else lets them log on."""

    kind: Literal["refuse-logon"] = "refuse-logon"
    order: ClassVar[Order] = Order.REMOVE
    takes_access_away: ClassVar[bool] = True

    @classmethod
    def opposite(cls) -> type[FactChange]:
        """Return the end of it."""
        return EndRefusal

    def in_words(self) -> str:
        """Return "refuse X logon by Y"."""
        return f"refuse {self.who.name} logon by {self.way}"


class EndRefusal(_OfRefusal):
    """The principal is expected to be refused, and is not afterwards."""

    kind: Literal["end-refusal"] = "end-refusal"
    order: ClassVar[Order] = Order.ADD
    puts: ClassVar[bool] = False

    @classmethod
    def opposite(cls) -> type[FactChange]:
        """Return the refusal."""
        return RefuseLogon

    def in_words(self) -> str:
        """Return "refuse X logon by Y no more"."""
        return f"refuse {self.who.name} logon by {self.way} no more"
