"""The harbour's file server of the example: four shares, on whose folders groups, a person and a gone SID stand."""

import json
from base64 import b64encode
from collections.abc import Mapping
from pathlib import Path
from typing import Final

from adzeguard.core.descriptors.ace import Ace, AceKind
from adzeguard.core.descriptors.descriptor import PROTECTED, AceList, Descriptor
from adzeguard.core.identity import Sid
from adzeguard.core.wellknown import ADMINISTRATORS, EVERYONE
from adzeguard.demo.scenario import Scenario
from adzeguard.private_files import write_new

SERVER: Final = "HARBOUR-04"
_READ, _CHANGE, _ALL = 0x1200A9, 0x1301BF, 0x1F01FF
_BELOW: Final = 3  # handed on to files and folders, [MS-DTYP] 2.4.4.1
_INHERITED: Final = 0x10
_CONTROL: Final = 0x8004

Given = tuple[str, int]
_SHARES: Final[Mapping[str, Mapping[str, tuple[Given, ...]]]] = {
    "Timetables": {
        "": (("Harbour Operators", _CHANGE), (EVERYONE, _READ)),
        "Summer": (),
        r"Summer\Drafts": (("Booking Office Leads", _CHANGE),),
        "Winter": (),
    },
    "Crew": {
        "": (("Galley Crew", _READ),),
        "Rosters": (("Night Watch", _CHANGE),),
        # Planted: a person instead of a group.
        "Letters": (("mira.holt", _CHANGE),),
    },
    "Ledgers": {
        # Planted: the empty group that staff made is named here too.
        "": (("Ledger Archive", _READ),),
        "2024": (),
        "2025": (("Booking Office Leads", _READ),),
    },
    "Harbour": {
        "": (("Harbour Operators", _CHANGE),),
        # Planted: a SID that resolves to nothing any more.
        "Plans": (("gone", _CHANGE),),
        r"Plans\Quay": (),
    },
}
"""By share and folder what is given there itself; the rest comes from above."""


def write_shares(scenario: Scenario, sid_of: Mapping[str, Sid], domain_sid: str, folder: Path) -> None:
    """Write one file a share."""
    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    gone = Sid(f"{domain_sid}-{scenario.dangling_rid}")

    def who(name: str) -> Sid:
        return gone if name == "gone" else Sid(name) if name.startswith("S-1-") else sid_of[name]

    for share, folders in _SHARES.items():
        lists: dict[str, list[Ace]] = {}
        for path, given in folders.items():
            above = lists.get(path.rpartition("\\")[0], []) if path else []
            own = [Ace(AceKind.ALLOW, _BELOW, mask, who(name)) for name, mask in given]
            own += [Ace(AceKind.ALLOW, _BELOW, _ALL, ADMINISTRATORS)] if not path else []
            lists[path] = own + [entry.with_flags(entry.flags | _INHERITED) for entry in above]
        content = {
            "permissions": _text(Descriptor(None, None, AceList((Ace(AceKind.ALLOW, 0, _CHANGE, Sid(EVERYONE)),), 2))),
            "folders": {
                path: _text(
                    Descriptor(
                        ADMINISTRATORS,
                        ADMINISTRATORS,
                        AceList(tuple(entries), 2),
                        control=_CONTROL | (0 if path else PROTECTED),
                    )
                )
                for path, entries in lists.items()
            },
        }
        write_new(folder / f"{share}.json", json.dumps(content, indent=1))


def _text(descriptor: Descriptor) -> str:
    return b64encode(descriptor.to_bytes()).decode()
