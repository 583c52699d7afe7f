"""Who alone may log on at a host by one way: a whole list, since it shuts out everybody else."""

from collections.abc import Callable, Mapping
from typing import ClassVar, Literal, Self

from adzeguard.core.change.change import UNDO_RULE, About, Change, Key, Order
from adzeguard.core.change.kinds.host_setting import HostSettingChange
from adzeguard.core.estate.hosts import HostState
from adzeguard.core.estate.logon import LOGON_LIMIT, LOGON_REFUSAL, Way, logon_of
from adzeguard.core.estate.named import Named
from adzeguard.core.identity import Sid

_SHOWN = 4


class SetLogonAlone(HostSettingChange):
    """The list is expected to be `before`, and is `after` afterwards; nothing stands for no such limit."""

    kind: Literal["logon-alone"] = "logon-alone"
    way: Way
    before: tuple[Named, ...] | None = None
    after: tuple[Named, ...] | None = None
    order: ClassVar[Order] = Order.ALTER
    needs: ClassVar[str] = LOGON_REFUSAL.name
    takes_access_away: ClassVar[bool] = True

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

    def taken_back(self, last: Change, groups: Mapping[str, Named]) -> Change | None:  # noqa: ARG002 - the base's
        """Return the change to the list as it was."""
        if not isinstance(last, SetLogonAlone) or _sids(last.after) == _sids(self.before):
            return None
        return self.model_copy(
            update={
                "id": "",
                "before": last.after,
                "after": self.before,
                "rule": UNDO_RULE,
                "why": self.undone_why(),
                "leaves": False,
            }
        )

    def lacking(self, state: HostState) -> str:
        """Some hosts tell who is refused, and no more."""
        return LOGON_LIMIT if LOGON_LIMIT in state.lacks else super().lacking(state)

    def puts_in(self) -> tuple[Key, ...]:
        """The list, where there is one."""
        return self.claims() if self.after is not None else ()

    def renamed(self, renaming: Callable[[Named], Named]) -> Self:
        """Return it with other identities in its lists."""
        before, after = (
            None if listed is None else tuple(renaming(one) for one in listed) for listed in (self.before, self.after)
        )
        same = (before, after) == (self.before, self.after)
        return self if same else self.model_copy(update={"before": before, "after": after})

    def stands(self, state: HostState) -> bool | None:
        """Tell whether the host has this list; nothing where it cannot tell that way apart."""
        rules = logon_of(state)
        if rules is None or self.way not in rules.refused:
            return None
        return rules.alone.get(self.way) == _sids(self.after)

    def finds(self, state: HostState) -> bool:
        """Tell whether the host has the list that was seen when this was proposed."""
        rules = logon_of(state)
        return rules is not None and rules.alone.get(self.way) == _sids(self.before)


def _sids(listed: tuple[Named, ...] | None) -> frozenset[Sid] | None:
    return None if listed is None else frozenset(Sid(one.sid) for one in listed)
