"""Who alone may log on at a host by one way: a whole list, since it shuts out everybody else."""

from collections.abc import Callable
from typing import Any, ClassVar, Literal, Self

from adzeguard.core.change.change import About, Key, Order
from adzeguard.core.change.kinds.host_setting import ValueChange
from adzeguard.core.estate.hosts import HostState
from adzeguard.core.estate.logon import LOGON_LIMIT, LOGON_REFUSAL, Way, logon_of
from adzeguard.core.estate.named import Named
from adzeguard.core.identity import Sid

_SHOWN = 4


class SetLogonAlone(ValueChange):
    """The list is expected to be `before`, and is `after` afterwards; None stands for no such limit."""

    kind: Literal["logon-alone"] = "logon-alone"
    way: Way
    before: tuple[Named, ...] | None = None
    after: tuple[Named, ...] | None = None
    order: ClassVar[Order] = Order.ALTER
    needs: ClassVar[str] = LOGON_REFUSAL.name
    takes_access_away: ClassVar[bool] = True

    @staticmethod
    def value_of(*held: Any) -> frozenset[Sid] | None:
        """Return the SIDs of a list."""
        (listed,) = held
        return None if listed is None else frozenset(Sid(one.sid) for one in listed)

    @property
    def fact(self) -> str:
        """The way."""
        return self.way

    @property
    def key(self) -> Key:
        """The list."""
        return ("logon-alone", self.host.casefold(), self.way)

    @property
    def about(self) -> About:
        """The way."""
        return About(group=f"logon by {self.way}")

    def in_words(self) -> str:
        """Return who alone may log on, or that everybody may again."""
        if self.after is None:
            return f"let everybody log on by {self.way} who is not refused"
        names = [one.name for one in self.after]
        more = f" and {len(names) - _SHOWN} more" if len(names) > _SHOWN else ""
        return f"let nobody log on by {self.way} but {', '.join(names[:_SHOWN])}{more}"

    def said(self) -> str:
        """Return that there is a list."""
        return f"only some may log on by {self.way}"

    def lacking(self, state: HostState) -> str:
        """Some hosts tell who is refused, and no more."""
        return LOGON_LIMIT if LOGON_LIMIT in state.lacks else super().lacking(state)

    def renamed(self, renaming: Callable[[Named], Named]) -> Self:
        """Return it with other identities in its lists."""
        before, after = (
            None if listed is None else tuple(renaming(one) for one in listed) for listed in (self.before, self.after)
        )
        same = (before, after) == (self.before, self.after)
        return self if same else self.model_copy(update={"before": before, "after": after})

    def has_place(self, state: HostState) -> bool:
        """Tell whether the host can tell that way apart."""
        rules = logon_of(state)
        return rules is not None and self.way in rules.refused

    def value_on(self, state: HostState) -> frozenset[Sid] | None:
        """Return the list that the host has."""
        rules = logon_of(state)
        return rules.alone.get(self.way) if rules is not None else None
