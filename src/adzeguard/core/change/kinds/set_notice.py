"""What a host shows before anybody logs on is changed."""

from collections.abc import Mapping
from typing import ClassVar, Literal

from pydantic import Field

from adzeguard.core.change.change import UNDO_RULE, About, Change, Key, Order
from adzeguard.core.change.kinds.host_setting import HostSettingChange
from adzeguard.core.estate.hosts import HostState
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.notice import LONGEST_TEXT, LONGEST_TITLE, NOTICE, Notice, notice_of


class SetNotice(HostSettingChange):
    """The notice is expected to be the one before, and is the one after; both texts empty stand for none."""

    kind: Literal["set-notice"] = "set-notice"
    title_before: str = Field("", max_length=LONGEST_TITLE)
    text_before: str = Field("", max_length=4 * LONGEST_TEXT)
    title: str = Field("", max_length=LONGEST_TITLE)
    text: str = Field("", max_length=4 * LONGEST_TEXT)
    order: ClassVar[Order] = Order.ALTER
    needs: ClassVar[str] = NOTICE.name

    @property
    def before(self) -> Notice:
        """The notice that is expected."""
        return Notice(self.title_before, self.text_before)

    @property
    def after(self) -> Notice:
        """The notice that is wanted."""
        return Notice(self.title, self.text)

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
        return f"show the notice {self.after.in_words()}" if self.after else f"take away {self.before.in_words()}"

    def taken_back(self, last: Change, groups: Mapping[str, Named]) -> Change | None:  # noqa: ARG002 - the base's
        """Return the change to the notice as it was."""
        if not isinstance(last, SetNotice) or last.after == self.before:
            return None
        return SetNotice(
            host=self.host,
            title_before=last.title,
            text_before=last.text,
            title=self.title_before,
            text=self.text_before,
            rule=UNDO_RULE,
            why=self.undone_why(),
        )

    def puts_in(self) -> tuple[Key, ...]:
        """The notice, where there is one."""
        return self.claims() if self.after else ()

    def stands(self, state: HostState) -> bool | None:
        """Tell whether the host shows it."""
        notice = notice_of(state)
        return None if notice is None else notice == self.after

    def finds(self, state: HostState) -> bool:
        """Tell whether the host shows what was seen when this was proposed."""
        return notice_of(state) == self.before
