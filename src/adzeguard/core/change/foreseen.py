"""The directory as it will be after a proposal, looked up like the one that stands: members, places and rights."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from adzeguard.core.change.change import Change
from adzeguard.core.change.kinds.change_rights import ChangeRights
from adzeguard.core.change.kinds.move_object import MoveObject
from adzeguard.core.change.kinds.set_attributes import SetAttributes
from adzeguard.core.change.outlook import Outlook
from adzeguard.core.descriptors.descriptor import Descriptor, is_readable
from adzeguard.core.descriptors.inheritance import handed_on
from adzeguard.core.errors import InputError
from adzeguard.core.estate.catalogue import Catalogue, DescriptorUse
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.foreign import ForeignName
from adzeguard.core.estate.links import Ids
from adzeguard.core.estate.principal import Flag, Kind, Principal
from adzeguard.core.identity import fold_dn, is_below, parent_dn
from adzeguard.core.rights.delegations import Rights
from adzeguard.core.rights.questions import class_of
from adzeguard.core.rights.schema import Schema


def foreseen_rights(rights: Rights, changes: Sequence[Change], after: Outlook) -> Rights:
    """Return the estate as it will be, to ask it what the one that stands is asked."""
    estate = rights.estate
    catalogue = ForeseenCatalogue(estate.catalogue, rights.schema, changes)
    return Rights(Estate(estate.taken_at, estate.domain, catalogue, after.graph, ()), rights.schema, rights.duties)


class ForeseenCatalogue:
    """Objects under the names and the rights that they will have. What is made or deleted is not seen here.

    A descriptor is worked out when it is asked for: its own changes, and what the changed rights of its container, or
    another container, hand down.
    """

    def __init__(self, standing: Catalogue, schema: Schema, changes: Iterable[Change]) -> None:
        self._standing = standing
        self._schema = schema
        self._rights: dict[int, list[ChangeRights]] = {}
        self._moves: list[tuple[str, str, str]] = []
        self._links: dict[int, str] = {}
        for change in changes:
            if isinstance(change, MoveObject):
                self._moves.append((change.object.dn, fold_dn(change.object.dn), change.to))
            elif isinstance(change, SetAttributes):
                self._foresee_links(change)
            elif isinstance(change, ChangeRights):
                target = standing.by_dn(change.object.dn)
                if target is not None:
                    self._rights.setdefault(target, []).append(change)
        self._known: dict[int, Descriptor | None] = {}

    def _foresee_links(self, change: SetAttributes) -> None:
        """Who may change a directory policy rules what it is linked to from then on."""
        target = self._standing.by_dn(change.object.dn)
        for attribute in change.attributes:
            if attribute.name.casefold() == "gplink" and target is not None:
                self._links[target] = b"".join(attribute.after).decode("utf-8", "replace")

    def _dn_after(self, dn: str) -> str:
        for old, folded, new in self._moves:
            if fold_dn(dn) == folded:
                dn = new
            elif is_below(fold_dn(dn), folded):
                dn = f"{dn[: -len(old)]}{new}"
        return dn

    def _dn_before(self, dn: str) -> str:
        for old, _, new in reversed(self._moves):
            if fold_dn(dn) == fold_dn(new):
                dn = old
            elif is_below(fold_dn(dn), fold_dn(new)):
                dn = f"{dn[: -len(new)]}{old}"
        return dn

    def principals(self, ids: Iterable[int]) -> dict[int, Principal]:
        """Return the objects by id, where they will stand."""
        listed = self._standing.principals(ids)
        for i in self._links.keys() & listed.keys():
            listed[i] = replace(listed[i], details={**listed[i].details, "policy_links": self._links[i]})
        if not self._moves:
            return listed
        return {i: replace(p, dn=self._dn_after(p.dn)) for i, p in listed.items()}

    def by_dn(self, dn: str) -> int | None:
        """Return the object that will have this name."""
        before = self._dn_before(dn)
        moved_away = fold_dn(self._dn_after(before)) != fold_dn(dn)
        return None if moved_away else self._standing.by_dn(before)

    def descriptors(self, ids: Iterable[int]) -> dict[int, bytes]:
        """Return the descriptors that objects will have."""
        raws = self._standing.descriptors(ids)
        if not (self._rights or self._moves):
            return raws
        listed = self._standing.principals(raws)
        return {i: self._after(listed[i], raw) for i, raw in raws.items() if i in listed}

    def _after(self, principal: Principal, raw: bytes) -> bytes:
        descriptor = self._worked_out(principal, raw)
        return descriptor.to_bytes() if descriptor is not None else raw

    def _worked_out(self, principal: Principal, raw: bytes | None) -> Descriptor | None:
        """Return the descriptor of an object of the directory that stands; None for one that cannot be read."""
        if principal.id in self._known:
            return self._known[principal.id]
        if raw is None or not is_readable(raw):
            self._known[principal.id] = None
            return None
        descriptor = Descriptor.from_bytes(raw)
        was, will_be = self._above(parent_dn(principal.dn)), self._above(parent_dn(self._dn_after(principal.dn)), True)
        if was is not None and will_be is not None and was[0] is not None and will_be[1] is not None:
            guid = self._schema.classes.get(class_of(principal))
            descriptor = handed_on(was[0].entries, will_be[1].entries, descriptor, guid)
        for change in self._rights.get(principal.id, ()):
            try:
                descriptor = change.made_in(descriptor)
            except (InputError, ValueError):
                continue  # enact will call it a conflict
        self._known[principal.id] = descriptor
        return descriptor

    def _above(self, dn: str, after: bool = False) -> tuple[Descriptor | None, Descriptor | None] | None:
        """Return a container's descriptor before and after; nothing above the top."""
        found = (self.by_dn(dn) if after else self._standing.by_dn(dn)) if dn else None
        if found is None:
            return None
        raw = self._standing.descriptors([found]).get(found)
        before = Descriptor.from_bytes(raw) if raw is not None and is_readable(raw) else None
        return before, self._worked_out(self._standing.principals([found])[found], raw)

    @property
    def size(self) -> int:
        """One more than the highest id."""
        return self._standing.size

    def by_sids(self, sids: Iterable[str]) -> dict[str, int]:
        """Return the id of each SID."""
        return self._standing.by_sids(sids)

    def by_name(self, name: str) -> list[int]:
        """Return the objects that have this name now."""
        return self._standing.by_name(name)

    def by_user_principal_name(self, name: str) -> list[int]:
        """Return the objects that have this user principal name now."""
        return self._standing.by_user_principal_name(name)

    def containing(self, part: str, limit: int) -> list[int]:
        """Return objects in whose name the text stands now."""
        return self._standing.containing(part, limit)

    def beyond_ascii(self) -> Ids:
        """Return the ids of all objects whose name has letters that are none of ASCII."""
        return self._standing.beyond_ascii()

    def of_kind(self, kind: Kind) -> Ids:
        """Return the ids of all objects of a kind."""
        return self._standing.of_kind(kind)

    def count_of(self, kind: Kind) -> int:
        """Return how many objects there are of a kind."""
        return self._standing.count_of(kind)

    def times_of(self, kind: Kind) -> tuple[Ids, NDArray[np.int64]]:
        """Return the ids of all objects of a kind, and their times, which no change of ours moves."""
        return self._standing.times_of(kind)

    def flagged(self, flag: Flag) -> Ids:
        """Return the ids of all objects of which this is true."""
        return self._standing.flagged(flag)

    def below(self, dn: str) -> Ids:
        """Return the ids of all objects that lie below a container now."""
        return self._standing.below(dn)

    def holding_other_than(self, kind: Kind) -> frozenset[str]:
        """Return the folded names of the containers that hold an object of any other kind now."""
        return self._standing.holding_other_than(kind)

    def foreign_names(self) -> Mapping[str, ForeignName]:
        """Return what is known of the names of those of other domains now."""
        return self._standing.foreign_names()

    def with_detail(self, key: str) -> Ids:
        """Return the ids of all objects that have such a detail now."""
        return self._standing.with_detail(key)

    def descriptor_uses(self) -> Iterator[DescriptorUse]:
        """Yield the descriptors as they are now."""
        return self._standing.descriptor_uses()
