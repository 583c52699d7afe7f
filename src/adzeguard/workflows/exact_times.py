"""What two collections saw, with the time that the directory itself keeps of it."""

from collections.abc import Iterable
from collections.abc import Set as AbstractSet
from dataclasses import replace

from adzeguard.core.estate.estate import Estate
from adzeguard.core.identity import fold_dn
from adzeguard.core.trail.history import Known
from adzeguard.directory.port import DirectoryDriver, LinkTime, TellsLinkTimes
from adzeguard.workflows.past import AROUND


def with_exact_times(
    known: Iterable[Known], groups: AbstractSet[str], directory: DirectoryDriver, estate: Estate
) -> list[Known]:
    """Return the events, oldest first, those of some groups at the time that the directory keeps.

    It keeps the last change of each link alone: what lies before that stays between its two collections.
    """
    known = list(known)
    if not isinstance(directory, TellsLinkTimes):
        return known
    asked = [one for one in known if one.event.after is not None and one.group in groups]
    places = _dns(estate, {sid for one in asked for sid in (one.group, one.member)})
    kept: dict[tuple[str, str], LinkTime] = {}
    for group in sorted({one.group for one in asked} & places.keys()):
        for link in directory.link_times(places[group], "member"):
            kept[group, fold_dn(link.to)] = link
    exact = [_exact(one, kept.get((one.group, fold_dn(places.get(one.member, ""))))) for one in known]
    return sorted(exact, key=lambda one: one.event.at)


def _exact(known: Known, link: LinkTime | None) -> Known:
    event = known.event
    if event.after is None or link is None or link.deleted != (event.verb == "removed"):
        return known
    if not event.after - AROUND <= link.changed <= event.at + AROUND:
        return known
    return replace(known, event=replace(event, at=link.changed, after=None, source="directory"))


def _dns(estate: Estate, sids: AbstractSet[str]) -> dict[str, str]:
    ids = estate.ids_of_sids({sid for sid in sids if sid.startswith("S-1-")})
    there = estate.catalogue.principals(i for i in ids.values() if i is not None)
    return {str(one.sid): one.dn for one in there.values() if one.sid}
