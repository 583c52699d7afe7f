"""A group or an OU is made, or an object deleted: what takes the one back is the other."""

from collections.abc import Mapping
from typing import ClassVar, Literal

from pydantic import Field

from adzeguard.core.change.change import UNDO_RULE, Change, Effects, Key, Order, Touched
from adzeguard.core.change.kinds.object_change import AttributeChange, ObjectChange, values_of
from adzeguard.core.estate.named import Named
from adzeguard.core.identity import fold_dn


class CreateObject(ObjectChange):
    """Nothing of this name is expected; `attributes` are what it begins with.

    `was` is the SID of what was deleted, where something is made again: a directory that keeps it gives it back.
    """

    kind: Literal["create"] = "create"
    attributes: tuple[AttributeChange, ...] = ()
    was: str = Field("", pattern=r"^(S-1-[0-9-]+)?$", max_length=200)
    order: ClassVar[Order] = Order.MAKE

    @property
    def key(self) -> Key:
        """Whether there is such an object."""
        return ("exists", fold_dn(self.object.dn))

    def taken_back(self, last: Change, groups: Mapping[str, Named]) -> Change | None:  # noqa: ARG002 - the base's
        """Return the deletion, unless it is gone again."""
        if not isinstance(last, CreateObject):
            return None
        return DeleteObject(object=last.object, rule=UNDO_RULE, why=self.undone_why())

    def foresee(self, effects: Effects) -> None:
        """It begins with those whom it lists; a distribution group gives them nothing."""
        group_type = b"".join(values_of(self.attributes, "groupType")).decode("ascii", "replace")
        if group_type and not group_type.startswith("-"):
            return
        for value in values_of(self.attributes, "member"):
            member = effects.estate.catalogue.by_dn(value.decode("utf-8", "surrogateescape"))
            if member is not None:
                effects.held_by_made[fold_dn(self.object.dn)].add(member)


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
