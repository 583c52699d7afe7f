"""Objects made in the directory, and deleted."""

from collections.abc import Iterable, Mapping, Sequence
from typing import Final

from adzeguard.core.change.kinds.create_object import CreateObject, DeleteObject
from adzeguard.core.change.kinds.object_change import AttributeChange
from adzeguard.core.change.outcome import Intent, Outcome, Status
from adzeguard.core.identity import Sid, fold_dn
from adzeguard.directory.executors.same_entry import OTHERWISE, same_entry
from adzeguard.directory.port import DirectoryDriver, Entry, Modification

_NAMING_OTHERS: Final = frozenset({"member", "managedby", "manager"})
# What a server gives an object itself, and refuses or ignores when it is asked for ([MS-ADTS] 3.1.1.5.2.2): seen on the
# real server, which answers unwillingToPerform to most of these.
_MADE_BY_THE_SERVER: Final = frozenset(
    {
        "objectguid",
        "objectsid",
        "objectcategory",
        "whencreated",
        "whenchanged",
        "usncreated",
        "usnchanged",
        "name",
        "distinguishedname",
        "instancetype",
        "samaccounttype",
        "memberof",
        "dscorepropagationdata",
        "admincount",
        "badpwdcount",
        "badpasswordtime",
        "codepage",
        "countrycode",
        "lastlogoff",
        "lastlogon",
        "lastlogontimestamp",
        "logoncount",
        "pwdlastset",
        "primarygroupid",
        "cn",
        "ou",
        "iscriticalsystemobject",
        "structuralobjectclass",
        "lockouttime",
        "localpolicyflags",
        "objectversion",
        "creationtime",
    }
)
_SECRET: Final = frozenset(
    {
        "unicodepwd",
        "dbcspwd",
        "ntpwdhistory",
        "lmpwdhistory",
        "supplementalcredentials",
        "trustauthincoming",
        "trustauthoutgoing",
        "initialauthincoming",
        "initialauthoutgoing",
        "currentvalue",
        "priorvalue",
        "msfve-keypackage",
        "mstpm-ownerinformation",
        "msds-keymaterial",
        "userpkcs12",
        "mspkidpapimasterkeys",
        "mspki-credentialroamingtokens",
        "mskds-rootkeydata",
        "krbprincipalkey",
        "peklist",
        "privatekey",
    }
)
_SOUNDS_SECRET: Final = ("password", "admpwd", "credential", "secret")
_KEPT_WHEN_DELETED: Final = frozenset({"objectclass", "samaccountname", "grouptype"})
"""[MS-ADTS] 3.1.1.5.5.1.1; writing a groupType that stands already is refused by the real server."""
_NORMAL_ACCOUNT: Final = 0x200
_DISABLED: Final = 0x2  # ADS_UF_ACCOUNTDISABLE, [MS-ADTS] 2.2.16
_ACCOUNT_CONTROL: Final = "useraccountcontrol"


def create_object(directory: DirectoryDriver, change: CreateObject, intent: Intent) -> Outcome:
    """Make an object where none of its name is; one that was deleted comes back as it was, where it is still kept."""
    standing = directory.read(change.object.dn)
    if standing is not None and not _half_restored(directory, standing, change):
        return Outcome(change, Status.CONFLICT, f"{change.object.dn} exists already", already=True)
    attributes, without = _to_be_made(directory, change.attributes)
    intent(change)
    if standing is not None or (change.was and directory.restore(Sid(change.was), change.object.dn)):
        if put_back := _to_be_put_back(attributes):  # a request without changes is refused
            directory.modify(change.object.dn, put_back)
    else:
        directory.add(change.object.dn, attributes)
    entry = directory.read(change.object.dn)
    if entry is None or not all(_holds(entry, name, given) for name, given in attributes.items()):
        return Outcome(change, Status.DIFFERS, OTHERWISE)
    packed = entry.first("objectsid")
    details = [f"SID {Sid.from_bytes(packed)}"] if packed else []
    details += [f"without {name}, which is gone" for name in without]
    return Outcome(change, Status.VERIFIED, "; ".join(details))


