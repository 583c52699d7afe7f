"""Entries of an LDIF file made, moved and removed by the rules that a directory server keeps by itself."""

import uuid
from collections.abc import Mapping
from dataclasses import replace
from datetime import datetime
from typing import Final

from adzeguard.core.descriptors.descriptor import Descriptor, is_readable
from adzeguard.core.descriptors.inheritance import handed_on, inherited_entries
from adzeguard.core.descriptors.protection import is_protected
from adzeguard.core.errors import ChangeRefusedError, InputError
from adzeguard.core.estate.nesting import refused_scope_change
from adzeguard.core.identity import Sid, fold_dn, is_below, leaf_name, parent_dn, sid_of_dn, split_dn
from adzeguard.directory.decode import observe
from adzeguard.directory.ldif import ReadAgain, Record, render_record
from adzeguard.directory.port import Attributes, Entry, Modification
from adzeguard.directory.schema import class_guid, first_entries

DN_VALUED: Final = frozenset({"member", "managedby", "manager"})
_FIRST_RID: Final = 1000
_IDENTITY: Final = frozenset({"objectguid", "objectsid", "whencreated", "cn", "ou", "name", "distinguishedname"})
_WITH_SID: Final = frozenset({b"group", b"user", b"computer", b"inetorgperson"})
_DESCRIPTOR: Final = "nTSecurityDescriptor"
Records = dict[str, Record]


def entry_of(record: Record) -> Entry:
    """Return what a record says."""
    if isinstance(record.values, ReadAgain):
        return Entry(record.dn, record.values.by_name)
    attributes: dict[str, list[bytes]] = {}
    for name, value in record.values:
        attributes.setdefault(name.lower(), []).append(value)
    return Entry(record.dn, attributes)


def replace_record(records: Records, key: str, values: list[tuple[str, bytes]], dn: str = "") -> None:
    """Put other values, and perhaps another name, into a record."""
    old = records[key]
    # The last entry of a file may end without a blank line; one more there would be a change that nobody asked for.
    raw = render_record(dn or old.dn, values)
    raw = raw if old.raw.endswith(b"\n\n") or old.raw.endswith(b"\r\n\r\n") else raw.removesuffix(b"\n")
    records[key] = Record(dn or old.dn, values, raw, old.line, old.lead)


def with_added(
    records: Mapping[str, Record], dn: str, attributes: Attributes, now: datetime, least_rid: int
) -> Records:
    """Return the records with one more, which gets a GUID, and a SID where its class has one."""
    key, container = fold_dn(dn), records.get(fold_dn(parent_dn(dn)))
    if key in records:
        raise ChangeRefusedError(f"{dn} exists already")
    if container is None:
        raise ChangeRefusedError(f"there is no {parent_dn(dn)} to put it into")
    _refuse_taken_name(records, attributes)
    classes = {value.lower() for value in _values(attributes, "objectClass")}
    attribute = split_dn(dn)[0].partition("=")[0].strip()
    leaf = leaf_name(dn).encode()
    values = [(name, value) for name, given in attributes.items() for value in given if name.lower() not in _IDENTITY]
    values += [(attribute.lower(), leaf), ("name", leaf)]
    if classes & _WITH_SID:
        values.append(("objectSid", _next_sid(records, least_rid).to_bytes()))
    values += [("objectGUID", uuid.uuid4().bytes_le), ("whenCreated", now.strftime("%Y%m%d%H%M%S.0Z").encode())]
    if _DESCRIPTOR.lower() not in {name.lower() for name, _ in values}:
        values += _first_descriptor(container, attributes, _domain_sid(records))
    *_, last = records.values()
    lead = b"" if last.raw.endswith((b"\n\n", b"\r\n\r\n")) else b"\n" if last.raw.endswith(b"\n") else b"\n\n"
    return {**records, key: Record(dn, values, render_record(dn, values), 0, lead)}


def with_foreigners(
    records: Mapping[str, Record], modification: Modification, now: datetime
) -> tuple[Records, Modification]:
    """Return the records with an object for each SID of another domain that a group is to list, and its name for it.

    A directory server makes them by itself ([MS-ADTS] 3.1.1.5.3.1.2).
    """
    found, values = dict(records), []
    for value in modification.values:
        sid = sid_of_dn(value.decode("utf-8", "surrogateescape")) if modification.attribute.lower() == "member" else ""
        dn = ""
        if sid:
            packed = Sid.parse(sid).to_bytes()
            there = (one for one in found.values() if entry_of(one).first("objectsid") == packed)
            dn = next((one.dn for one in there), "")
        if sid and not dn:
            top = min((entry_of(one) for one in found.values() if b"domaindns" in entry_of(one).classes), key=_length)
            dn = f"CN={sid},CN=ForeignSecurityPrincipals,{top.dn}"
            attributes = {"objectClass": [b"top", b"foreignSecurityPrincipal"]}
            found = with_added(found, dn, attributes, now, 0)
            made = found[fold_dn(dn)]
            replace_record(found, fold_dn(dn), [*made.values, ("objectSid", packed)])
        values.append(dn.encode() if sid else value)
    return found, replace(modification, values=tuple(values))


