"""Objects of the directory set, moved, and given other rights."""

from collections.abc import Iterable
from dataclasses import replace
from typing import Final

from adzeguard.core.change.kinds.change_rights import ChangeRights
from adzeguard.core.change.kinds.move_object import MoveObject
from adzeguard.core.change.kinds.object_change import AttributeChange, ObjectChange
from adzeguard.core.change.kinds.set_account_control import SetAccountControl
from adzeguard.core.change.kinds.set_attributes import SetAttributes
from adzeguard.core.change.outcome import Intent, Outcome, Status
from adzeguard.core.descriptors.ace import Ace
from adzeguard.core.descriptors.descriptor import Descriptor
from adzeguard.core.errors import InputError
from adzeguard.core.estate.account_control import control_named
from adzeguard.core.identity import fold_dn
from adzeguard.directory.executors.same_entry import OTHERWISE, same_entry
from adzeguard.directory.port import DirectoryDriver, Entry, Modification

# Of these a change means some values only; of all others it means all. Others write the same attribute of the same
# object for reasons of their own, and a replacement would take back what they wrote.
_PART_BY_PART: Final = frozenset({"wellknownobjects", "gplink"})


def set_attributes(directory: DirectoryDriver, change: SetAttributes, intent: Intent) -> Outcome:
    """Set attributes where all of them are as expected."""
    entry = same_entry(directory, change.object)
    if entry is None:
        return _not_there(change)
    if all(_is(entry, a.name, a.after, a.before) for a in change.attributes):
        return Outcome(change, Status.CONFLICT, "it is so already", already=True)
    for attribute in change.attributes:
        if not _is(entry, attribute.name, attribute.before, attribute.after):
            return Outcome(change, Status.CONFLICT, f"{attribute.name} of {entry.dn} is another by now")
    intent(change)
    directory.modify(entry.dn, [m for a in change.attributes for m in _modifications(a)])
    after = same_entry(directory, change.object)
    done = after is not None and all(_is(after, a.name, a.after, a.before) for a in change.attributes)
    return _read_back(change, done=done)


def set_account_control(directory: DirectoryDriver, change: SetAccountControl, intent: Intent) -> Outcome:
    """Turn one bit of how an account signs in, leaving all others as they are."""
    entry = same_entry(directory, change.object)
    if entry is None:
        return _not_there(change)
    bit, control = control_named(change.control).bit, entry.number("useraccountcontrol")
    if not control:
        return Outcome(change, Status.REFUSED, f"the directory does not show how {change.object.name} signs in")
    if bool(control & bit) == change.on:
        return Outcome(change, Status.CONFLICT, "it is so already", already=True)
    intent(change)
    value = str(control ^ bit).encode()
    # The old value is named, so that what somebody else writes in between is not taken back: RFC 4511 section 4.6.
    swap = [
        Modification("delete", "userAccountControl", (str(control).encode(),)),
        Modification("add", "userAccountControl", (value,)),
    ]
    directory.modify(entry.dn, swap)
    after = same_entry(directory, change.object)
    return _read_back(change, done=after is not None and bool(after.number("useraccountcontrol") & bit) == change.on)


def move_object(directory: DirectoryDriver, change: MoveObject, intent: Intent) -> Outcome:
    """Give an object another name, where nothing has that name."""
    entry = same_entry(directory, change.object)
    if entry is None:
        there_already = same_entry(directory, replace(change.object, dn=change.to)) is not None
        return _not_there(change, already=there_already and directory.read(change.object.dn) is None)
    if fold_dn(change.to) != fold_dn(entry.dn) and directory.read(change.to) is not None:
        return Outcome(change, Status.CONFLICT, f"{change.to} exists already")
    intent(change)
    directory.rename(entry.dn, change.to)
    there = directory.read(change.to)
    return _read_back(change, done=there is not None and there.first("objectguid") == entry.first("objectguid"))


def change_rights(directory: DirectoryDriver, change: ChangeRights, intent: Intent) -> Outcome:
    """Put entries into a descriptor and take entries out, leaving all others and their order as they are."""
    entry = same_entry(directory, change.object)
    if entry is None:
        return _not_there(change)
    raw = entry.first("ntsecuritydescriptor")
    if raw is None:
        return Outcome(change, Status.REFUSED, f"the directory does not show the rights over {entry.dn}")
    try:
        descriptor = Descriptor.from_bytes(raw)
    except InputError as error:
        return Outcome(change, Status.REFUSED, error.message)
    if _stand(descriptor, change.gives, change.takes):
        return Outcome(change, Status.CONFLICT, "it is so already", already=True)
    if not _stand(descriptor, change.takes, change.gives):
        return Outcome(change, Status.CONFLICT, f"the rights over {entry.dn} are others by now")
    intent(change.noting_places(descriptor))
    packed = change.made_in(descriptor).to_bytes()
    directory.modify(entry.dn, [Modification("replace", "nTSecurityDescriptor", (packed,))])
    after = same_entry(directory, change.object)
    written = after.first("ntsecuritydescriptor") if after is not None else None
    done = written is not None and _stand(Descriptor.from_bytes(written), change.gives, change.takes)
    return _read_back(change, done=done)


def _not_there(change: ObjectChange, *, already: bool = False) -> Outcome:
    detail = f"{change.object.name} is not where the proposal saw it"
    return Outcome(change, Status.CONFLICT, detail, already=already)


def _read_back(change: ObjectChange, *, done: bool) -> Outcome:
    return Outcome(change, Status.VERIFIED) if done else Outcome(change, Status.DIFFERS, OTHERWISE)


def _stand(descriptor: Descriptor, present: Iterable[Ace], absent: Iterable[Ace]) -> bool:
    own = set(descriptor.entries)
    return all(entry in own for entry in present) and not any(entry in own for entry in absent)


def _is(entry: Entry, name: str, wanted: Iterable[bytes], unwanted: Iterable[bytes]) -> bool:
    there, values = set(entry.attributes.get(name.casefold(), ())), set(wanted)
    if name.casefold() in _PART_BY_PART:
        return values <= there and not there & (set(unwanted) - values)
    return values == there


def _modifications(change: AttributeChange) -> list[Modification]:
    if change.name.casefold() not in _PART_BY_PART:
        return [Modification("replace", change.name, change.after)]
    # One modify request with both is whole or nothing; a server that is asked to add first refuses the second value.
    parts = [Modification("delete", change.name, change.before)] if change.before else []
    return parts + ([Modification("add", change.name, change.after)] if change.after else [])
