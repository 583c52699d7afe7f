"""An LDIF file as the directory: read whole, written back whole or not at all."""

import os
from bisect import bisect_left
from collections.abc import Iterator, Sequence
from datetime import UTC, datetime
from pathlib import Path
from typing import Final

from adzeguard.core.drivers import DriverKind, Names, Secret, Setting, Settings
from adzeguard.core.errors import ChangeRefusedError, DirectoryUnreachableError, LdifError
from adzeguard.core.estate.catalogue import Domain
from adzeguard.core.identity import Sid, domain_of_dn, fold_dn, is_below
from adzeguard.directory.decode import domain_sid_of
from adzeguard.directory.ldif import Record, read_records
from adzeguard.directory.ldif_objects import (
    DN_VALUED,
    Records,
    check_scope_change,
    entry_of,
    hand_rights_on,
    highest_rid,
    replace_record,
    with_added,
    with_deleted,
    with_foreigners,
    with_renamed,
)
from adzeguard.directory.port import Attributes, DirectoryFacts, Entry, Modification
from adzeguard.private_files import alone_with, open_new

_LONGEST_RID: Final = 12


def open_ldif(settings: Settings, _secret: Secret, _names: Names) -> "LdifFile":
    """Open the file that the settings name."""
    return LdifFile(Path(settings["file"]), settings.get("domain", ""))


DRIVER: Final = DriverKind(
    "ldif",
    (
        Setting("file", "The LDIF file.", is_path=True, needed=True),
        Setting("domain", "The domain's short name, where the file does not hold it."),
    ),
    open_ldif,
)


