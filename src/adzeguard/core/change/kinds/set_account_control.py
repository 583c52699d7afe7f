"""How an account signs in is changed, one bit of it: others write the same attribute for reasons of their own."""

from collections.abc import Mapping
from typing import ClassVar, Literal

from adzeguard.core.change.change import UNDO_RULE, Change, Effects, Key, Order
from adzeguard.core.change.kinds.object_change import ObjectChange
from adzeguard.core.estate.account_control import ControlName, control_named
from adzeguard.core.estate.named import Named


class SetAccountControl(ObjectChange):
    """`control` is expected to be otherwise, and is on or off afterwards."""

    kind: Literal["set-account-control"] = "set-account-control"
    control: ControlName
    on: bool
    order: ClassVar[Order] = Order.ALTER
    takes_access_away: ClassVar[bool] = True

    @property
    def key(self) -> Key:
        """The control of the account."""
        return ("control", self.object.key, self.control)

    @property
    def as_words(self) -> str:
        """What it does, with a place for the name."""
        control = control_named(self.control)
        return control.on if self.on else control.off

    def taken_back(self, last: Change, groups: Mapping[str, Named]) -> Change | None:  # noqa: ARG002 - the base's
        """Return it turned, unless it was turned since."""
        if not isinstance(last, SetAccountControl) or last.on != self.on:
            return None
        return self.turned().by(UNDO_RULE, self.undone_why(), id="", words="", leaves=False)

    def turned(self) -> "SetAccountControl":
        """Return the change back."""
        return self.model_copy(update={"on": not self.on})

    def foresee(self, effects: Effects) -> None:
        """A disabled account acts for nobody any more, however they are inside."""
        account = effects.id_of(self.object)
        if account is not None and self.control == "disabled" and self.on:
            effects.gone.add(account)

    def claims(self) -> tuple[Key, ...]:
        """The control."""
        return (self.key,)

    def puts_in(self) -> tuple[Key, ...]:
        """The control."""
        return (self.key,)

    def restores(self, earlier: Change) -> bool:
        """Tell whether it only turns back what an earlier one turned."""
        return isinstance(earlier, SetAccountControl) and earlier.on != self.on
