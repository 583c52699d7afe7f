"""One thing in full: the same as plain values and in sections for people."""

from collections.abc import Mapping, Sequence
from typing import Any

from adzeguard.core.values import dataclass
from adzeguard.core.views.table import Table


@dataclass(frozen=True, slots=True)
class Fact:
    """A label and what there is to say. Many lines stand indented below the label; `word` may be coloured."""

    label: str
    said: str | Sequence[str]
    word: str = ""


@dataclass(frozen=True, slots=True)
class Lines:
    """Plain lines, under a heading if there is one."""

    lines: Sequence[str]
    title: str = ""
    indent: int = 0


@dataclass(frozen=True, slots=True)
class Picture:
    """A picture (PNG) for pages and papers, and what it shows, for who cannot see it."""

    title: str
    says: str
    png: bytes


Section = Fact | Lines | Table | Picture


@dataclass(frozen=True, slots=True)
class Page:
    """Sections for people, one after the other, and `data` for programs.

    `verbatim` data is the content of a file that is read again; in all other what is absent becomes null.
    """

    data: Mapping[str, Any] | Sequence[Any]
    sections: Sequence[Section]
    title: str = ""
    verbatim: bool = False


View = Table | Page
