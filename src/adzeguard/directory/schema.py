"""The names and GUIDs of the standard schema ([MS-ADSC], [MS-ADA1..3], [MS-ADTS] 5.1.3.2.1)."""

import json
import uuid
from collections.abc import Sequence
from functools import cache, lru_cache
from importlib.resources import files

from adzeguard.core.descriptors.ace import Ace
from adzeguard.core.descriptors.descriptor import canonical_rank
from adzeguard.core.descriptors.sddl import entries_of_text
from adzeguard.core.identity import Sid
from adzeguard.core.rights.schema import Schema

_guid = lru_cache(maxsize=20_000)(uuid.UUID)  # a property set is named by many attributes, and a server tells the same


@cache
def standard_schema() -> Schema:
    """Return the schema that every directory of this kind begins with; it ships with the package."""
    return read_schema((files("adzeguard.directory") / "standard_schema.json").read_text(encoding="utf-8"))


def read_schema(text: str) -> Schema:
    """Return a schema that was written as JSON; `ValueError` or `KeyError` for what is none."""
    raw = json.loads(text)
    attributes = {name: (_guid(own), _guid(of) if of else None) for name, (own, of) in raw["attributes"].items()}
    guids = {
        kind: {name: _guid(guid) for name, guid in raw[kind].items()}
        for kind in ("classes", "property_sets", "control_rights", "validated_writes")
    }
    # What was read by an earlier version tells nothing of it.
    confidential = frozenset(raw["confidential"]) if "confidential" in raw else None
    unwritable = frozenset(raw["unwritable"])
    return Schema(
        attributes, **guids, default_rights=raw["default_rights"], unwritable=unwritable, confidential=confidential
    )


def first_entries(classes: Sequence[str], domain: Sid) -> list[Ace]:
    """Return the entries that the schema gives a new object of these classes."""
    texts = standard_schema().default_rights
    text = next((texts[name] for name in reversed(classes) if name in texts), "")
    return sorted(entries_of_text(text, domain), key=canonical_rank)


def class_guid(classes: Sequence[str]) -> uuid.UUID | None:
    """Return the GUID of the most special class of an entry, which is listed last; None if it is not known."""
    standard = standard_schema().classes
    return next((guid for name in reversed(classes) if (guid := standard.get(name)) is not None), None)
