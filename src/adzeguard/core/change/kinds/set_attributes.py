"""Attributes of an object are set."""

from collections.abc import Iterable, Mapping
from typing import ClassVar, Literal

from adzeguard.core.change.change import UNDO_RULE, Change, Effects, Key, Order
from adzeguard.core.change.kinds.object_change import AttributeChange, ObjectChange, values_of
from adzeguard.core.estate.named import Named
from adzeguard.core.file_time import is_never
from adzeguard.core.identity import fold_dn
from adzeguard.core.wellknown import SECURITY_ENABLED


class SetAttributes(ObjectChange):
    """`attributes` are changed where they stand as expected."""

    kind: Literal["set"] = "set"
    attributes: tuple[AttributeChange, ...]
    order: ClassVar[Order] = Order.ALTER
    takes_access_away: ClassVar[bool] = True

    def taken_back(self, last: Change, groups: Mapping[str, Named]) -> Change:  # noqa: ARG002 - the base's
        """Return the values that stood before."""
        return SetAttributes(
            object=self.object,
            attributes=tuple(a.turned() for a in self.attributes),
            rule=UNDO_RULE,
            why=self.undone_why(),
        )

    def foresee(self, effects: Effects) -> None:
        """A group that becomes one for mail alone gives no access; an account may be limited, or expire."""
        known = effects.id_of(self.object)
        if known is None:
            return
        effects.values[known] |= {one.name.casefold(): one.after for one in self.attributes}
        expiry = (values_of(self.attributes, "accountExpires") or (b"0",))[0]
        if expiry.isdigit() and not is_never(int(expiry)):
            effects.gone.add(known)  # from then on: what ends in time is nothing that anybody can lean on
        kind = (values_of(self.attributes, "groupType") or (b"",))[0].decode("ascii", "replace")
        if kind.removeprefix("-").isdecimal():
            effects.security[known] = bool(int(kind) & SECURITY_ENABLED)

    def claims(self) -> tuple[Key, ...]:
        """Each value that was expected, and each that shall stand: it belongs to who set it until it is replaced."""
        return (*self._keys(before=True), *self.puts_in())

    def puts_in(self) -> tuple[Key, ...]:
        """Each value that shall stand."""
        return self._keys(before=False)

    def restores(self, earlier: Change) -> bool:
        """Tell whether it puts back the values that stood before an earlier one."""
        if not isinstance(earlier, SetAttributes):
            return False
        return [a.before for a in earlier.attributes] == [a.after for a in self.attributes]

    def _keys(self, *, before: bool) -> tuple[Key, ...]:
        return tuple(
            ("value", fold_dn(self.object.dn), a.name.casefold(), value.hex())
            for a in self.attributes
            for value in (a.before if before else a.after)
        )

    def without(self, put_in: Iterable[Key]) -> "SetAttributes | None":
        """A setting is taken back whole or not at all."""
        return self if set(self.puts_in()) <= set(put_in) else None