def _length(entry: Entry) -> int:
    return len(entry.dn)


def _values(attributes: Attributes, wanted: str) -> list[bytes]:
    return [value for name, values in attributes.items() if name.lower() == wanted.lower() for value in values]


def _refuse_taken_name(records: Mapping[str, Record], attributes: Attributes) -> None:
    for wanted in _values(attributes, "sAMAccountName"):
        for record in records.values():
            if entry_of(record).text("samaccountname").casefold() == wanted.decode("utf-8", "replace").casefold():
                raise ChangeRefusedError(f"{record.dn} has the name {wanted.decode('utf-8', 'replace')} already")


def _next_sid(records: Mapping[str, Record], least_rid: int) -> Sid:
    """One more than the highest of the domain, as its server hands them out."""
    return Sid(f"{_domain_sid(records)}-{max(highest_rid(records) + 1, least_rid)}")


def highest_rid(records: Mapping[str, Record]) -> int:
    """Return the highest RID that an account of the domain has."""
    sids = [Sid.from_bytes(packed) for record in records.values() if (packed := entry_of(record).first("objectsid"))]
    domain = _domain_sid(records)
    return max((sid.rid for sid in sids if sid.authority == domain), default=_FIRST_RID)


def _domain_sid(records: Mapping[str, Record]) -> Sid:
    return next(
        Sid.from_bytes(packed)
        for record in records.values()
        if b"domaindns" in {c.lower() for c in entry_of(record).attributes.get("objectclass", ())}
        and (packed := entry_of(record).first("objectsid"))
    )


def _first_descriptor(container: Record, attributes: Attributes, domain: Sid) -> list[tuple[str, bytes]]:
    """What a new entry takes over from its container; nothing in a file without descriptors."""
    above = descriptor_of(container)
    if above is None:
        return []
    classes = [value.decode("utf-8", "replace") for value in _values(attributes, "objectClass")]
    from_above = inherited_entries(above.entries, class_guid(classes), above.owner)
    entries = [*first_entries(classes, domain), *from_above]
    return [(_DESCRIPTOR, Descriptor(above.owner, above.group, None).with_entries(entries).to_bytes())]


def with_deleted(records: Mapping[str, Record], dn: str) -> Records:
    """Return the records without one, which is also taken out of everything that names it."""
    key = fold_dn(dn)
    record = _refuse_kept(records, dn)
    if any(is_below(other, key) for other in records):
        raise ChangeRefusedError(f"{dn} is not empty")
    packed = entry_of(record).first("objectsid")
    if packed and _members_by_primary_group(records, Sid.from_bytes(packed)):
        raise ChangeRefusedError(f"{dn} is the primary group of accounts")
    left: Records = {}
    lead = b""
    for other, current in records.items():
        if other == key:
            # Comments and the version line belong to the file, not to the entry that follows them.
            lead = current.lead if current.lead.strip() else b""
            continue
        left[other] = Record(current.dn, current.values, current.raw, current.line, lead + current.lead)
        lead = b""
    for other, current in list(left.items()):
        kept = [pair for pair in current.values if not _names(pair, key)]
        if len(kept) != len(current.values):
            replace_record(left, other, kept)
    return left


def _members_by_primary_group(records: Mapping[str, Record], sid: Sid) -> bool:
    return any(
        entry_of(record).number("primarygroupid") == sid.rid
        and (packed := entry_of(record).first("objectsid")) is not None
        and Sid.from_bytes(packed).authority == sid.authority
        for record in records.values()
    )


def _names(pair: tuple[str, bytes], key: str) -> bool:
    return pair[0].lower() in DN_VALUED and fold_dn(pair[1].decode("utf-8", "surrogateescape")) == key


