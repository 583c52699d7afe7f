"""An object of the directory is deleted."""

from collections.abc import Mapping
from typing import ClassVar, Literal

from adzeguard.core.change.change import UNDO_RULE, Change, Effects, Key, Order, Touched
from adzeguard.core.change.kinds.create_object import CreateObject
from adzeguard.core.change.kinds.object_change import AttributeChange, ObjectChange
from adzeguard.core.estate.named import Named
from adzeguard.core.identity import fold_dn


class DeleteObject(ObjectChange):
    """The object goes. In the journal `attributes` keep what stood in it, so that it can be made again."""

    kind: Literal["delete"] = "delete"
    attributes: tuple[AttributeChange, ...] = ()
    order: ClassVar[Order] = Order.DELETE
    takes_access_away: ClassVar[bool] = True
    uproots: ClassVar[str] = "deleted"

    @property
    def key(self) -> Key:
        """Whether there is such an object."""
        return ("exists", fold_dn(self.object.dn))

    def taken_back(self, last: Change, groups: Mapping[str, Named]) -> Change | None:  # noqa: ARG002 - the base's
        """Return the making of a new object like it, unless it was made again since."""
        if not isinstance(last, DeleteObject):
            return None
        return CreateObject(
            object=self.object.made_again(),
            attributes=tuple(a.turned() for a in self.attributes),
            was=self.object.sid,
            rule=UNDO_RULE,
            why=self.undone_why(),
        )

    def foresee(self, effects: Effects) -> None:
        """It is in no group any more."""
        gone = effects.id_of(self.object)
        if gone is not None:
            effects.deleted.add(self.object.sid)
            effects.gone.add(gone)
            for group in effects.estate.graph.groups_listing(gone).tolist():
                effects.lost[group].add(gone)

    def touches(self) -> Touched:
        """Nothing: there is nothing to read."""
        return Touched()
