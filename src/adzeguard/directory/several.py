"""Several domains as one directory: each entry is asked of, and written to, the domain in which it stands.

A domain knows those of others by a SID alone, and makes a placeholder for each whom it puts into a group ([MS-ADTS]
3.1.1.5.3.1.2). Where the other domain is read as well, the placeholder is left out, and its groups name the object
itself; what is written to a domain says the SID again.
"""

import time
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from collections.abc import Set as AbstractSet
from dataclasses import replace
from datetime import datetime
from functools import cached_property
from typing import Final

from adzeguard.core.descriptors.built_in import (
    as_it_knows,
    descriptor_as_it_knows,
    descriptor_told_apart,
    told_apart,
)
from adzeguard.core.errors import (
    ChangeRefusedError,
    DirectoryError,
    InputError,
    SettingsError,
)
from adzeguard.core.estate.catalogue import Domain, DomainRead
from adzeguard.core.identity import OF_A_DOMAIN, Sid, dn_of_sid, fold_dn, leaf_name, parent_dn, sid_of_dn
from adzeguard.core.values import dataclass
from adzeguard.directory.port import (
    Attributes,
    Changes,
    DirectoryDriver,
    DirectoryFacts,
    EndsLinks,
    Entry,
    FindsMany,
    Inside,
    LinkEnds,
    LinkTime,
    Modification,
    TellsBackLinks,
    TellsDeleted,
    TellsLinkTimes,
    TellsMembers,
    TellsSchema,
    WatchableDirectory,
)

_PLACEHOLDERS: Final = "CN=ForeignSecurityPrincipals"
_NAMING_MEMBERS: Final = "member"
_DESCRIPTOR: Final = "ntsecuritydescriptor"
_AT_A_TIME: Final = 1.0
"""Seconds for which one domain is listened to before the next one is."""


@dataclass(frozen=True, slots=True)
class Part:
    """One of the domains: its name in the settings, what opens its directory, and what was read of it last."""

    name: str
    open: Callable[[], DirectoryDriver]
    last: DomainRead | None = None
    asked: bool = True
    """Whether it is read now; otherwise what was read last goes on holding, and it is opened when it is needed."""