def with_renamed(records: Mapping[str, Record], dn: str, new_dn: str) -> Records:
    """Return the records with one and all below it under another name, and everything that names them following."""
    key, new_key = fold_dn(dn), fold_dn(new_dn)
    _refuse_kept(records, dn)
    new_container = records.get(fold_dn(parent_dn(new_dn)))
    if new_container is None or is_below(new_key, key):
        raise ChangeRefusedError(f"{dn} cannot be put into {parent_dn(new_dn)}")
    if new_key in records and new_key != key:
        raise ChangeRefusedError(f"{new_dn} exists already")
    renamed: Records = {}
    for other, current in records.items():
        moved = _renamed_dn(current.dn, key, dn, new_dn)
        values = [_renamed_value(pair, key, dn, new_dn) for pair in current.values]
        values = _with_leaf(values, new_dn) if other == key else values
        renamed[fold_dn(moved)] = current
        if (moved, values) != (current.dn, current.values):
            replace_record(renamed, fold_dn(moved), values, moved)
    old_container = records[fold_dn(parent_dn(dn))]
    _hand_on(renamed, new_key, descriptor_of(old_container), descriptor_of(new_container))
    return renamed


def _refuse_kept(records: Mapping[str, Record], dn: str) -> Record:
    record = records.get(fold_dn(dn))
    if record is None:
        raise ChangeRefusedError(f"there is no {dn}")
    container = records.get(fold_dn(parent_dn(dn)))
    if entry_of(record).text("iscriticalsystemobject").upper() == "TRUE" or container is None:
        raise ChangeRefusedError(f"{dn} belongs to the directory itself")
    if is_protected(descriptor_of(record), descriptor_of(container)):
        raise ChangeRefusedError(f"insufficient access rights: {dn} is protected")
    return record


def _renamed_dn(current: str, key: str, dn: str, new_dn: str) -> str:
    folded = fold_dn(current)
    if folded != key and not is_below(folded, key):
        return current
    return ",".join([*split_dn(current)[: -len(split_dn(dn))], new_dn])


def _renamed_value(pair: tuple[str, bytes], key: str, dn: str, new_dn: str) -> tuple[str, bytes]:
    name, value = pair
    head, text = b"", value
    if name.lower() == "wellknownobjects":  # B:32:GUID:DN, [MS-ADTS] 3.1.1.3.1.1.1.1
        parts = value.split(b":", 3)
        head, text = b":".join(parts[:3]) + b":", parts[-1]
    elif name.lower() not in DN_VALUED | {"distinguishedname"}:
        return pair
    current = text.decode("utf-8", "surrogateescape")
    return name, head + _renamed_dn(current, key, dn, new_dn).encode("utf-8", "surrogateescape")


def _with_leaf(values: list[tuple[str, bytes]], new_dn: str) -> list[tuple[str, bytes]]:
    leaf = leaf_name(new_dn).encode()
    return [(name, leaf) if name.lower() in ("cn", "ou", "name") else (name, value) for name, value in values]


def descriptor_of(record: Record) -> Descriptor | None:
    """Return the descriptor of an entry, or nothing in a file that was exported without them."""
    raw = entry_of(record).first(_DESCRIPTOR.lower())
    return Descriptor.from_bytes(raw) if raw else None


def hand_rights_on(records: Records, before: Record, after: Record) -> None:
    """Do what a directory server does by itself: hand changed entries on to all that lies below."""
    try:
        was, now = descriptor_of(before), descriptor_of(after)
    except InputError as error:
        raise ChangeRefusedError(f"not a security descriptor: {error.message}") from error
    for key in [k for k in records if fold_dn(parent_dn(records[k].dn)) == fold_dn(after.dn)]:
        _hand_on(records, key, was, now)


def _hand_on(records: Records, key: str, was: Descriptor | None, now: Descriptor | None) -> None:
    record = records[key]
    raw = entry_of(record).first(_DESCRIPTOR.lower())
    current = descriptor_of(record) if raw and is_readable(raw) else None
    if was is None or now is None or current is None:
        return
    classes = [value.decode("utf-8", "replace") for value in entry_of(record).attributes.get("objectclass", ())]
    following = handed_on(was.entries, now.entries, current, class_guid(classes))
    if following == current:
        return
    packed = following.to_bytes()
    values = [(n, packed if n.lower() == _DESCRIPTOR.lower() else v) for n, v in record.values]
    replace_record(records, key, values)
    hand_rights_on(records, record, records[key])


def check_scope_change(before: Record, after: Record) -> None:
    """Refuse what a server refuses: a scope that cannot be reached in one step."""
    was, now = observe(entry_of(before)), observe(entry_of(after))
    if was is not None and now is not None:
        reason = refused_scope_change(was.row.flags, now.row.flags)
        if reason:
            raise ChangeRefusedError(f"the server is unwilling to perform it: {reason}")
