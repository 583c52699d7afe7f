"""What became of objects between two moments: made, gone, moved, altered, and the rights and policy links over them."""

from collections.abc import Iterable, Iterator, Sequence
from datetime import UTC, datetime
from typing import Any, Final

from adzeguard.core.access.compare import Difference
from adzeguard.core.descriptors.descriptor import Descriptor, is_readable
from adzeguard.core.estate.account_control import CONTROLS
from adzeguard.core.estate.attributes import SHOWN_ATTRIBUTES
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.places import short_dn
from adzeguard.core.estate.policy_links import policy_links
from adzeguard.core.estate.principal import Flag, Kind, Principal
from adzeguard.core.identity import fold_dn, parent_dn
from adzeguard.core.rights.delegations import Delegation, Rights
from adzeguard.core.wording import when_utc

_WORDS: Final = {
    "password_set": "password set",
    "expires": "expires",
    **{one.key: one.words for one in SHOWN_ATTRIBUTES if not one.is_binary and one.key != "policy_links"},
}
_MOMENTS: Final = frozenset({"password_set", "expires"})
"""The logon stamp is none of them: it moves by itself, every day, on every account that is used."""


def altered_objects(before: Rights, after: Rights, ids: Iterable[int]) -> Iterator[Difference]:
    """Yield what differs in these objects, in the order of the directory's tree; what moves by itself is left out."""
    listed = list(ids)
    was, now = (side.estate.catalogue.principals(listed) for side in (before, after))
    had, has = (side.estate.catalogue.descriptors(listed) for side in (before, after))
    everything = {**was, **now}
    for i in sorted(everything, key=lambda i: fold_dn(everything[i].dn).split(",")[::-1]):
        old, new = was.get(i), now.get(i)
        yield from _of_object(before.estate, after.estate, old, new)
        if new is not None:
            yield from _of_links(before.estate, after.estate, old, new)
            yield from _of_rights(before, after, new, had.get(i, b""), has.get(i, b""))


def _of_object(before: Estate, after: Estate, old: Principal | None, new: Principal | None) -> Iterator[Difference]:
    if old is None or new is None:
        for there, estate, change in ((new, after, "made"), (old, before, "gone")):
            if there is not None:
                yield _about_object(there, change, f"in {short_dn(estate, parent_dn(there.dn))}")
        return
    if old.name != new.name:
        yield _about_object(new, "renamed", f"was {old.name}")
    if fold_dn(parent_dn(old.dn)) != fold_dn(parent_dn(new.dn)):
        places = short_dn(before, parent_dn(old.dn)), short_dn(after, parent_dn(new.dn))
        yield _about_object(new, "moved", "from {} to {}".format(*places))
    for words in _altered(old, new):
        yield _about_object(new, "altered", words)


def _about_object(one: Principal, change: str, detail: str) -> Difference:
    about = "policy" if one.kind == Kind.POLICY else "object"
    return Difference(one.qualified_name, change, "", one.kind.label, about=about, detail=detail)


def _altered(old: Principal, new: Principal) -> Iterator[str]:
    if old.enabled != new.enabled:
        yield "enabled" if new.enabled else "disabled"
    for control in CONTROLS:
        if control.flag != Flag.ENABLED and (old.flags ^ new.flags) & control.flag:
            yield f"{control.name}: {'on' if new.flags & control.flag else 'off'}"
    if old.group_scope != new.group_scope:
        yield f"scope: {old.group_scope or 'none'}, now {new.group_scope or 'none'}"
    if (old.flags ^ new.flags) & Flag.SECURITY_GROUP:
        yield "made a security group" if new.flags & Flag.SECURITY_GROUP else "made a distribution group"
    for key, label in _WORDS.items():
        first, then = old.details.get(key), new.details.get(key)
        if first != then:
            yield f"{label}: {_said(key, first)}, now {_said(key, then)}"
    if old.details.get("logon_hours") != new.details.get("logon_hours"):
        yield "the hours in which it may log on"


def _said(key: str, value: Any) -> str:
    if value in (None, ""):
        return "nothing"
    if key in _MOMENTS:
        try:
            return when_utc(datetime.fromtimestamp(int(value), UTC))
        except (ValueError, OverflowError, OSError):  # a directory can hold any 64-bit number as a time
            return str(value)
    return ", ".join(map(str, value)) if isinstance(value, list) else str(value)


def _of_links(before: Estate, after: Estate, old: Principal | None, new: Principal) -> Iterator[Difference]:
    """Yield the policies that are linked now and were not, and the other way round, and links that were switched."""
    had, has = (_links(one) for one in (old, new))
    for dn in dict.fromkeys((*had, *has)):
        first, then = had.get(dn), has.get(dn)
        if first == then:
            continue
        change = "linked" if first is None else "altered" if then is not None else "unlinked"
        policy = _policy_name(after, dn) or _policy_name(before, dn) or dn
        yield Difference(new.qualified_name, change, policy, new.kind.label, about="policy-link", detail=then or "")


def _links(one: Principal | None) -> dict[str, str]:
    if one is None:
        return {}
    return {
        fold_dn(link.policy_dn): ", ".join(
            ["link is on" if link.on else "link is off", *["cannot be blocked"] * link.enforced]
        )
        for link in policy_links(str(one.details.get("policy_links", "")))
    }


def _policy_name(estate: Estate, dn: str) -> str:
    found = estate.catalogue.by_dn(dn)
    return estate.principal(found).name if found is not None else ""


def _of_rights(before: Rights, after: Rights, there: Principal, had: bytes, has: bytes) -> Iterator[Difference]:
    """Yield what was given or denied on the object itself, and is no more; what comes from above is told above."""
    if had == has:
        return
    was, now = _own(before, there, had), _own(after, there, has)
    for change, some, others in (("lost", was, now), ("gained", now, was)):
        known = {one.sentence for one in others}
        for one in some:
            if one.sentence not in known:
                label, holder = there.kind.label, one.holder.qualified_name
                yield Difference(there.qualified_name, change, holder, label, about="right", detail=one.sentence)


def _own(rights: Rights, there: Principal, raw: bytes) -> Sequence[Delegation]:
    if not is_readable(raw):
        return ()
    entries = [entry for entry in Descriptor.from_bytes(raw).entries if not entry.inherited]
    domain = rights.estate.domain.holding(there.dn)
    return rights.delegations_of(there, [entry for entry in entries if not rights.is_built_in(entry, domain)])
