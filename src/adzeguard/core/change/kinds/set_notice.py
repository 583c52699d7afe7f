"""What a host shows before anybody logs on is changed."""

from typing import Any, ClassVar, Literal

from pydantic import Field

from adzeguard.core.change.change import About, Key, Order
from adzeguard.core.change.kinds.host_setting import ValueChange
from adzeguard.core.estate.hosts import HostState
from adzeguard.core.estate.notice import LONGEST_TEXT, LONGEST_TITLE, NOTICE, Notice, notice_of


class SetNotice(ValueChange):
    """The notice is expected to be the one before, and is the one after; both texts empty stand for none."""

    kind: Literal["set-notice"] = "set-notice"
    title_before: str = Field("", max_length=LONGEST_TITLE)
    text_before: str = Field("", max_length=4 * LONGEST_TEXT)
    title: str = Field("", max_length=LONGEST_TITLE)
    text: str = Field("", max_length=4 * LONGEST_TEXT)
    pairs: ClassVar[tuple[tuple[str, str], ...]] = (("title_before", "title"), ("text_before", "text"))
    order: ClassVar[Order] = Order.ALTER
    needs: ClassVar[str] = NOTICE.name

    @staticmethod
    def value_of(*held: Any) -> Notice:
        """Return the notice of a title and a text."""
        return Notice(*held)

    @property
    def fact(self) -> str:
        """A host has one notice."""
        return "notice"

    @property
    def key(self) -> Key:
        """The notice of the host."""
        return ("notice", self.host.casefold())

    @property
    def about(self) -> About:
        """The notice."""
        return About(group="notice")

    def in_words(self) -> str:
        """Return what will be shown."""
        before, after = Notice(self.title_before, self.text_before), Notice(self.title, self.text)
        return f"show the notice {after.in_words()}" if after else f"take away {before.in_words()}"

    def said(self) -> str:
        """Return what is shown."""
        return f"the notice {Notice(self.title, self.text).in_words()} is shown"

    def has_place(self, state: HostState) -> bool:
        """Tell whether the host can show a notice."""
        return notice_of(state) is not None

    def value_on(self, state: HostState) -> Notice | None:
        """Return what the host shows."""
        return notice_of(state)
