"""From the attributes of an entry to a row of the estate ([MS-ADTS] 2.2, [MS-ADA1..3])."""

import json
from collections.abc import Iterator, Sequence
from contextlib import suppress
from datetime import datetime
from typing import Any, Final, overload

from adzeguard.core.errors import InputError
from adzeguard.core.estate.account_control import CONTROLS
from adzeguard.core.estate.attributes import SHOWN_ATTRIBUTES
from adzeguard.core.estate.principal import Flag, Kind
from adzeguard.core.estate.rows import NEVER, ObjectRow, Observed, object_key
from adzeguard.core.identity import Sid, leaf_name
from adzeguard.core.rights.schema import LOCAL_PASSWORDS
from adzeguard.core.wellknown import SECURITY_ENABLED
from adzeguard.directory.password_policy import password_policy
from adzeguard.directory.port import Entry
from adzeguard.directory.signing_in import signing_in

_DISABLED: Final = 0x2  # ADS_UF_ACCOUNTDISABLE, [MS-ADTS] 2.2.16
_OF_A_TRUST: Final = 0x800  # ADS_UF_INTERDOMAIN_TRUST_ACCOUNT
_CRITICAL, _ENABLED, _ADMIN_COUNT = int(Flag.CRITICAL), int(Flag.ENABLED), int(Flag.ADMIN_COUNT)
_CONTROL_BITS: Final = tuple((row.bit, int(row.flag)) for row in CONTROLS)
_GROUP_BITS: Final = (  # [MS-ADTS] 2.2.12
    (0x1, int(Flag.BUILTIN)),
    (0x2, int(Flag.GLOBAL)),
    (0x4, int(Flag.DOMAIN_LOCAL)),
    (0x8, int(Flag.UNIVERSAL)),
    (SECURITY_ENABLED, int(Flag.SECURITY_GROUP)),
)
_DIGITS_OF_A_TIME: Final = 6
_EPOCH_AS_FILETIME: Final = 116_444_736_000_000_000
_NO_END: Final = 0x7FFFFFFFFFFFFFFF
_KIND_OF_CLASS: Final = (  # the first that fits, since classes derive from each other
    (b"msds-groupmanagedserviceaccount", Kind.SERVICE),
    (b"msds-managedserviceaccount", Kind.SERVICE),
    (b"computer", Kind.COMPUTER),
    (b"user", Kind.USER),
    (b"inetorgperson", Kind.USER),
    (b"group", Kind.GROUP),
    (b"organizationalunit", Kind.OU),
    (b"grouppolicycontainer", Kind.POLICY),
    (b"foreignsecurityprincipal", Kind.FOREIGN),
    (b"domaindns", Kind.DOMAIN),
    (b"contact", Kind.CONTACT),
    (b"trusteddomain", Kind.TRUSTED_DOMAIN),
    (b"msds-passwordsettings", Kind.PASSWORD_POLICY),
    (b"site", Kind.SITE),
    (b"container", Kind.CONTAINER),
    (b"builtindomain", Kind.CONTAINER),
)
_DETAILS: Final = tuple((a.name.casefold(), a.key) for a in SHOWN_ATTRIBUTES if not a.is_binary)
_BINARY_DETAILS: Final = tuple((a.name.casefold(), a.key) for a in SHOWN_ATTRIBUTES if a.is_binary)


def observe(entry: Entry) -> Observed | None:
    """Return what an entry is, or nothing when it is of no kind that the tool looks after."""
    kind = _kind(entry)
    if kind is None:
        return None
    packed_sid = entry.first("objectsid")
    try:
        sid = Sid.from_bytes(packed_sid) if packed_sid else ""
    except InputError as error:
        raise InputError(f"the SID of {entry.dn} is damaged: {error.message}") from error
    row = ObjectRow(
        object_key(entry.first("objectguid"), sid, entry.dn),
        kind,
        _flags(entry, kind),
        sid,
        _rid(entry.number("primarygroupid")),
        _name(entry, kind),
        entry.dn,
        seconds_of(entry.text("whencreated")),
        _file_time(entry.number("lastlogontimestamp")),
        _file_time(entry.number("pwdlastset")),
        _file_time(entry.number("accountexpires")),
        bytes(entry.first("ntsecuritydescriptor") or b""),
        _details(entry, kind),
    )
    listed = entry.attributes.get("member", ())
    # A group of a million members is decoded name by name, whenever somebody goes through them.
    members = tuple(map(_text, listed)) if isinstance(listed, list | tuple) else Decoded(listed)
    return Observed(row, members)


class Decoded(Sequence[str]):
    """Values as text, decoded when somebody looks at them."""

    def __init__(self, values: Sequence[bytes]) -> None:
        self._values = values

    def __iter__(self) -> Iterator[str]:
        """Go through them in their order."""
        return map(_text, self._values)

    def __len__(self) -> int:
        """Return how many there are."""
        return len(self._values)

    @overload
    def __getitem__(self, at: int) -> str: ...
    @overload
    def __getitem__(self, at: slice) -> Sequence[str]: ...
    def __getitem__(self, at: int | slice) -> str | Sequence[str]:
        """Return one, or some."""
        return _text(self._values[at]) if isinstance(at, int) else list(map(_text, self._values[at]))


def _text(value: bytes) -> str:
    return value.decode("utf-8", "surrogateescape")


def _kind(entry: Entry) -> Kind | None:
    classes = {value.lower() for value in entry.attributes.get("objectclass", ())}
    kind = next((kind for name, kind in _KIND_OF_CLASS if name in classes), None)
    # By its classes it is a user. Taken for a person it was found stale and put away, and the trust was broken.
    is_trust = kind == Kind.USER and entry.number("useraccountcontrol") & _OF_A_TRUST
    return Kind.TRUST if is_trust else kind


