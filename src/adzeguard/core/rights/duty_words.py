"""A duty in words: what it lets one do, by the names of the schema."""

from typing import Literal

from adzeguard.core.values import dataclass

Extent = Literal["this", "below", "this-and-below"]
"""Whether a grant is about the object, what lies below it, or both."""


@dataclass(frozen=True, slots=True)
class DutyWords:
    """A duty as people describe it. `words` complete "may …"; without `classes` it is about objects of any class."""

    words: str
    classes: tuple[str, ...] = ()
    read: tuple[str, ...] = ()
    write: tuple[str, ...] = ()
    create: tuple[str, ...] = ()
    delete: tuple[str, ...] = ()
    control: tuple[str, ...] = ()
