"""Who is inside groups of other domains, as their own directories tell."""

from collections import deque
from collections.abc import Iterable, Mapping, Sequence
from collections.abc import Set as AbstractSet
from dataclasses import field

from adzeguard.core.descriptors.outsiders import row_of_insider, sids_of_others, with_members
from adzeguard.core.errors import AdzeguardError, SettingsError
from adzeguard.core.estate.catalogue import Domain
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.foreign import KNOWN, MEMBERS_READ, ONLY_INSIDE, ForeignName
from adzeguard.core.estate.principal import Flag, Kind
from adzeguard.core.estate.rows import Observed
from adzeguard.core.identity import OF_A_DOMAIN, Sid, dn_of_sid
from adzeguard.core.values import dataclass
from adzeguard.directory.decode import observe
from adzeguard.directory.port import DirectoryDriver, Entry, TellsMembers

_LABELS = {Kind.USER: "user", Kind.COMPUTER: "computer", Kind.GROUP: "group", Kind.SERVICE: "user"}


@dataclass(frozen=True, slots=True)
class OtherDomain:
    """The directory of another domain, by its name in the settings."""

    name: str
    directory: DirectoryDriver


@dataclass(frozen=True, slots=True)
class Told:
    """What other domains said: rows of their groups with members, rows of those inside, names, and who said nothing."""

    rows: Mapping[str, Observed] = field(default_factory=dict)
    """By SID; those that stood here before, and new ones."""
    names: Sequence[ForeignName] = ()
    silent: Sequence[str] = ()


def told_by(
    others: Iterable[OtherDomain], standing: Mapping[str, Observed], people: AbstractSet[str], own: Sid, now: int
) -> Told:
    """Ask each other domain who is inside those of its groups that stand here, and inside these, to the last.

    `standing` are the rows of those of other domains, by SID; `people` are no groups, and need not be asked about. One
    that does not answer, or not to the end, is left out whole: what was read of it before goes on holding. `own` is
    the domain that asks.
    """
    rows: dict[str, Observed] = {}
    names: list[ForeignName] = []
    silent: list[str] = []
    for other in others:
        try:
            one = _OneDomain(other, standing, now)
            one.ask(people, own)
        except AdzeguardError as error:
            silent.append(f"{other.name}: {error.message}")
        else:
            rows |= one.rows
            names += one.names.values()
    return Told(rows, names, silent)


class _OneDomain:
    def __init__(self, other: OtherDomain, standing: Mapping[str, Observed], now: int) -> None:
        self._directory, self._standing, self._now = other.directory, standing, now
        self._domain: Domain = other.directory.facts().domain
        self.rows: dict[str, Observed] = {}
        self.names: dict[str, ForeignName] = {}

    def ask(self, people: AbstractSet[str], own: Sid) -> None:
        if self._domain.sid == own:
            raise SettingsError(f"it serves {self._domain.dns_name}, this domain itself")
        if not isinstance(self._directory, TellsMembers):
            raise SettingsError("its driver does not tell who is inside a group")
        waiting = deque(sid for sid in self._standing if self._is_theirs(sid) and sid not in people)
        asked = set(waiting)
        while waiting:
            sid = waiting.popleft()
            told = self._directory.inside(Sid(sid))
            if told is None:
                continue
            self._named(told.group)
            if b"group" not in told.group.classes:
                continue
            listed: list[str] = []
            all_told = told.all_told
            for member in told.members:
                inner = self._named(member)
                # Another domain says who its own people are, and nothing about those of this one or of a third.
                if not inner:
                    all_told = False
                    continue
                listed.append(inner)
                if inner not in self._standing:
                    self.rows.setdefault(inner, row_of_insider(inner))
                if b"group" in member.classes and inner not in asked:
                    asked.add(inner)
                    waiting.append(inner)
            row = self._standing.get(sid) or row_of_insider(sid)
            self.rows[sid] = with_members(row, _dns_of(listed, self._standing), all_told=all_told)

    def _is_theirs(self, sid: str) -> bool:
        return sid.startswith(OF_A_DOMAIN) and Sid(sid).authority == self._domain.sid

    def _named(self, entry: Entry) -> str:
        """Keep what somebody is called there; return their SID, empty for what is none of that domain."""
        seen = observe(entry)
        if seen is None or not self._is_theirs(seen.row.sid):
            return ""
        row = seen.row
        local = row.kind == Kind.GROUP and row.flags & Flag.DOMAIN_LOCAL
        kind = "domain local group" if local else _LABELS.get(Kind(row.kind), "")
        name = rf"{self._domain.short_name}\{row.name}"
        self.names[row.sid] = ForeignName(row.sid, name, kind, KNOWN, self._now)
        return row.sid


def as_last_read(estate: Estate, standing: Mapping[str, Observed], fresh: Iterable[str]) -> dict[str, Observed]:
    """Return the rows of groups that nobody told of this time, with those who were inside when they were read last."""
    rows: dict[str, Observed] = {}
    waiting = deque(sorted(standing.keys() - set(fresh)))
    seen = set(waiting)
    while waiting:
        sid = waiting.popleft()
        found = estate.id_of_sid(Sid(sid))
        principal = estate.principal(found) if found is not None else None
        if found is None or principal is None or not principal.flags & Flag.SECURITY_GROUP:
            continue
        members = estate.catalogue.principals(estate.graph.direct_members(found).tolist()).values()
        listed = [str(one.sid) for one in members if one.sid]
        for inner in listed:
            if inner not in standing:
                rows.setdefault(inner, row_of_insider(inner))
            if inner not in seen:
                seen.add(inner)
                waiting.append(inner)
        row = standing.get(sid) or row_of_insider(sid)
        rows[sid] = with_members(row, _dns_of(listed, standing), all_told=bool(principal.details.get(MEMBERS_READ)))
    return rows


def _dns_of(sids: Iterable[str], standing: Mapping[str, Observed]) -> list[str]:
    """Return how a group lists them here: by the name of an object, or where there is none by the SID."""
    return [standing[sid].row.dn if sid in standing else dn_of_sid(sid) for sid in sids]


def no_more_inside(estate: Estate, rows: Mapping[str, Observed]) -> list[str]:
    """Return the SIDs of those who were here for being in a group of their own, and are not any more."""
    gone = {
        str(one.sid) for one in estate.of_other_domains.values() if one.details.get(ONLY_INSIDE) and one.sid not in rows
    }
    if not gone:
        return []
    own = estate.domain
    named = {sid for use in estate.catalogue.descriptor_uses() for sid in sids_of_others(use.raw, own)}
    return sorted(gone - named)