def _name(entry: Entry, kind: Kind) -> str:
    """Accounts go by their account name; a computer's ends in $, which people leave away."""
    account = _readable(entry.text("samaccountname"))
    # The $ marks the account of a machine ([MS-SAMR] 3.1.1.8.9); people leave it away.
    if kind in (Kind.COMPUTER, Kind.TRUST, Kind.SERVICE):
        return account.removesuffix("$")
    if kind == Kind.POLICY and entry.text("displayname"):
        return _readable(entry.text("displayname"))
    return account or _readable(leaf_name(entry.dn))


def _readable(text: str) -> str:
    """Show bytes that are not UTF-8 as escapes: no store and no terminal takes them as they are."""
    return text.encode("utf-8", "surrogateescape").decode("utf-8", "backslashreplace")


def _rid(number: int) -> int:
    """Return a relative identifier, 0 for a number that is none ([MS-DTYP] 2.4.2), as a damaged file has."""
    return number if 0 <= number < 1 << 32 else 0


def _flags(entry: Entry, kind: Kind) -> Flag:
    """Return the facts that are yes or no; put together as a number, since a million flags are slow to join."""
    found = 0
    if kind == Kind.TRUST:
        found |= _CRITICAL
    if kind in (Kind.USER, Kind.COMPUTER, Kind.TRUST, Kind.SERVICE):
        control = entry.number("useraccountcontrol")
        found |= _joined(control, _CONTROL_BITS) | (0 if control & _DISABLED else _ENABLED)
    if kind == Kind.GROUP:
        # It is a signed number in the directory: a security group has the highest bit, and comes negative.
        found |= _joined(entry.number("grouptype") & 0xFFFFFFFF, _GROUP_BITS)
    if entry.text("iscriticalsystemobject").upper() == "TRUE":
        found |= _CRITICAL
    if entry.number("admincount"):
        found |= _ADMIN_COUNT
    return Flag(found)


def _joined(number: int, table: Sequence[tuple[int, int]]) -> int:
    return sum(flag for bit, flag in table if number & bit)


def _details(entry: Entry, kind: Kind) -> str:
    texts = {key: text for attribute, key in _DETAILS if (text := entry.text(attribute))}
    texts |= {key: value.hex() for attribute, key in _BINARY_DETAILS if (value := entry.first(attribute))}
    places = [value.decode("utf-8", "surrogateescape") for value in entry.attributes.get("wellknownobjects", ())]
    details: dict[str, Any] = {**texts, **({"well_known_objects": sorted(places)} if places else {})}
    if entry.text("versionnumber") and entry.text("whenchanged"):
        # Of directory policies alone: of others it would make a new row of each whose logon stamp moves.
        details["changed"] = seconds_of(entry.text("whenchanged"))
    if former := _sids(entry.attributes.get("sidhistory", ())):
        details["sid_history"] = former
    if policy := password_policy(entry):
        details["password_policy"] = policy
    if ways := signing_in(entry, kind):
        details["signing_in"] = ways
    if kind == Kind.COMPUTER and (kept := [a for a, beside in LOCAL_PASSWORDS.items() if entry.first(beside.lower())]):
        details["local_passwords"] = kept
    if kind == Kind.SITE and (servers := entry.attributes.get("serverreference", ())):
        details["servers"] = sorted(map(_text, servers))
    if b"trusteddomain" in entry.classes:
        details["trust"] = _trust(entry)
    return json.dumps(details, sort_keys=True) if details else ""


def _sids(values: Sequence[bytes]) -> list[str]:
    """Return the SIDs that can be read."""
    found = []
    for value in values:
        with suppress(InputError):
            found.append(str(Sid.from_bytes(bytes(value))))
    return sorted(found)


def _trust(entry: Entry) -> dict[str, Any]:
    """Return what a trust is made of ([MS-ADTS] 6.1.6.7); numbers are the protocol's own."""
    packed = entry.first("securityidentifier")
    try:
        sid = str(Sid.from_bytes(packed)) if packed else ""
    except InputError:
        sid = ""
    return {
        "partner": _readable(entry.text("trustpartner")),
        "short_name": _readable(entry.text("flatname")),
        "sid": sid,
        "direction": entry.number("trustdirection"),
        "type": entry.number("trusttype"),
        "attributes": entry.number("trustattributes"),
        "changed": seconds_of(entry.text("whenchanged")),
    }


def _file_time(value: int) -> int:
    """Turn 100-nanosecond steps since 1601 ([MS-DTYP] 2.3.3) into seconds since 1970."""
    # 0 and the largest number both stand for never in accountExpires.
    if value <= 0 or value >= _NO_END:
        return NEVER
    # Before 1970 is long ago and not never: an account that expired then lets nobody in.
    return max(1, (value - _EPOCH_AS_FILETIME) // 10_000_000)


def seconds_of(text: str) -> int:
    """Turn "20261123074400.0Z" (RFC 4517 section 3.3.13) into seconds since 1970."""
    day, time = text[:8], text[8:14]
    if len(time) < _DIGITS_OF_A_TIME or not (day + time).isdecimal():
        return NEVER
    try:
        return int(datetime.fromisoformat(f"{day}T{time}+00:00").timestamp())
    except ValueError:
        return NEVER


def domain_sid_of(entry: Entry) -> Sid:
    """Return the SID of the domain object; `InputError` when it has none."""
    packed = entry.first("objectsid")
    if packed is None:
        raise InputError(f"the domain object {entry.dn} has no objectSid", "Export it too, or name another base")
    return Sid.from_bytes(packed)
