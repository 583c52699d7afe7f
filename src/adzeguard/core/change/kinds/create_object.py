"""An object of the directory is made."""

from collections.abc import Mapping
from typing import ClassVar, Literal

from pydantic import Field

from adzeguard.core.change.change import UNDO_RULE, Change, Key, Order
from adzeguard.core.change.kinds.object_change import AttributeChange, ObjectChange
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
        from adzeguard.core.change.kinds.delete_object import DeleteObject

        if not isinstance(last, CreateObject):
            return None
        return DeleteObject(object=last.object, rule=UNDO_RULE, why=self.undone_why())