class LdifFile:
    """The entries of one LDIF file. Entries that nothing changes keep their bytes."""

    def __init__(self, path: Path, short_name: str = "") -> None:
        """`short_name` is the domain's short name, for files that do not hold it."""
        self._path = path
        self._short_name = short_name
        self._records: dict[str, Record] = {}
        self._rest = b""
        self._seen: tuple[int, int, int] | None = None

    @property
    def label(self) -> str:
        """The file."""
        return str(self._path)

    def facts(self) -> DirectoryFacts:
        """Return the domain, from its own entry and the entry that gives it its short name."""
        records = self._current()
        domains = [e for e in map(entry_of, records.values()) if b"domaindns" in e.classes]
        if not domains:
            raise LdifError(
                f"{self._path}: holds no domain object (objectClass domainDNS)", "Export from the base DN on"
            )
        top = min(domains, key=lambda e: len(e.dn))
        entries = map(entry_of, records.values())
        named = (e.text("netbiosname") for e in entries if fold_dn(e.text("ncname")) == fold_dn(top.dn))
        dns_name = domain_of_dn(top.dn)
        short = self._short_name or next((n for n in named if n), "") or dns_name.partition(".")[0].upper()
        return DirectoryFacts(Domain(top.dn, dns_name, short, Sid(domain_sid_of(top))))

    def entries(self) -> Iterator[Entry]:
        """Stream every entry of the file."""
        return (entry_of(record) for record in list(self._current().values()))

    def entries_below(self, dn: str) -> Iterator[Entry]:
        """Stream an entry and every entry below it."""
        top = fold_dn(dn)
        records = self._current().items()
        return (entry_of(record) for key, record in list(records) if key == top or is_below(key, top))

    def changed_since(self, _usn: int) -> Iterator[Entry] | None:
        """A file does not say what changed in it."""
        return None

    def read(self, dn: str) -> Entry | None:
        """Read one entry again."""
        record = self._current().get(fold_dn(dn))
        return entry_of(record) if record else None

    def read_by_sid(self, sid: Sid) -> Entry | None:
        """Read one entry, found by its SID."""
        packed = sid.to_bytes()
        entries = map(entry_of, self._current().values())
        return next((entry for entry in entries if entry.first("objectsid") == packed), None)

    def modify(self, dn: str, modifications: Sequence[Modification]) -> None:
        """Change one entry and write the file, keeping the rules that a directory server keeps."""
        with alone_with(self._path, DirectoryUnreachableError):
            self._modify(dn, modifications)

    def _modify(self, dn: str, modifications: Sequence[Modification]) -> None:
        records = dict(self._current())
        for place, modification in enumerate(modifications):
            records, found = with_foreigners(records, modification, datetime.now(UTC))
            modifications = [*modifications[:place], found, *modifications[place + 1 :]]
        key = fold_dn(dn)
        if key not in records:
            raise ChangeRefusedError(f"there is no {dn}")
        changed = list(records[key].values)
        for modification in modifications:
            _check_names(records, records[key], modification)
            changed = _modified(dn, changed, modification, [name.lower() for name, _ in records[key].values])
        replace_record(records, key, changed)
        before = self._current()[key]
        for modification in modifications:
            match modification.attribute.lower():
                case "primarygroupid":
                    _switch_primary_group(records, before, records[key])
                case "grouptype":
                    check_scope_change(before, records[key])
                case "ntsecuritydescriptor":
                    hand_rights_on(records, before, records[key])
        self._write(records)

    def read_whole(self, dn: str) -> Entry | None:
        """Read one entry; a file shows everything it holds."""
        return self.read(dn)

    def add(self, dn: str, attributes: Attributes) -> None:
        """Make an entry at the end of the file, with an identity of its own."""
        with alone_with(self._path, DirectoryUnreachableError):
            least = self._highest_rid_used() + 1
            self._write(with_added(self._current(), dn, attributes, datetime.now(UTC), least))

    def _highest_rid_used(self) -> int:
        """Return the highest RID that an account of ours has had, also one that is deleted by now.

        A server never gives a RID twice: the rights of a deleted account would be the next one's. The file itself does
        not say it, so that it stands beside it.
        """
        try:
            text = self._rid_path.read_text(encoding="ascii")
        except (OSError, UnicodeDecodeError):
            return 0
        return int(text) if text.strip().isdecimal() and len(text) < _LONGEST_RID else 0

    @property
    def _rid_path(self) -> Path:
        return self._path.with_name(f".{self._path.name}.last-rid")

    def _remember_rid(self, records: Records) -> None:
        highest = max(highest_rid(records), self._highest_rid_used())
        try:
            with os.fdopen(open_new(self._rid_path), "w", encoding="ascii") as file:
                file.write(f"{highest}\n")
        except OSError as error:
            raise DirectoryUnreachableError(f"{self._rid_path} cannot be written: {error.strerror}") from error

    def rename(self, dn: str, new_dn: str) -> None:
        """Give an entry, all below it, and what names them another name."""
        with alone_with(self._path, DirectoryUnreachableError):
            self._write(with_renamed(self._current(), dn, new_dn))

    def restore(self, sid: Sid, dn: str) -> bool:  # noqa: ARG002 - the port's
        """Keep nothing that was deleted."""
        return False

    def delete(self, dn: str) -> None:
        """Remove an entry and what names it."""
        with alone_with(self._path, DirectoryUnreachableError):
            self._remember_rid(self._current())
            self._write(with_deleted(self._current(), dn))

    def close(self) -> None:
        """Nothing is held open."""

    def _current(self) -> dict[str, Record]:
        """Return the records, read again when somebody else has written the file."""
        try:
            status = self._path.stat()
            stamp = (status.st_mtime_ns, status.st_size, status.st_ino)
            if stamp != self._seen:
                data = self._path.read_bytes()
                self._records, self._rest = self._parsed(data)
                self._seen = stamp
        except OSError as error:
            raise DirectoryUnreachableError(
                f"{self._path} cannot be read: {error.strerror}",
                "Name the LDIF file in adzeguard.toml, [directory] file",
            ) from error
        return self._records

    def _parsed(self, data: bytes) -> tuple[dict[str, Record], bytes]:
        records: dict[str, Record] = {}
        listed, rest = read_records(data, str(self._path))
        for record in listed:
            key = fold_dn(record.dn)
            if key in records:
                raise LdifError(f"{self._path}:{record.line}: {record.dn} stands already on line {records[key].line}")
            records[key] = record
        if not records:
            raise LdifError(f"{self._path}: holds no entries")
        return records, rest

    def _write(self, records: dict[str, Record]) -> None:
        content = b"".join(record.lead + record.raw for record in records.values()) + self._rest
        try:
            # Always the same name: what an interrupted write left behind is written over by the next one.
            temporary = self._path.with_name(f".{self._path.name}.new")
            handle = open_new(temporary)
        except OSError as error:
            raise DirectoryUnreachableError(f"{self._path.parent} cannot be written: {error.strerror}") from error
        try:
            with os.fdopen(handle, "wb") as file:
                os.fchmod(handle, self._path.stat().st_mode & 0o777)
                file.write(content)
                file.flush()
                os.fsync(file.fileno())
            temporary.replace(self._path)
        except OSError as error:
            temporary.unlink(missing_ok=True)
            raise DirectoryUnreachableError(
                f"{self._path} cannot be written: {error.strerror}; it is as it was"
            ) from error
        self._records = records
        status = self._path.stat()
        self._seen = (status.st_mtime_ns, status.st_size, status.st_ino)


