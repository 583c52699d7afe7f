"""Entries of a folder's permissions on a file share are put in or taken out."""

from collections.abc import Callable, Mapping
from typing import Literal, Self

from pydantic import Field

from adzeguard.core.change.change import About, Change, Key
from adzeguard.core.change.kinds.entries_change import EntriesChange
from adzeguard.core.estate.named import Named


class ChangeFolderRights(EntriesChange):
    r"""The entries are those of a folder's permissions.

    The folder is `path` below the share, with \ between, empty for its top.
    """

    kind: Literal["folder-rights"] = "folder-rights"
    server: str = Field(max_length=255)
    share: str = Field(max_length=255)
    path: str = Field("", max_length=32_000)

    @property
    def share_server(self) -> str:
        """The server that is written to."""
        return self.server

    @property
    def target(self) -> str:
        """The share, for people."""
        return rf"\\{self.server}\{self.share}"

    @property
    def sorts_under(self) -> str:
        """By server and folder, so that the list of a folder is written in one order."""
        return f"{self.server}\\{self.share}\\{self.path}".casefold()

    @property
    def key(self) -> Key:
        """What is done, since each such change is taken back on its own."""
        return ("folder", self.sorts_under, self.model_dump_json(exclude={"id"}))

    @property
    def about(self) -> About:
        """The folder."""
        return About(object=rf"{self.target}\{self.path}" if self.path else self.target)

    def in_words(self) -> str:
        """Return whose entries are put in or taken out."""
        verb, entries = ("give back", self.gives) if self.gives else ("take out", self.takes)
        who = ", ".join(dict.fromkeys(str(entry.sid) for entry in entries))
        return f"{verb} the entries of {who} on {self.about.object}"

    def taken_back(self, last: Change, groups: Mapping[str, Named]) -> Change | None:  # noqa: ARG002 - the base's
        """Return the same the other way round."""
        return self.turned()

    def renamed(self, renaming: Callable[[Named], Named]) -> Self:  # noqa: ARG002 - the base's
        """Return it as it is: it names nothing of the directory but by SID."""
        return self
