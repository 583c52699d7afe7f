"""Whether the rights of some entries stand in others, be it many in one, as a directory makes them, or each alone."""

from collections.abc import Iterable, Sequence

from adzeguard.core.descriptors.ace import Ace, Right, without_generic

LOOKING = int(Right.READ_PROPERTY | Right.LIST_CHILDREN | Right.LIST_OBJECT | Right.READ_CONTROL)
"""The rights by which nothing can be changed."""
_RULING = int(Right.WRITE_DAC | Right.WRITE_OWNER)


class Standing:
    """What some entries give and deny, asked by entry; a directory's own entries often have many rights in one."""

    def __init__(self, entries: Iterable[Ace]) -> None:
        self._masks: dict[Ace, int] = {}
        for entry in entries:
            form = _form(entry)
            self._masks[form] = self._masks.get(form, 0) | without_generic(entry.mask)

    def has(self, wanted: Ace) -> bool:
        """Tell whether all rights of an entry stand, for the same holder and in the same extent."""
        return not without_generic(wanted.mask) & ~self._masks.get(_form(wanted), 0)

    def accounts_for(self, entry: Ace) -> bool:
        """Tell whether all rights of an entry are among these; looking goes without saying for who may change anything.

        The entries of a domain's own groups have both in one, without one of the rights of looking.
        """
        known = self._masks.get(_form(entry), 0)
        left = without_generic(entry.mask) & ~known
        return not left or (rules_everything(entry) and bool(known & _RULING) and not left & ~LOOKING)


def rules_everything(entry: Ace) -> bool:
    """Tell whether an entry gives the rights by which all others can be given."""
    return not entry.denies and entry.object_type is None and without_generic(entry.mask) & _RULING == _RULING


def missing_of(wanted: Iterable[Ace], standing: Iterable[Ace]) -> list[Ace]:
    """Return the entries of which a right does not stand."""
    there = Standing(standing)
    return [entry for entry in wanted if not there.has(entry)]


def all_among(entries: Sequence[Ace], known: Iterable[Ace]) -> bool:
    """Tell whether all rights of all entries are among those of others."""
    there = Standing(known)
    return all(there.accounts_for(entry) for entry in entries)


def _form(entry: Ace) -> Ace:
    """Return the entry as it would stand with no right at all; one for everything and one for a type differ alone."""
    return Ace(entry.kind, entry.flags, 0, entry.sid, entry.object_type, entry.inherited_type, entry.tail)
