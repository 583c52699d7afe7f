"""How the fields of a dataclass are called as columns of its table."""

from collections.abc import Mapping
from dataclasses import fields
from typing import Any, Final

_COLUMNS: Final[Mapping[str, str]] = {"by": '"by"', "until": "until_", "group": "group_name"}
"""What is called otherwise in the tables than in the program: words that a database keeps for itself."""


def columns_of(kind: type[Any]) -> str:
    """Return the columns of a kind, in the order of its fields."""
    return ", ".join(_COLUMNS.get(field.name, field.name) for field in fields(kind))
