"""Changes as they are written, in every version of the form that was ever in use."""

from collections.abc import Mapping
from typing import Any, Final

from pydantic import ValidationError

from adzeguard.core.change.change import Change
from adzeguard.core.change.kinds.table import CHANGE_KINDS, change_kind
from adzeguard.core.errors import InputError, ProposalFileError
from adzeguard.core.estate.named import Named
from adzeguard.core.identity import Sid

FIRST_FORMAT: Final = 1
FORMAT: Final = 2
"""The version of the written form. The first one called a proposal a plan; see `written`."""
MAKE_IT_AGAIN: Final = "Make one: adzeguard propose --output FILE"
_LONGEST_SID: Final = 200
_SHOWN: Final = 80


def read_change(raw: Any, written_as: int = FORMAT, kinds: Mapping[str, str] = CHANGE_KINDS) -> Change:
    """Return one change; `ProposalFileError` for a kind or a form that is not known."""
    values = _of_first_format(raw) if written_as == FIRST_FORMAT else raw
    kind = values.get("kind") if isinstance(values, dict) else None
    model = change_kind(kind, kinds) if isinstance(kind, str) else None
    if written_as not in (FIRST_FORMAT, FORMAT) or model is None:
        raise ProposalFileError(f"there is no change of the kind '{kind}'", "Use the version that wrote it")
    try:
        change = model.model_validate(values)
    except ValidationError as error:
        raise ProposalFileError(first_mistake(error), MAKE_IT_AGAIN) from error
    for name, value in change:
        if isinstance(value, Named) and value.sid and not _is_sid(value.sid):
            raise ProposalFileError(f"{name}: '{value.sid[:_SHOWN]}' is not a SID", MAKE_IT_AGAIN)
    return change


def _is_sid(text: str) -> bool:
    """Tell whether a SID is written as we write them; another spelling of one would be another identity."""
    try:
        return len(text) <= _LONGEST_SID and Sid.parse(text) == text
    except InputError:
        return False


def first_mistake(error: ValidationError) -> str:
    """Return the first thing that is wrong with values, and where."""
    first = error.errors()[0]
    where = ".".join(str(part) for part in first["loc"])
    return f"{where}: {first['msg'].removeprefix('Value error, ')}" if where else str(first["msg"])


def _of_first_format(raw: Any) -> Any:
    """Turn a change of the first form into one of today: `verb` and `host` named its kind, `expects` its precondition.

    An object's change of another verb had `gives`, `takes` and `to` all the same, and empty.
    """
    if not isinstance(raw, Mapping):
        return raw
    verb, host = raw.get("verb"), raw.get("host")
    values = {key: value for key, value in raw.items() if key not in ("verb", "host", "expects")}
    if "member" in values:
        kind = (
            {"add-member": "add-local-member", "remove-member": "remove-local-member"}.get(str(verb)) if host else verb
        )
        before = {"before": raw.get("expects")} if verb == "set-primary-group" else {}
        return {**values, "kind": kind, **({"host": host} if host else {}), **before}
    meant = {"rights": ("gives", "takes"), "move": ("to",)}.get(str(verb), ("attributes",))
    empty = {key for key in ("attributes", "to", "gives", "takes") if key not in meant and not values.get(key)}
    return {"kind": verb, **{key: value for key, value in values.items() if key not in empty}}
