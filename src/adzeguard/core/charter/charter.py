"""A whole charter, as it is written."""

from typing import Any

from pydantic import Field, SerializeAsAny, model_validator

from adzeguard.core.charter.rule import RuleBase, Strict, frozen_values
from adzeguard.core.rights.duty_words import DutyWords


class DutyForm(Strict):
    """A duty of the workspace's own."""

    words: str = Field(min_length=1, description='What one may do with it, as in "set the room and the telephone".')
    classes: tuple[str, ...] = Field((), description="Over objects of these classes; none means any.")
    read: tuple[str, ...] = Field((), description="Attributes or property sets that may be read.")
    write: tuple[str, ...] = Field((), description="Attributes or property sets that may be written.")
    create: tuple[str, ...] = Field((), description="Classes that may be created.")
    delete: tuple[str, ...] = Field((), description="Classes that may be deleted.")
    control: tuple[str, ...] = Field((), description="Control rights, such as User-Force-Change-Password.")

    @model_validator(mode="before")
    @classmethod
    def _freeze_lists(cls, value: Any) -> Any:
        return frozen_values(value)

    @model_validator(mode="after")
    def _lets_one_do_something(self) -> "DutyForm":
        if not (self.read or self.write or self.create or self.delete or self.control):
            raise ValueError("lets one do nothing: give read, write, create, delete or control")
        return self

    def duty_words(self) -> DutyWords:
        """Return what the rights are made of."""
        return DutyWords(self.words, self.classes, self.read, self.write, self.create, self.delete, self.control)


class Charter(Strict):
    """All rules of a workspace, in the order of the files."""

    rules: tuple[SerializeAsAny[RuleBase], ...] = ()
    duties: dict[str, DutyForm] = Field(default_factory=dict)

    @property
    def duty_words(self) -> dict[str, DutyWords]:
        """The duties of the workspace's own."""
        return {name: form.duty_words() for name, form in self.duties.items()}
