"""Leases that end with the contract: their ends, as the directory says them now."""

from collections.abc import Iterable
from dataclasses import field, replace
from datetime import datetime

from adzeguard.core.errors import InputError
from adzeguard.core.identity import Sid
from adzeguard.core.time.contract import end_of_contract
from adzeguard.core.time.lease import Lease
from adzeguard.core.values import dataclass
from adzeguard.directory.port import DirectoryDriver


@dataclass
class Contracts:
    """The leases that end at another time than they did, with the old end; and what could not be understood."""

    moved: list[tuple[Lease, Lease]] = field(default_factory=list)
    unclear: list[str] = field(default_factory=list)


def contract_of(directory: DirectoryDriver, sid: str, attribute: str) -> datetime | None:
    """Read when somebody's contract ends; None if it says no end, `InputError` where it says what is no date."""
    entry = directory.read_by_sid(Sid(sid))
    whole = directory.read_whole(entry.dn) if entry is not None else None
    return end_of_contract(whole.text(attribute.lower()), None) if whole is not None else None


def by_contracts(directory: DirectoryDriver, leases: Iterable[Lease], attribute: str) -> Contracts:
    """Hold the leases that end with a contract against what it says now. One that says no end any more stays."""
    found = Contracts()
    for lease in leases:
        if not (lease.contract and lease.is_open):
            continue
        try:
            end = contract_of(directory, lease.member_sid, attribute)
        except InputError as error:
            found.unclear.append(f"{lease.id}: {attribute} of {lease.member}: {error.message}")
            continue
        if end is None:
            found.unclear.append(f"{lease.id}: {attribute} of {lease.member} says no end; it stays as it was")
        elif end != lease.until:
            found.moved.append((replace(lease, until=end), lease))
    return found
