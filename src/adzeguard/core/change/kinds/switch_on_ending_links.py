"""Something that a directory can do is switched on, for good."""

from collections.abc import Callable, Mapping
from typing import ClassVar, Literal, Self

from adzeguard.core.change.change import About, Change, Key, Order
from adzeguard.core.estate.named import Named


class SwitchOnEndingLinks(Change):
    """From then on links may have an end that the directory keeps itself. No directory switches that off again."""

    kind: Literal["switch-on-ending-links"] = "switch-on-ending-links"
    order: ClassVar[Order] = Order.MAKE
    in_person: ClassVar[bool] = True
    never_back: ClassVar[str] = "what a directory can do is switched on for good"
    domain: str
    """The DNS name of the domain, as it was typed."""

    @property
    def about(self) -> About:
        """The domain."""
        return About(object=self.domain)

    @property
    def key(self) -> Key:
        """What is switched on."""
        return ("ending-links",)

    def in_words(self) -> str:
        """Return what is switched on, where."""
        return f"switch on links that end by themselves, in all of {self.domain} and for good"

    def taken_back(self, last: Change, groups: Mapping[str, Named]) -> Change | None:  # noqa: ARG002 - the base's
        """Return nothing: there is no way back."""
        return None

    def renamed(self, renaming: Callable[[Named], Named]) -> Self:  # noqa: ARG002 - the base's
        """Return it: it names no object."""
        return self
