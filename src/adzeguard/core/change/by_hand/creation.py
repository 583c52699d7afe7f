"""How an object is made."""

from collections.abc import Mapping

from adzeguard.core.change.kinds.create_object import CreateObject
from adzeguard.core.change.kinds.object_change import AttributeChange
from adzeguard.core.estate.named import Named


def creation(named: Named, given: Mapping[str, str | tuple[str, ...]], *, rule: str, why: str) -> CreateObject:
    """Make the change that creates an object with these attributes; empty ones are left away."""
    attributes = [
        AttributeChange.of(name, after=(value,) if isinstance(value, str) else value)
        for name, value in given.items()
        if value
    ]
    return CreateObject(object=named, attributes=tuple(attributes), rule=rule, why=why)
