"""Entries of an object's descriptor are put in or taken out."""

from collections.abc import Iterable, Mapping
from typing import ClassVar, Literal

from adzeguard.core.change.change import UNDO_RULE, Change, Entry, Key, Order, Touched
from adzeguard.core.change.kinds.object_change import ObjectChange
from adzeguard.core.descriptors.ace import AceFlag
from adzeguard.core.descriptors.descriptor import Descriptor
from adzeguard.core.estate.named import Named
from adzeguard.core.identity import fold_dn


class ChangeRights(ObjectChange):
    """The entries `gives` are expected to be absent and stand afterwards; with `takes` it is the other way round."""

    kind: Literal["rights"] = "rights"
    gives: tuple[Entry, ...] = ()
    takes: tuple[Entry, ...] = ()
    gives_at: tuple[int, ...] = ()
    """Where each entry that is put in is to stand, where that is known, so that undone a list is as it was."""
    takes_at: tuple[int, ...] = ()
    """Where each that is taken out stood, noted when it is taken."""
    order: ClassVar[Order] = Order.ALTER

    def taken_back(self, last: Change, groups: Mapping[str, Named]) -> Change:  # noqa: ARG002 - the base's
        """Return the same the other way round."""
        return ChangeRights(
            object=self.object,
            gives=self.takes,
            takes=self.gives,
            gives_at=self.takes_at,
            takes_at=self.gives_at,
            rule=UNDO_RULE,
            why=self.undone_why(),
        )

    def touches(self) -> Touched:
        """The object, and what lies below where an entry is handed on: a server does not mark that as changed."""
        handed_on = any(entry.flags & AceFlag.CONTAINER_INHERIT for entry in (*self.gives, *self.takes))
        here = frozenset({self.object.dn})
        return Touched(below=here) if handed_on else Touched(here)

    def claims(self) -> tuple[Key, ...]:
        """Each entry: it belongs to who touched it last."""
        return (*self.puts_in(), *(self._key_of(entry.to_bytes()) for entry in self.takes))

    def puts_in(self) -> tuple[Key, ...]:
        """Each entry that is put in."""
        return tuple(self._key_of(entry.to_bytes()) for entry in self.gives)

    def _key_of(self, entry: bytes) -> Key:
        return ("entry", fold_dn(self.object.dn), entry.hex())

    def without(self, put_in: Iterable[Key]) -> "ChangeRights | None":
        """Return it with the entries alone that still belong to it."""
        keys = set(put_in)
        gives = tuple(entry for entry in self.gives if self._key_of(entry.to_bytes()) in keys)
        return self.model_copy(update={"gives": gives, "gives_at": ()}) if gives else None

    def made_in(self, descriptor: Descriptor) -> Descriptor:
        """Return the descriptor with the entries put in and taken out, all others and their order as they are."""
        return descriptor.with_changes(self.gives, self.takes, self.gives_at)

    def noting_places(self, descriptor: Descriptor) -> "ChangeRights":
        """Return it with where each entry stands that it takes out."""
        own = list(descriptor.entries)
        return self.model_copy(update={"takes_at": tuple(own.index(entry) for entry in self.takes)})