def _check_names(records: dict[str, Record], changed: Record, modification: Modification) -> None:
    """Refuse to add what does not exist, or a member whose primary group it is, as a directory server does."""
    if modification.attribute.lower() not in DN_VALUED or modification.operation != "add":
        return
    sid = entry_of(changed).first("objectsid")
    for value in modification.values:
        named = records.get(fold_dn(value.decode("utf-8", "surrogateescape")))
        if named is None:
            raise ChangeRefusedError(f"there is no {value.decode('utf-8', 'replace')}")
        primary = entry_of(named).number("primarygroupid")
        if modification.attribute.lower() == "member" and sid and primary and Sid.from_bytes(sid).rid == primary:
            raise ChangeRefusedError(f"{changed.dn} is the primary group of {named.dn} already")


def _modified(
    dn: str, values: list[tuple[str, bytes]], modification: Modification, order: Sequence[str] = ()
) -> list[tuple[str, bytes]]:
    """Return the values after a modification; `order` are the attributes as they stood at first."""
    attribute = modification.attribute.lower()
    same = _same_dn if attribute in DN_VALUED else _same_bytes
    if modification.operation == "replace":
        return _with_values(values, modification)
    for value in modification.values:
        places_of_value = [at for at, (n, v) in enumerate(values) if n.lower() == attribute and same(v, value)]
        shown = value.decode("utf-8", "replace")
        if modification.operation == "delete":
            if not places_of_value:
                raise ChangeRefusedError(f"{modification.attribute} of {dn} does not hold {shown}")
            values = values[: places_of_value[0]] + values[places_of_value[0] + 1 :]
        elif places_of_value:
            raise ChangeRefusedError(f"{modification.attribute} of {dn} holds {shown} already")
        else:
            values = _inserted(values, modification.attribute, value, order)
    return values


def _with_values(values: list[tuple[str, bytes]], modification: Modification) -> list[tuple[str, bytes]]:
    """Put new values where the old ones stood, or at the end."""
    attribute = modification.attribute.lower()
    places = [at for at, (name, _) in enumerate(values) if name.lower() == attribute]
    name = values[places[0]][0] if places else modification.attribute
    kept = [pair for pair in values if pair[0].lower() != attribute]
    place = places[0] if places else len(kept)
    return [*kept[:place], *((name, value) for value in modification.values), *kept[place:]]


def _inserted(
    values: list[tuple[str, bytes]], attribute: str, value: bytes, order: Sequence[str] = ()
) -> list[tuple[str, bytes]]:
    """Put a value where the order of its attribute wants it, so that taking out and putting back changes nothing."""
    places = [at for at, (name, _) in enumerate(values) if name.lower() == attribute.lower()]
    if not places:
        # One that was emptied a moment ago comes back where it stood.
        behind = set(order[order.index(attribute.lower()) :]) if attribute.lower() in order else set()
        place = next((at for at, (name, _) in enumerate(values) if name.lower() in behind), len(values))
        return [*values[:place], (attribute, value), *values[place:]]
    places_of_value = [values[at][1].lower() for at in places]
    within = (
        bisect_left(places_of_value, value.lower())
        if places_of_value == sorted(places_of_value)
        else len(places_of_value)
    )
    place = places[within] if within < len(places) else places[-1] + 1
    return [*values[:place], (values[places[0]][0], value), *values[place:]]


def _same_dn(one: bytes, other: bytes) -> bool:
    return fold_dn(one.decode("utf-8", "surrogateescape")) == fold_dn(other.decode("utf-8", "surrogateescape"))


def _same_bytes(one: bytes, other: bytes) -> bool:
    return one == other


def _switch_primary_group(records: dict[str, Record], before: Record, after: Record) -> None:
    """Do what a directory server does by itself: list the account in its old primary group, not in its new one."""
    was, now = (entry_of(record).number("primarygroupid") for record in (before, after))
    value = after.dn.encode("utf-8", "surrogateescape")
    for key, record in list(records.items()):
        packed = entry_of(record).first("objectsid")
        if not packed or b"group" not in entry_of(record).attributes.get("objectclass", ()):
            continue
        rid = Sid.from_bytes(packed).rid
        if rid == now:
            if not any(n.lower() == "member" and _same_dn(v, value) for n, v in record.values):
                raise ChangeRefusedError(
                    f"{after.dn} must be a member of {record.dn} before it can be its primary group"
                )
            replace_record(
                records,
                key,
                _modified(record.dn, list(record.values), Modification("delete", "member", (value,))),
            )
        elif rid == was:
            replace_record(
                records,
                key,
                _modified(record.dn, list(record.values), Modification("add", "member", (value,))),
            )