def _half_restored(directory: DirectoryDriver, entry: Entry, change: CreateObject) -> bool:
    """Tell whether this is what was deleted, brought back without what stood in it: somebody was stopped there."""
    packed = entry.first("objectsid")
    if not change.was or packed is None or Sid.from_bytes(packed) != change.was:
        return False
    whole = directory.read_whole(entry.dn) or entry
    others = _NAMING_OTHERS | _MADE_BY_THE_SERVER | {"ntsecuritydescriptor", _ACCOUNT_CONTROL}
    given = [a for a in change.attributes if a.name.casefold() not in others]
    return any(whole.first(a.name.casefold()) is None or not _holds(whole, a.name, a.after) for a in given)


def _to_be_put_back(attributes: Mapping[str, Sequence[bytes]]) -> list[Modification]:
    """Return what is written into an entry that was brought back; its classes and its kind of account stand."""
    return [
        Modification("replace", name, tuple(values))
        for name, values in attributes.items()
        if name.casefold() not in _KEPT_WHEN_DELETED
    ]


def delete_object(directory: DirectoryDriver, change: DeleteObject, intent: Intent) -> Outcome:
    """Delete an object. The intent keeps all that stood in it but passwords and keys, so that it can be made again."""
    entry = same_entry(directory, change.object)
    if entry is None:
        gone = directory.read(change.object.dn) is None
        return Outcome(change, Status.CONFLICT, f"{change.object.name} is not where the proposal saw it", already=gone)
    whole = directory.read_whole(entry.dn) or entry
    kept = tuple(
        AttributeChange(name=name, before=tuple(values))
        for name, values in whole.attributes.items()
        if not is_secret(name)
    )
    intent(change.model_copy(update={"attributes": kept}))
    directory.delete(entry.dn)
    if directory.read(entry.dn) is None:
        return Outcome(change, Status.VERIFIED)
    return Outcome(change, Status.DIFFERS, OTHERWISE)


def is_secret(name: str) -> bool:
    """Tell whether an attribute can hold a password or a key, which must not stand in the journal."""
    folded = name.casefold().partition(";")[0]  # an option, as in unicodePwd;x-old, changes nothing about it
    return folded in _SECRET or any(word in folded for word in _SOUNDS_SECRET)


def _to_be_made(
    directory: DirectoryDriver, changes: Iterable[AttributeChange]
) -> tuple[dict[str, list[bytes]], list[str]]:
    """Return what a new entry is given, and which names it had that stand for nothing any more."""
    attributes: dict[str, list[bytes]] = {}
    without: list[str] = []
    for change in changes:
        name, values = change.name, list(change.after)
        if name.casefold() in _MADE_BY_THE_SERVER:
            continue
        if name.casefold() in _NAMING_OTHERS:
            there = [value for value in values if directory.read(_text(value)) is not None]
            without += [_text(value) for value in values if value not in there]
            values = there
        if name.casefold() == _ACCOUNT_CONTROL:  # an account comes back without its password, so it comes disabled
            values = [_disabled(value) for value in values]
        if values:
            attributes[name] = values
    return attributes, without


def _disabled(control: bytes) -> bytes:
    """Return what an account may do, without signing in; one whose number is damaged comes back as any disabled one."""
    try:
        number = int(control)
    except ValueError:
        number = _NORMAL_ACCOUNT
    return str(number | _DISABLED).encode()


def _text(value: bytes) -> str:
    return value.decode("utf-8", "surrogateescape")


def _holds(entry: Entry, name: str, values: Iterable[bytes]) -> bool:
    """Tell whether an entry holds what was written; a server adds classes and entries of its own."""
    if name.casefold() == "ntsecuritydescriptor":
        return True
    there = {_compared(name, value) for value in entry.attributes.get(name.casefold(), ())}
    return not there or all(_compared(name, value) in there for value in values)


def _compared(name: str, value: bytes) -> str | bytes:
    return fold_dn(_text(value)) if name.casefold() in _NAMING_OTHERS else value.lower()
