"""The text form of access control entries ([MS-DTYP] 2.5.1), as the schema gives the rights new objects begin with."""

import re
import uuid
from typing import Final

from adzeguard.core.descriptors.ace import Ace, AceKind
from adzeguard.core.errors import InputError
from adzeguard.core.identity import Sid, looks_like_sid

_ENTRY: Final = re.compile(r"\(([^()]*)\)")
_KINDS: Final = {"A": AceKind.ALLOW, "D": AceKind.DENY, "OA": AceKind.ALLOW_OBJECT, "OD": AceKind.DENY_OBJECT}
_FLAGS: Final = {"OI": 0x01, "CI": 0x02, "NP": 0x04, "IO": 0x08, "ID": 0x10}
_RIGHTS: Final = {
    "CC": 0x1,
    "DC": 0x2,
    "LC": 0x4,
    "SW": 0x8,
    "RP": 0x10,
    "WP": 0x20,
    "DT": 0x40,
    "LO": 0x80,
    "CR": 0x100,
    "SD": 0x10000,
    "RC": 0x20000,
    "WD": 0x40000,
    "WO": 0x80000,
    "GA": 0x10000000,
    "GX": 0x20000000,
    "GW": 0x40000000,
    "GR": 0x80000000,
}
_ANYWHERE: Final = {
    "AN": "S-1-5-7",
    "AO": "S-1-5-32-548",
    "AU": "S-1-5-11",
    "BA": "S-1-5-32-544",
    "BG": "S-1-5-32-546",
    "BO": "S-1-5-32-551",
    "BU": "S-1-5-32-545",
    "CG": "S-1-3-1",
    "CO": "S-1-3-0",
    "ED": "S-1-5-9",
    "IU": "S-1-5-4",
    "LS": "S-1-5-19",
    "NS": "S-1-5-20",
    "NU": "S-1-5-2",
    "OW": "S-1-3-4",
    "PO": "S-1-5-32-550",
    "PS": "S-1-5-10",
    "RC": "S-1-5-12",
    "RD": "S-1-5-32-555",
    "RU": "S-1-5-32-554",
    "SO": "S-1-5-32-549",
    "SU": "S-1-5-6",
    "SY": "S-1-5-18",
    "WD": "S-1-1-0",
}
_OF_DOMAIN: Final = {
    "CA": 517,
    "CN": 522,
    "DA": 512,
    "DC": 515,
    "DD": 516,
    "DG": 514,
    "DU": 513,
    "EA": 519,
    "LA": 500,
    "LG": 501,
    "PA": 520,
    "RO": 498,
    "RS": 553,
    "SA": 518,
}


def entries_of_text(text: str, domain: Sid) -> list[Ace]:
    """Read the entries of a discretionary list; `InputError` for what is no entry."""
    return [_entry(body, domain) for body in _ENTRY.findall(text.partition("S:(")[0])]


def _entry(body: str, domain: Sid) -> Ace:
    parts = body.split(";")
    if len(parts) != 6 or parts[0] not in _KINDS:  # noqa: PLR2004 - kind, flags, rights, two types, SID
        raise InputError(f"'({body})' is not an access control entry")
    kind, flags, rights, object_type, inherited_type, who = parts
    try:
        return Ace(
            _KINDS[kind],
            sum(_FLAGS[flag] for flag in _pairs(flags)),
            sum(_RIGHTS[right] for right in _pairs(rights)),
            _sid(who, domain),
            _guid(object_type),
            _guid(inherited_type),
        )
    except (KeyError, ValueError) as error:
        raise InputError(f"'({body})' is not an access control entry: {error}") from error


def _pairs(text: str) -> set[str]:
    return {text[at : at + 2] for at in range(0, len(text), 2)}


def _guid(text: str) -> uuid.UUID | None:
    return uuid.UUID(text) if text else None


def _sid(text: str, domain: Sid) -> Sid:
    if looks_like_sid(text):
        return Sid.parse(text)
    return Sid(_ANYWHERE[text]) if text in _ANYWHERE else Sid(f"{domain}-{_OF_DOMAIN[text]}")
