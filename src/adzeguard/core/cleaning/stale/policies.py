"""Directory policies that reach nobody, or that set nothing."""

from collections.abc import Iterator
from datetime import datetime

from adzeguard.core.access.shares import whole_path
from adzeguard.core.cleaning.stale.found import Stale, StaleInput
from adzeguard.core.descriptors.descriptor import Descriptor, is_readable
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.moments import moment
from adzeguard.core.estate.places import short_dn
from adzeguard.core.estate.policy_links import policy_links
from adzeguard.core.estate.principal import LINKED_TO, Kind, Principal
from adzeguard.core.identity import Sid, fold_dn, leaf_name

_DEEP = 3
"""How deep a policy's folder lies in the share: the domain, Policies, and its own name."""
_BORN = ("{31b2f340-016d-11d2-945f-00c04fb984f9}", "{6ac1786c-016f-11d2-945f-00c04fb984f9}")
"""The two policies of every domain, by their names ([MS-GPOD] 1.1.1.2)."""


def stale_policies(looked: StaleInput) -> Iterator[Stale]:
    """Yield policies that are linked nowhere, linked where every link is off, or linked and empty."""
    links, folders = _links(looked.estate), _folders(looked)
    catalogue = looked.estate.catalogue
    found = catalogue.principals(catalogue.of_kind(Kind.POLICY).tolist()).values()
    for policy in sorted(found, key=lambda one: one.name.casefold()):
        if not looked.built_in and policy.dn.casefold().startswith(tuple(f"cn={guid}" for guid in _BORN)):
            continue
        places = links.get(fold_dn(policy.dn), [])
        changed = _changed(policy)
        about = _by_whom(looked, policy)
        if not places:
            yield Stale.of(policy, "linked-nowhere", f"it is linked nowhere{about}", changed)
        elif not any(on for _, on in places):
            yield Stale.of(policy, "link-off", f"every link is off: {_named(places)}{about}", changed)
        if folders and _guid(policy.dn) not in folders:
            yield Stale.of(policy, "without-folder", f"its folder on the server is missing{about}", changed)
        if places and str(policy.details.get("version", "")) == "0":
            yield Stale.of(policy, "empty", f"it sets nothing, and is linked to {_named(places)}{about}", changed)
    yield from folders_without_policy(looked)


def folders_without_policy(looked: StaleInput) -> Iterator[Stale]:
    """Yield the folders of policies of which the object is gone: only where the share of the domain was read."""
    catalogue = looked.estate.catalogue
    known = {_guid(one.dn) for one in catalogue.principals(catalogue.of_kind(Kind.POLICY).tolist()).values()}
    for guid, path in sorted(_folders(looked).items()):
        if guid not in known:
            yield Stale("folder-without-policy", "the folder of a directory policy that is gone", path)


def _folders(looked: StaleInput) -> dict[str, str]:
    """Return by the names of policies where their folders lie ([MS-GPOD] 1.1.1.2), as the share was read."""
    found: dict[str, str] = {}
    for share in looked.shared.shares:
        for folder in looked.shared.folders.get(share, ()) if share.name.casefold() == "sysvol" else ():
            parts = folder.path.split("\\")
            if len(parts) == _DEEP and parts[1].casefold() == "policies" and parts[2].startswith("{"):
                found[parts[2].casefold()] = whole_path(share, folder)
    return found


def _guid(dn: str) -> str:
    return leaf_name(dn).casefold()


def _links(estate: Estate) -> dict[str, list[tuple[str, bool]]]:
    """Return by the folded name of each policy where it is linked, and whether the link is on."""
    found: dict[str, list[tuple[str, bool]]] = {}
    catalogue = estate.catalogue
    ids = [i for kind in LINKED_TO for i in catalogue.of_kind(kind).tolist()]
    for ou in catalogue.principals(ids).values():
        for link in policy_links(str(ou.details.get("policy_links", ""))):
            found.setdefault(fold_dn(link.policy_dn), []).append((short_dn(estate, ou.dn), link.on))
    return found


def _named(places: list[tuple[str, bool]]) -> str:
    return ", ".join(place for place, _ in places)


def _changed(policy: Principal) -> datetime | None:
    return moment(policy.details.get("changed")) or moment(policy.details.get("created"))


def _by_whom(looked: StaleInput, policy: Principal) -> str:
    """Say who owns it: its maker, so that there is somebody to ask."""
    raw = looked.estate.catalogue.descriptors([policy.id]).get(policy.id, b"")
    owner = Descriptor.from_bytes(raw).owner if is_readable(raw) else None
    return f"; owned by {looked.rights.holder(Sid(owner)).qualified_name}" if owner else ""
