"""Entries of an object's descriptor are put in or taken out."""

from collections.abc import Iterable, Mapping
from typing import Literal

from adzeguard.core.change.change import Change, Key, Touched
from adzeguard.core.change.kinds.entries_change import EntriesChange
from adzeguard.core.change.kinds.object_change import ObjectChange
from adzeguard.core.descriptors.ace import AceFlag
from adzeguard.core.estate.named import Named
from adzeguard.core.identity import fold_dn


class ChangeRights(EntriesChange, ObjectChange):
    """The entries are those of the list of grants of an object's descriptor."""

    kind: Literal["rights"] = "rights"

    def taken_back(self, last: Change, groups: Mapping[str, Named]) -> Change:  # noqa: ARG002 - the base's
        """Return the same the other way round."""
        return self.turned(words="")

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
