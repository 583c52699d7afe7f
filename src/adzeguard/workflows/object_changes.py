"""Makes one change of an object: read again, compare with what was expected, write, read back."""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Final

from adzeguard.core.change.changes import AttributeChange, Named, ObjectChange, Verb, value_bytes, value_text
from adzeguard.core.descriptors.ace import Ace, AceFlag
from adzeguard.core.descriptors.descriptor import Descriptor
from adzeguard.core.errors import InputError
from adzeguard.core.identity import Sid, fold_dn
from adzeguard.directory.port import DirectoryDriver, Entry, Modification
from adzeguard.workflows.outcome import Intent, Outcome, Status

_PART_BY_PART: Final = frozenset({"wellknownobjects", "gplink"})
"""Attributes of which a change means some values only; of the others it means all."""
_NAMING_OTHERS: Final = frozenset({"member", "managedby", "manager"})
_MADE_BY_THE_SERVER: Final = frozenset({
    "objectguid", "objectsid", "objectcategory", "whencreated", "whenchanged", "usncreated", "usnchanged", "name",
    "distinguishedname", "instancetype", "samaccounttype", "memberof", "dscorepropagationdata", "admincount",
    "badpwdcount", "badpasswordtime", "codepage", "countrycode", "lastlogoff", "lastlogon", "lastlogontimestamp",
    "logoncount", "pwdlastset", "primarygroupid", "cn", "ou", "iscriticalsystemobject", "structuralobjectclass",
    "lockouttime", "localpolicyflags", "objectversion", "creationtime",
})  # fmt: skip
_SECRET: Final = frozenset({
    "unicodepwd", "dbcspwd", "ntpwdhistory", "lmpwdhistory", "supplementalcredentials", "trustauthincoming",
    "trustauthoutgoing", "initialauthincoming", "initialauthoutgoing", "currentvalue", "priorvalue",
    "msfve-keypackage", "mstpm-ownerinformation", "msds-keymaterial",
})  # fmt: skip
_SOUNDS_SECRET: Final = ("password", "admpwd", "credential", "secret")
_DISABLED: Final = 0x2
_ACCOUNT_CONTROL: Final = "useraccountcontrol"
_OTHERWISE: Final = "written, but read back otherwise"


def same_entry(directory: DirectoryDriver, named: Named) -> Entry | None:
    """Read an entry, and only accept it when it is still the one that the proposal means."""
    entry = directory.read(named.dn) if named.dn else None
    if entry is None or named.made:
        return entry
    packed = entry.first("objectsid")
    return entry if (Sid.from_bytes(packed) if packed else "") == named.sid else None


def hands_on(change: ObjectChange) -> bool:
    """Tell whether the change reaches what lies below the object."""
    # The second byte of an entry holds its flags.
    return any(int(text[2:4] or "0", 16) & AceFlag.CONTAINER_INHERIT for text in (*change.gives, *change.takes))


