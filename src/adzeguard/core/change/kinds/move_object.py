"""An object gets another name, or another place."""

from collections.abc import Mapping
from dataclasses import replace
from typing import ClassVar, Literal

from adzeguard.core.change.change import UNDO_RULE, Change, Order, Touched
from adzeguard.core.change.kinds.object_change import ObjectChange
from adzeguard.core.estate.named import Named


class MoveObject(ObjectChange):
    """The object, with all below it, is called `to` afterwards."""

    kind: Literal["move"] = "move"
    to: str
    order: ClassVar[Order] = Order.ALTER
    uproots: ClassVar[str] = "moved"

    def taken_back(self, last: Change, groups: Mapping[str, Named]) -> Change:  # noqa: ARG002 - the base's
        """Return the move back."""
        there = replace(self.object, dn=self.to)
        return MoveObject(
            object=there,
            to=self.object.dn,
            rule=UNDO_RULE,
            why=self.undone_why(),
        )

    def touches(self) -> Touched:
        """All that lies below, since every name there is another."""
        return Touched(below=frozenset({self.to}))