class SeveralDomains:
    """The directories of several domains. The first one answers what a directory alone is asked."""

    def __init__(self, parts: Sequence[Part], known_as: Callable[[Sid], str] = lambda _sid: "") -> None:
        """`known_as` gives the name under which somebody stood when a domain was read that is not read now."""
        self._parts = parts
        self._known_as = known_as
        self._opened: dict[str, DirectoryDriver] = {}
        self._silent: dict[str, DirectoryError] = {}
        self._places: dict[Sid, str] = {}

    @property
    def label(self) -> str:
        """The addresses of all that were asked."""
        return ", ".join(driver.label for driver in self._opened.values()) or "several domains"

    @property
    def passed_over(self) -> list[str]:
        """The servers that did not answer before another one of their domain did."""
        return [url for driver in self._opened.values() for url in getattr(driver, "passed_over", ())]

    @cached_property
    def _known(self) -> Mapping[str, DomainRead]:
        """By name what each domain says of itself, and those that are not asked, or silent, said last."""
        found: dict[str, DomainRead] = {}
        for part in self._parts:
            if part.asked:
                try:
                    found[part.name] = self._asked(part)
                except DirectoryError as error:
                    self._silent[part.name] = error
            if part.name not in found and part.last is not None:
                found[part.name] = part.last
        first = self._parts[0].name
        if first not in found:
            raise self._silent.get(first) or DirectoryError(f"{first} was never read", "Run: adzeguard collect")
        sids = [one.domain.sid for one in found.values()]
        for name, one in found.items():
            if sids.count(one.domain.sid) > 1:
                raise SettingsError(f"[directory.{name}] serves {one.domain.dns_name}, and so does another table")
        return found

    def _asked(self, part: Part) -> DomainRead:
        """Open a domain where it is not, and ask what it says of itself."""
        if part.name not in self._opened:
            self._opened[part.name] = part.open()
        facts = self._opened[part.name].facts()
        domain = facts.domain if part is self._parts[0] else facts.domain.beside()
        if part.last is not None and part.last.domain.sid != domain.sid:
            # One that was made anew under its old name is another one too.
            both = f"serves {domain.dns_name} ({domain.sid}), and was {part.last.domain.dns_name}"
            raise SettingsError(f"[directory.{part.name}] {both} ({part.last.domain.sid})", "Give it another name")
        return DomainRead(part.name, domain, facts.invocation_id, facts.highest_usn)

    @cached_property
    def _domain(self) -> Domain:
        first, *others = (self._known[part.name].domain for part in self._parts if part.name in self._known)
        return replace(first, others=tuple(others))

    def facts(self) -> DirectoryFacts:
        """Return the first domain with the others beside it, and which of them are read now."""
        domain, first = self._domain, self._known[self._parts[0].name]
        read = tuple(known for _, known, _ in self._reading())
        unread = [part.name for part in self._parts if not self._is_read(part)]
        told = tuple((name, self._silent[name].message if name in self._silent else "") for name in unread)
        return DirectoryFacts(domain, first.invocation_id, first.highest_usn, read, told)

    def _is_read(self, part: Part) -> bool:
        return part.asked and part.name in self._known and part.name not in self._silent

    def _reading(self) -> Iterator[tuple[Part, DomainRead, DirectoryDriver]]:
        """Yield the domains that are read now."""
        for part in self._parts:
            if self._is_read(part):
                yield part, self._known[part.name], self._opened[part.name]

    def _each(self) -> Iterator[tuple[Domain, DirectoryDriver]]:
        """Yield all domains that answer."""
        for one in self._domain.all:
            try:
                yield one, self._of(one)
            except DirectoryError:
                continue

    def _part_of(self, domain: Domain) -> Part:
        return next(p for p in self._parts if p.name in self._known and self._known[p.name].domain.sid == domain.sid)

    def _of(self, domain: Domain) -> DirectoryDriver:
        """Return the directory of a domain; the error that it gave where it does not answer."""
        part = self._part_of(domain)
        if part.name in self._silent:
            raise self._silent[part.name]
        if part.name not in self._opened:
            try:
                self._asked(part)
            except DirectoryError as error:
                self._silent[part.name] = error
                raise
        return self._opened[part.name]

    def _at(self, dn: str) -> tuple[DirectoryDriver, Domain]:
        domain = self._domain.holding(dn)
        return self._of(domain), domain

    # What is read.

    def entries(self) -> Iterator[Entry]:
        """Stream every entry of the domains that are read now."""
        for _, known, driver in self._reading():
            yield from self._whole(driver, known.domain)

    def _whole(self, driver: DirectoryDriver, domain: Domain) -> Iterator[Entry]:
        # No connection answers while a search is read on it: whom its groups list is found out before.
        placeholders = list(driver.entries_below(f"{_PLACEHOLDERS},{domain.base_dn}"))
        listed = {sid for one in placeholders if (sid := _sid_of_placeholder(one.dn)) is not None}
        self._find_many(listed - self._places.keys())
        for sid in listed:
            self._place(sid, domain)
        yield from self._inward(driver.entries(), domain)

    def _find_many(self, sids: AbstractSet[Sid]) -> None:
        """Find out together where those stand whom domains gave out that answer; the others are found one by one."""
        for domain in self._domain.all:
            theirs = sorted(sid for sid in sids if self._domain.of_sid(sid) is domain)
            driver = self._of(domain) if theirs and self._answers(domain) else None
            if isinstance(driver, FindsMany):
                found = driver.names_of(theirs)
                self._places |= {sid: dn for sid, dn in found.items() if _sid_of_placeholder(dn) is None}

    def entries_below(self, dn: str) -> Iterator[Entry]:
        """Stream an entry and every entry below it."""
        driver, domain = self._at(dn)
        return self._inward(list(driver.entries_below(dn)), domain)

    def changed_since(self, usn: int) -> Iterator[Entry] | None:
        """Stream what changed, where every domain can tell."""
        told = self.changes(usn, full=False)
        return None if told is None or told.whole else told.entries

    def changes(self, since: int | None, *, full: bool) -> Changes | None:
        """Return what changed since in each domain that is read now; the whole of one that cannot tell.

        `since` is how far the first one is known. None where everything must be read, and can be.
        """
        streams: list[Iterator[Entry]] = []
        whole: list[str] = []
        for part, read, driver in self._reading():
            known = since if part is self._parts[0] else _known_up_to(part.last, read)
            changed = driver.changed_since(known) if known is not None and not full else None
            if changed is None:
                whole.append(read.domain.base_dn)
                streams.append(self._whole(driver, read.domain))
            else:
                streams.append(self._told_of(changed, read.domain, driver))
        if len(whole) == len(self._known):
            return None
        return Changes((entry for stream in streams for entry in stream), tuple(whole))

    def _told_of(self, changed: Iterator[Entry], domain: Domain, driver: DirectoryDriver) -> Iterator[Entry]:
        """Go through what changed; whose object was deleted is listed elsewhere by a placeholder, and by that again."""
        told = list(changed)
        gone = [Sid.from_bytes(packed) for one in told if one.deleted and (packed := one.first("objectsid"))]
        yield from self._inward(told, domain)
        for sid in gone:
            if sid.startswith(OF_A_DOMAIN):
                self._places.pop(sid, None)
                yield from self._listing(sid, driver)

    def _listing(self, sid: Sid, but: DirectoryDriver) -> Iterator[Entry]:
        """Yield the placeholders that other domains have of somebody, and the groups there that list them."""
        for _, known, driver in self._reading():
            placeholder = driver.read_whole(_placeholder(sid, known.domain)) if driver is not but else None
            if placeholder is not None:
                groups = [driver.read(_text(dn)) for dn in placeholder.attributes.get("memberof", ())]
                standing = driver.read(placeholder.dn)
                yield from self._inward([one for one in (standing, *groups) if one is not None], known.domain)

    def read(self, dn: str) -> Entry | None:
        """Read one entry again."""
        if sid_of_dn(dn):
            return self._of(self._domain).read(dn)
        driver, domain = self._at(dn)
        return self._one(driver.read(dn), domain)

    def read_by_sid(self, sid: Sid) -> Entry | None:
        """Read one entry by its SID: of the domain that gave it out, else the placeholder of the first that has one."""
        given_by = self._domain.of_sid(sid)
        if given_by is not None:
            return self._one(self._of(given_by).read_by_sid(as_it_knows(sid, given_by)), given_by)
        return next((found for _, driver in self._each() if (found := driver.read_by_sid(sid))), None)

    def read_whole(self, dn: str) -> Entry | None:
        """Read one entry with everything that stands in it."""
        driver, domain = self._at(dn)
        return self._one(driver.read_whole(dn), domain)

    def _one(self, entry: Entry | None, domain: Domain) -> Entry | None:
        return self._seen_from_outside(entry, domain) if entry is not None else None

    def _inward(self, entries: Iterable[Entry], domain: Domain) -> Iterator[Entry]:
        """Go through entries of a domain as they are seen from outside, without placeholders of those who are here."""
        for entry in entries:
            sid = _sid_of_placeholder(entry.dn)
            # The sites are those of the forest, which each of its domains tells: they are taken from its first one.
            elsewhere = b"site" in entry.classes and not fold_dn(entry.dn).endswith(fold_dn(domain.base_dn))
            if not elsewhere and (sid is None or not self._place(sid, domain)):
                yield self._seen_from_outside(entry, domain)

    def _seen_from_outside(self, entry: Entry, domain: Domain) -> Entry:
        attributes = dict(entry.attributes)
        if _NAMING_MEMBERS in attributes:
            attributes[_NAMING_MEMBERS] = self._members_named(attributes[_NAMING_MEMBERS], domain)
        if domain.builtin != self._domain.builtin:
            if packed := entry.first("objectsid"):
                attributes["objectsid"] = [_told_apart(packed, domain)]
            if raw := entry.first(_DESCRIPTOR):
                attributes[_DESCRIPTOR] = [descriptor_told_apart(bytes(raw), domain)]
        return Entry(entry.dn, attributes)

    def _members_named(self, values: Sequence[bytes], domain: Domain) -> Sequence[bytes]:
        if not any(_PLACEHOLDERS.encode() in value for value in values):
            return values
        return [self._name_of(_text(value), domain).encode("utf-8", "surrogateescape") for value in values]

    def _name_of(self, dn: str, domain: Domain) -> str:
        sid = _sid_of_placeholder(dn)
        return (self._place(sid, domain) if sid is not None else "") or dn

    def _place(self, sid: Sid, listed_in: Domain) -> str:
        """Return where somebody stands whom a domain lists by a placeholder; empty where only that stands for them.

        One of a domain that is not read here is the first placeholder that any of them has: one row for one SID.
        """
        if sid not in self._places:
            self._places[sid] = self._found(sid)
        place = self._places[sid]
        return "" if fold_dn(place) == fold_dn(_placeholder(sid, listed_in)) else place

    def _found(self, sid: Sid) -> str:
        given_by = self._domain.of_sid(sid)
        if given_by is not None:
            if not self._answers(given_by):
                return self._known_as(sid)
            found = self._of(given_by).read_by_sid(sid)
            if found is not None and _sid_of_placeholder(found.dn) is None:
                return found.dn
        standing = (_placeholder(sid, one) for one, driver in self._each() if driver.read(_placeholder(sid, one)))
        return next(standing, "")

    def _answers(self, domain: Domain) -> bool:
        """Tell whether a domain is asked now, or could be."""
        part = self._part_of(domain)
        return part.name not in self._silent and (part.asked or not any(one.asked for one in self._parts))

    # What is written.

    def add(self, dn: str, attributes: Attributes) -> None:
        """Make an entry."""
        driver, domain = self._at(dn)
        given = {name: self._said_to(name, values, domain) for name, values in attributes.items()}
        driver.add(dn, given)

    def modify(self, dn: str, modifications: Sequence[Modification]) -> None:
        """Make one change."""
        driver, domain = self._at(dn)
        said = [replace(one, values=tuple(self._said_to(one.attribute, one.values, domain))) for one in modifications]
        driver.modify(dn, said)

    def _said_to(self, attribute: str, values: Sequence[bytes], domain: Domain) -> Sequence[bytes]:
        """Return values as a domain knows them: others than its own by their SIDs, its built-in groups as its own."""
        if attribute.casefold() == _NAMING_MEMBERS:
            return [self._as_listed(_text(value), domain).encode("utf-8", "surrogateescape") for value in values]
        if attribute.casefold() == _DESCRIPTOR:
            return [descriptor_as_it_knows(bytes(value), domain) for value in values]
        return values

    def _as_listed(self, dn: str, domain: Domain) -> str:
        """Return how a domain's groups list somebody: by the placeholder that is there, by the SID before it is."""
        sid = self._sid_of_another(dn, domain)
        if sid is None:
            return dn
        placeholder = _placeholder(sid, domain)
        return placeholder if self._of(domain).read(placeholder) is not None else dn_of_sid(sid)

    def _sid_of_another(self, dn: str, domain: Domain) -> Sid | None:
        """Return the SID of somebody whom a domain knows by it alone; None for one of its own."""
        if sid_of_dn(dn):
            return Sid(sid_of_dn(dn))
        sid = _sid_of_placeholder(dn)
        if sid is not None:
            return sid
        if self._domain.holding(dn).sid == domain.sid or self._is_one_forest(dn, domain):
            return None
        entry = self.read(dn)
        packed = entry.first("objectsid") if entry is not None else None
        if packed is None:
            raise ChangeRefusedError(f"{dn} is not there, or has no SID by which another domain could know it")
        return Sid.from_bytes(packed)

    def _is_one_forest(self, dn: str, domain: Domain) -> bool:
        """Tell whether two domains are of one forest, in which groups list those of all by their own names."""
        trees = [self._domain.holding(dn).dns_name.casefold(), domain.dns_name.casefold()]
        return any(one.endswith(f".{other}") for one in trees for other in trees if one != other)

    def rename(self, dn: str, new_dn: str) -> None:
        """Give an entry another name or container, within its domain."""
        driver, domain = self._at(dn)
        if self._domain.holding(new_dn).sid != domain.sid:
            raise ChangeRefusedError(f"{dn} cannot be moved into another domain", "Make it there anew")
        driver.rename(dn, new_dn)
        self._places.clear()

    def delete(self, dn: str) -> None:
        """Remove an entry."""
        self._at(dn)[0].delete(dn)
        self._places.clear()

    def restore(self, sid: Sid, dn: str) -> bool:
        """Bring a deleted entry back."""
        self._places.clear()
        return self._at(dn)[0].restore(sid, dn)

    # What only some directories can.

    def wait_for_change(self, seconds: float) -> bool:
        """Listen to each domain for a while, in turns; what one tells meanwhile waits until it is listened to."""
        end = time.monotonic() + seconds
        listening = [driver for _, driver in self._each() if isinstance(driver, WatchableDirectory)]
        if not listening:
            raise DirectoryError("none of the directories tells when something in it changes")
        while True:
            for driver in listening:
                left = end - time.monotonic()
                if driver.wait_for_change(max(0.0, min(left, _AT_A_TIME))):
                    return True
                if left <= 0:
                    return False

    def schema_since(self, stamp: str) -> tuple[str, str] | None:
        """Return the schema of the first domain's forest."""
        first = self._of(self._domain) if self._is_read(self._parts[0]) else None
        return first.schema_since(stamp) if isinstance(first, TellsSchema) else None

    def said_to_be_inside(self, dn: str) -> Sequence[Entry]:
        """Return those who say that a group lists them."""
        driver, domain = self._at(dn)
        if not isinstance(driver, TellsBackLinks):
            return ()
        return [replace(one, dn=self._name_of(one.dn, domain)) for one in driver.said_to_be_inside(dn)]

    def inside(self, sid: Sid) -> Inside | None:
        """Return a group with its members."""
        given_by = self._domain.of_sid(sid) or self._domain
        driver = self._of(given_by)
        return driver.inside(sid) if isinstance(driver, TellsMembers) else None

    def was_deleted(self, sid: Sid) -> bool:
        """Tell whether what is left of an object of this SID can be seen."""
        driver = self._of(self._domain.of_sid(sid) or self._domain)
        return isinstance(driver, TellsDeleted) and driver.was_deleted(sid)

    def deleted(self) -> Iterator[Entry]:
        """Stream what is left of deleted objects, in every domain."""
        for _, driver in self._each():
            if isinstance(driver, TellsDeleted):
                yield from driver.deleted()

    def link_ends(self) -> LinkEnds:
        """Tell whether all of them can end links by themselves, and do."""
        found = [driver.link_ends() for _, driver in self._each() if isinstance(driver, EndsLinks)]
        if len(found) < len(self._parts):
            return LinkEnds(known=False, on=False)
        least = min(found, key=lambda one: one.level)
        return replace(least, known=all(one.known for one in found), on=all(one.on for one in found))

    def switch_on_link_ends(self) -> None:
        """Switch it on in each domain's forest where it is not."""
        for _, driver in self._each():
            if isinstance(driver, EndsLinks) and not driver.link_ends().on:
                driver.switch_on_link_ends()

    def link_until(self, dn: str, attribute: str, to: str, ends: datetime | None, *, anew: bool) -> None:
        """Make a link with an end, or without one."""
        driver, domain = self._at(dn)
        if not isinstance(driver, EndsLinks):
            raise ChangeRefusedError(f"the directory of {domain.dns_name} cannot end links by itself")
        driver.link_until(dn, attribute, self._as_listed(to, domain), ends, anew=anew)

    def link_end(self, dn: str, attribute: str, to: str) -> datetime | None:
        """Return when a link ends."""
        driver, domain = self._at(dn)
        if not isinstance(driver, EndsLinks):
            return None
        return driver.link_end(dn, attribute, self._as_listed(to, domain))

    def link_times(self, dn: str, attribute: str) -> Sequence[LinkTime]:
        """Return what is kept of the links of an entry."""
        driver, domain = self._at(dn)
        if not isinstance(driver, TellsLinkTimes):
            return ()
        return [replace(one, to=self._name_of(one.to, domain)) for one in driver.link_times(dn, attribute)]

    def close(self) -> None:
        """Let go of the connections."""
        for driver in self._opened.values():
            driver.close()


def _known_up_to(last: DomainRead | None, read: DomainRead) -> int | None:
    """Return up to which change a domain is known, by the same server; USNs count per server."""
    same = last is not None and last.domain == read.domain and last.invocation_id == read.invocation_id
    return last.highest_usn if last is not None and same and read.invocation_id else None


def _placeholder(sid: Sid, domain: Domain) -> str:
    return f"CN={sid},{_PLACEHOLDERS},{domain.base_dn}"


def _sid_of_placeholder(dn: str) -> Sid | None:
    """Return the SID of a domain's account that a placeholder stands for; those of Everyone and the like are none."""
    if not fold_dn(parent_dn(dn)).startswith(f"{_PLACEHOLDERS.casefold()},"):
        return None
    name = leaf_name(dn).upper()
    try:
        return Sid.parse(name) if name.startswith(OF_A_DOMAIN) else None
    except InputError:
        return None


def _told_apart(packed: bytes, domain: Domain) -> bytes:
    try:
        return told_apart(Sid.from_bytes(bytes(packed)), domain).to_bytes()
    except InputError:
        return packed


def _text(value: bytes) -> str:
    return value.decode("utf-8", "surrogateescape")
