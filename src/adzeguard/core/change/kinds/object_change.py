"""What changes of one object of the directory have in common."""

from collections.abc import Callable, Iterable, Sequence
from typing import Self

from pydantic import BaseModel, ConfigDict, Field

from adzeguard.core.change.change import About, Change, Key, Touched, Value
from adzeguard.core.estate.named import Named
from adzeguard.core.identity import fold_dn


class AttributeChange(BaseModel):
    """One attribute: the values that are expected, and those that shall stand. Values are bytes; written, text."""

    model_config = ConfigDict(extra="forbid", frozen=True, defer_build=True)

    name: str = Field(pattern=r"^[A-Za-z][A-Za-z0-9-]*(;[A-Za-z0-9-]+)*$", max_length=256)
    """An attribute description, RFC 4512 section 2.5: with anything else in it, an LDIF line could begin another."""
    before: tuple[Value, ...] = ()
    after: tuple[Value, ...] = ()

    @classmethod
    def of(cls, name: str, before: Iterable[str] = (), after: Iterable[str] = ()) -> "AttributeChange":
        """Make one from texts."""
        return cls(name=name, before=_bytes(before), after=_bytes(after))

    def turned(self) -> "AttributeChange":
        """Return the change back."""
        return AttributeChange(name=self.name, before=self.after, after=self.before)


def _bytes(texts: Iterable[str]) -> tuple[bytes, ...]:
    return tuple(text.encode("utf-8", "surrogateescape") for text in texts)


def values_of(attributes: Sequence[AttributeChange], name: str) -> tuple[bytes, ...]:
    """Return what an attribute shall hold, an empty tuple if it is not among them."""
    return next((a.after for a in attributes if a.name.casefold() == name.casefold()), ())


class ObjectChange(Change):
    """A change of one object. `words` is the change for people; they are made from what it does when it is proposed."""

    object: Named
    words: str = ""

    @property
    def about(self) -> About:
        """The object."""
        return About(object=self.object.dn)

    @property
    def key(self) -> Key:
        """What is done, since each such change is taken back on its own, the newest first."""
        return ("object", self.kind, fold_dn(self.object.dn), self.model_dump_json(exclude={"id"}))

    def in_words(self) -> str:
        """Return the words."""
        return self.words

    def touches(self) -> Touched:
        """The object."""
        return Touched(frozenset({self.object.dn}))

    def renamed(self, renaming: Callable[[Named], Named]) -> Self:
        """Return it with another identity of the object."""
        named = renaming(self.object)
        return self if named == self.object else self.model_copy(update={"object": named})
