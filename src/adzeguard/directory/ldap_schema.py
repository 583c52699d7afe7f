"""The schema of a directory server, read over LDAP: names, GUIDs, rights of new objects, and what nobody writes."""

import json
import uuid
from collections.abc import Iterator, Sequence
from itertools import islice
from typing import Any, Final

from adzeguard.directory.ldap_port import LdapWire
from adzeguard.directory.port import Attributes

SCHEMA_FORM: Final = "2"
"""What of a schema is read; where an earlier version read less, it is read once more."""
_MOST: Final = 50_000
"""Of each kind: a forest has a few thousand, and a server that goes on for ever is none."""
_GUID_BYTES: Final = 16
_CONSTRUCTED: Final = 4
"""The flag of attributes that a server works out when it is asked ([MS-ADTS] 2.2.10)."""
_CONFIDENTIAL: Final = 0x80
"""The flag of attributes that nobody reads by the right to read alone ([MS-ADTS] 2.2.9)."""
_OF_ATTRIBUTES: Final = (
    "lDAPDisplayName",
    "schemaIDGUID",
    "attributeSecurityGUID",
    "systemOnly",
    "systemFlags",
    "linkID",
    "searchFlags",
)
_OF_CLASSES: Final = ("lDAPDisplayName", "schemaIDGUID", "defaultSecurityDescriptor")
_OF_RIGHTS: Final = ("cn", "rightsGuid", "validAccesses")
_KIND_OF_ACCESS: Final = {0x100: "control_rights", 0x30: "property_sets", 0x8: "validated_writes"}
"""What an entry that names the GUID means, by the accesses for which it is valid ([MS-ADTS] 5.1.3.2.1)."""


def schema_as_json(wire: LdapWire, schema: str, rights: str) -> str:
    """Return it in the form in which the standard one ships."""
    told: dict[str, Any] = {"attributes": {}, "classes": {}, "default_rights": {}, "unwritable": [], "confidential": []}
    told |= {kind: {} for kind in _KIND_OF_ACCESS.values()}
    for one in _found(wire, schema, "attributeSchema", _OF_ATTRIBUTES):
        name, own = _text(one, "ldapdisplayname"), _guid(one, "schemaidguid")
        if name and own:
            told["attributes"][name] = [own, _guid(one, "attributesecurityguid")]
            if _is_unwritable(one):
                told["unwritable"].append(name)
            if _number(one, "searchflags") & _CONFIDENTIAL:
                told["confidential"].append(name)
    for one in _found(wire, schema, "classSchema", _OF_CLASSES):
        name, own = _text(one, "ldapdisplayname"), _guid(one, "schemaidguid")
        if name and own:
            told["classes"][name] = own
            text = _text(one, "defaultsecuritydescriptor")
            told["default_rights"] |= {name: text} if text else {}
    for one in _found(wire, rights, "controlAccessRight", _OF_RIGHTS):
        kind = _KIND_OF_ACCESS.get(_number(one, "validaccesses"))
        name, own = _text(one, "cn"), _text(one, "rightsguid").lower()
        if kind and name and _is_guid(own):
            told[kind][name] = own
    return json.dumps(told, sort_keys=True)


def _found(wire: LdapWire, base: str, of_class: str, attributes: Sequence[str]) -> Iterator[Attributes]:
    found = wire.search(base, f"(objectClass={of_class})", attributes, descriptors=False)
    yield from (one for _, one in islice(found, _MOST))


def _is_unwritable(one: Attributes) -> bool:
    """A back link has an odd number, and follows from its forward link ([MS-ADTS] 3.1.1.1.6)."""
    is_back_link = bool(_number(one, "linkid") & 1)
    is_constructed = bool(_number(one, "systemflags") & _CONSTRUCTED)
    return _text(one, "systemonly") == "TRUE" or is_constructed or is_back_link


def _text(one: Attributes, name: str) -> str:
    values = one.get(name) or [b""]
    return values[0].decode("utf-8", "replace")


def _number(one: Attributes, name: str) -> int:
    try:
        return int(_text(one, name))
    except ValueError:
        return 0


def _guid(one: Attributes, name: str) -> str:
    value = (one.get(name) or [b""])[0]
    return str(uuid.UUID(bytes_le=bytes(value))) if len(value) == _GUID_BYTES else ""


def _is_guid(text: str) -> bool:
    try:
        uuid.UUID(text)
    except ValueError:
        return False
    return True
