"""What a host shows before anybody logs on."""

from collections.abc import Mapping
from typing import Any, Final

from adzeguard.core.estate.capability import Capability
from adzeguard.core.estate.hosts import HostState
from adzeguard.core.values import dataclass

LONGEST_TITLE: Final = 200
LONGEST_TEXT: Final = 4000


@dataclass(frozen=True, slots=True)
class Notice:
    """A title and a text; both empty where there is none."""

    title: str = ""
    text: str = ""

    def __bool__(self) -> bool:
        """Tell whether there is any."""
        return bool(self.title or self.text)

    def in_words(self) -> str:
        """Return it in one line."""
        return f"'{self.title}'" if self else "no notice"


def _unpack(part: Any) -> Mapping[str, Any]:
    return {"parts": {NOTICE.name: Notice(str(part["title"]), str(part["text"]))}}


def _pack(state: HostState) -> dict[str, str]:
    notice = notice_of(state) or Notice()
    return {"title": notice.title, "text": notice.text}


NOTICE: Final = Capability("notice", "what is shown before anybody logs on", _pack, _unpack)


def notice_of(state: HostState) -> Notice | None:
    """Return what a host shows, which may be nothing; nothing at all where it has no place for notices."""
    notice = state.parts.get(NOTICE.name)
    return notice if isinstance(notice, Notice) else None