@dataclass(frozen=True, slots=True)
class ObjectChanger:
    """Makes, removes, changes and moves objects of one directory."""

    directory: DirectoryDriver

    def make(self, change: ObjectChange, intent: Intent) -> Outcome:
        """Make one change; see `DirectoryChanger.make`."""
        if change.verb == Verb.CREATE:
            return self._create(change, intent)
        entry = same_entry(self.directory, change.object)
        if entry is None:
            gone = self.directory.read(change.object.dn) is None and self._is_done_without(change)
            return Outcome(
                change, Status.CONFLICT, f"{change.object.name} is not where the proposal saw it", already=gone
            )
        match change.verb:
            case Verb.DELETE:
                return self._delete(change, entry, intent)
            case Verb.MOVE:
                return self._move(change, entry, intent)
            case Verb.RIGHTS:
                return self._rights(change, entry, intent)
            case _:
                return self._set(change, entry, intent)

    def _is_done_without(self, change: ObjectChange) -> bool:
        """Tell whether it is as wanted although the object is not there: deleted, or moved already."""
        if change.verb == Verb.MOVE:
            return same_entry(self.directory, change.object.model_copy(update={"dn": change.to})) is not None
        return change.verb == Verb.DELETE

    def _create(self, change: ObjectChange, intent: Intent) -> Outcome:
        if self.directory.read(change.object.dn) is not None:
            return Outcome(change, Status.CONFLICT, f"there is a {change.object.dn} already", already=True)
        attributes, without = self._to_be_made(change.attributes)
        intent(change)
        self.directory.add(change.object.dn, attributes)
        entry = self.directory.read(change.object.dn)
        if entry is None or not all(_holds(entry, name, given) for name, given in attributes.items()):
            return Outcome(change, Status.DIFFERS, _OTHERWISE)
        packed = entry.first("objectsid")
        told = [f"SID {Sid.from_bytes(packed)}"] if packed else []
        told += [f"without {name}, which is gone" for name in without]
        return Outcome(change, Status.VERIFIED, "; ".join(told))

    def _to_be_made(self, changes: Iterable[AttributeChange]) -> tuple[dict[str, list[bytes]], list[str]]:
        """Return what a new entry is given, and which names it had that stand for nothing any more."""
        attributes: dict[str, list[bytes]] = {}
        without: list[str] = []
        for change in changes:
            name, values = change.name, [value_bytes(text) for text in change.after]
            if name.casefold() in _MADE_BY_THE_SERVER:
                continue
            if name.casefold() in _NAMING_OTHERS:
                standing = [value for value in values if self.directory.read(_text(value)) is not None]
                without += [_text(value) for value in values if value not in standing]
                values = standing
            if name.casefold() == _ACCOUNT_CONTROL:  # an account comes back without its password, so it comes disabled
                values = [str(int(value) | _DISABLED).encode() for value in values]
            if values:
                attributes[name] = values
        return attributes, without

    def _delete(self, change: ObjectChange, entry: Entry, intent: Intent) -> Outcome:
        """The intent keeps all that stood in it but passwords and keys, so that it can be made again."""
        whole = self.directory.read_whole(entry.dn) or entry
        kept = tuple(
            AttributeChange(name=name, before=tuple(value_text(value) for value in values))
            for name, values in whole.attributes.items()
            if not _is_secret(name)
        )
        intent(change.model_copy(update={"attributes": kept}))
        self.directory.delete(entry.dn)
        return self._read_back(change, done=self.directory.read(entry.dn) is None)

    def _move(self, change: ObjectChange, entry: Entry, intent: Intent) -> Outcome:
        new_name = fold_dn(change.to) != fold_dn(entry.dn)
        if new_name and self.directory.read(change.to) is not None:
            return Outcome(change, Status.CONFLICT, f"there is a {change.to} already")
        intent(change)
        self.directory.rename(entry.dn, change.to)
        there = self.directory.read(change.to)
        return self._read_back(
            change, done=there is not None and there.first("objectguid") == entry.first("objectguid")
        )

    def _set(self, change: ObjectChange, entry: Entry, intent: Intent) -> Outcome:
        if all(_stands(entry, a.name, a.after, a.before) for a in change.attributes):
            return Outcome(change, Status.CONFLICT, "it is so already", already=True)
        for attribute in change.attributes:
            if not _stands(entry, attribute.name, attribute.before, attribute.after):
                return Outcome(change, Status.CONFLICT, f"{attribute.name} of {entry.dn} is another by now")
        intent(change)
        self.directory.modify(entry.dn, [m for a in change.attributes for m in _modifications(a)])
        after = same_entry(self.directory, change.object)
        done = after is not None and all(_stands(after, a.name, a.after, a.before) for a in change.attributes)
        return self._read_back(change, done=done)

    def _rights(self, change: ObjectChange, entry: Entry, intent: Intent) -> Outcome:
        gives, takes = [_ace(text) for text in change.gives], [_ace(text) for text in change.takes]
        raw = entry.first("ntsecuritydescriptor")
        if raw is None:
            return Outcome(change, Status.REFUSED, f"the directory does not show the rights over {entry.dn}")
        try:
            descriptor = Descriptor.from_bytes(raw)
        except InputError as error:
            return Outcome(change, Status.REFUSED, error.message)
        if _stand(descriptor, gives, takes):
            return Outcome(change, Status.CONFLICT, "it is so already", already=True)
        if not _stand(descriptor, takes, gives):
            return Outcome(change, Status.CONFLICT, f"the rights over {entry.dn} are others by now")
        intent(change)
        packed = descriptor.with_changes(gives, takes).to_bytes()
        self.directory.modify(entry.dn, [Modification("replace", "nTSecurityDescriptor", (packed,))])
        after = same_entry(self.directory, change.object)
        written = after.first("ntsecuritydescriptor") if after is not None else None
        done = written is not None and _stand(Descriptor.from_bytes(written), gives, takes)
        return self._read_back(change, done=done)

    def _read_back(self, change: ObjectChange, *, done: bool) -> Outcome:
        if done:
            return Outcome(change, Status.VERIFIED)
        return Outcome(change, Status.DIFFERS, _OTHERWISE)


def _is_secret(name: str) -> bool:
    """Tell whether an attribute can hold a password or a key, which must not stand in the journal."""
    folded = name.casefold()
    return folded in _SECRET or any(word in folded for word in _SOUNDS_SECRET)


def _text(value: bytes) -> str:
    return value.decode("utf-8", "surrogateescape")


def _ace(text: str) -> Ace:
    try:
        return Ace.from_bytes(bytes.fromhex(text))
    except ValueError as error:
        raise InputError("an entry of the proposal is not in hexadecimal", "Make the proposal again") from error


def _stand(descriptor: Descriptor, present: Iterable[Ace], absent: Iterable[Ace]) -> bool:
    own = set(descriptor.entries)
    return all(entry in own for entry in present) and not any(entry in own for entry in absent)


def _holds(entry: Entry, name: str, values: Iterable[bytes]) -> bool:
    """Tell whether an entry holds what was written; a server adds classes and entries of its own."""
    if name.casefold() == "ntsecuritydescriptor":
        return True
    standing = {_compared(name, value) for value in entry.attributes.get(name.casefold(), ())}
    return not standing or all(_compared(name, value) in standing for value in values)


def _compared(name: str, value: bytes) -> str | bytes:
    return fold_dn(_text(value)) if name.casefold() in _NAMING_OTHERS else value.lower()


def _stands(entry: Entry, name: str, wanted: Iterable[str], unwanted: Iterable[str]) -> bool:
    standing = set(entry.attributes.get(name.casefold(), ()))
    values = {value_bytes(text) for text in wanted}
    if name.casefold() in _PART_BY_PART:
        return values <= standing and not standing & ({value_bytes(text) for text in unwanted} - values)
    return values == standing


def _modifications(change: AttributeChange) -> list[Modification]:
    before, after = ([value_bytes(text) for text in values] for values in (change.before, change.after))
    if change.name.casefold() not in _PART_BY_PART:
        return [Modification("replace", change.name, tuple(after))]
    parts = [Modification("delete", change.name, tuple(before))] if before else []
    return parts + ([Modification("add", change.name, tuple(after))] if after else [])
