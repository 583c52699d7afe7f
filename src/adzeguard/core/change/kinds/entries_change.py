"""What changes of entries have in common, whether of an object's descriptor or of a folder's."""

from typing import Any, ClassVar, Self

from adzeguard.core.change.change import UNDO_RULE, Change, Entry, Order
from adzeguard.core.descriptors.descriptor import Descriptor


class EntriesChange(Change):
    """The entries `gives` are expected to be absent and stand afterwards; with `takes` it is the other way round."""

    gives: tuple[Entry, ...] = ()
    takes: tuple[Entry, ...] = ()
    gives_at: tuple[int, ...] = ()
    """Where each entry that is put in is to stand, where that is known, so that undone a list is as it was."""
    takes_at: tuple[int, ...] = ()
    """Where each that is taken out stood, noted when it is taken."""
    order: ClassVar[Order] = Order.ALTER

    def turned(self, **update: Any) -> Self:
        """Return the same the other way round, as what takes it back."""
        around = {"gives": self.takes, "takes": self.gives, "gives_at": self.takes_at, "takes_at": self.gives_at}
        return self.by(UNDO_RULE, self.undone_why(), id="", leaves=False, **around, **update)

    def made_in(self, descriptor: Descriptor) -> Descriptor:
        """Return the descriptor with the entries put in and taken out, all others and their order as they are."""
        return descriptor.with_changes(self.gives, self.takes, self.gives_at)

    def noting_places(self, descriptor: Descriptor) -> Self:
        """Return it with where each entry stands that it takes out."""
        own = list(descriptor.entries)
        return self.model_copy(update={"takes_at": tuple(own.index(entry) for entry in self.takes)})
