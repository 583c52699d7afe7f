"""The JSON Schema of a charter file, for editors."""

from collections.abc import Sequence
from functools import reduce
from operator import or_
from typing import Any, Literal

from pydantic import Field, create_model

from adzeguard.core.charter.charter import DutyForm
from adzeguard.core.charter.kinds import KindRow
from adzeguard.core.charter.rule import Strict


def json_schema(kinds: Sequence[KindRow]) -> dict[str, Any]:
    """Return the JSON Schema of a charter file with rules of these kinds."""
    any_rule: Any = reduce(or_, (row.kind.words for row in kinds))
    document = create_model(
        "CharterDocument",
        __base__=Strict,
        __doc__="One file of a charter.",
        charter=(Literal[1], Field(description="The version of this format.")),
        duties=(dict[str, DutyForm], Field({}, description="Duties of the workspace's own, by name.")),
        rules=(tuple[any_rule, ...], ()),
    )
    schema = document.model_json_schema(by_alias=True)
    _accept_one_or_many(schema["$defs"]["HostScope"])
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **schema, "title": "Adzeguard charter"}


def _accept_one_or_many(scope: dict[str, Any]) -> None:
    for key in ("under", "named", "except"):
        listed = scope["properties"][key]
        scope["properties"][key] = {
            "description": listed.pop("description"),
            "anyOf": [{"type": "string"}, {"type": "array", "items": {"type": "string"}}],
        }
