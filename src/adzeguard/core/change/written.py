"""Proposals and changes as they are written, in every version of the form that was ever in use."""

import json
from collections.abc import Mapping
from typing import Any

from pydantic import ValidationError

from adzeguard.core.change.change import Change
from adzeguard.core.change.kinds.table import CHANGE_KINDS, change_kind
from adzeguard.core.change.proposal import FORMAT, Proposal
from adzeguard.core.errors import InputError, ProposalFileError
from adzeguard.core.estate.named import Named
from adzeguard.core.identity import Sid

FIRST_FORMAT = 1
_LARGEST_NUMBER = 2**31
_LONGEST_SID = 200
_SHOWN = 80
_MAKE_IT_AGAIN = "Make one: adzeguard propose --output FILE"


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
        raise ProposalFileError(_first_mistake(error), _MAKE_IT_AGAIN) from error
    for name, value in change:
        if isinstance(value, Named) and value.sid and not _is_sid(value.sid):
            raise ProposalFileError(f"{name}: '{value.sid[:_SHOWN]}' is not a SID", _MAKE_IT_AGAIN)
    return change


def _is_sid(text: str) -> bool:
    """Tell whether a SID is written as we write them; another spelling of one would be another identity."""
    try:
        return len(text) <= _LONGEST_SID and Sid.parse(text) == text
    except InputError:
        return False


def read_proposal(text: bytes, source: str, kinds: Mapping[str, str] = CHANGE_KINDS) -> Proposal:
    """Read a proposal file; `ProposalFileError` says what is wrong with it."""
    try:
        raw = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise ProposalFileError(f"{source}: not a proposal: it is no JSON", _MAKE_IT_AGAIN) from error
    try:
        return proposal_of(raw, kinds)
    except ProposalFileError as error:
        raise ProposalFileError(f"{source}: not a proposal: {error.message}", error.way_out) from error


def proposal_of(raw: Any, kinds: Mapping[str, str] = CHANGE_KINDS) -> Proposal:
    """Return the proposal that plain values hold, in any form they are."""
    if not isinstance(raw, dict):
        raise ProposalFileError("it holds no proposal", _MAKE_IT_AGAIN)
    written_as = raw.get("proposal", FIRST_FORMAT if "plan" in raw else None)
    if written_as not in (FIRST_FORMAT, FORMAT) or isinstance(written_as, bool):
        said = f"it is written in form {written_as}" if isinstance(written_as, int) else "it says no form"
        raise ProposalFileError(f"{said}, and this program reads up to {FORMAT}", _MAKE_IT_AGAIN)
    values = {key: value for key, value in raw.items() if key not in ("plan", "proposal")} | {"proposal": FORMAT}
    listed = values.get("changes", [])
    if not isinstance(listed, list):
        raise ProposalFileError("changes: must be a list", _MAKE_IT_AGAIN)
    values["changes"] = tuple(_change_at(place, one, written_as, kinds) for place, one in enumerate(listed))
    try:
        return Proposal.model_validate(values)
    except ValidationError as error:
        raise ProposalFileError(_first_mistake(error), _MAKE_IT_AGAIN) from error


def _change_at(place: int, raw: Any, written_as: int, kinds: Mapping[str, str]) -> Change:
    try:
        return read_change(raw, written_as, kinds)
    except ProposalFileError as error:
        raise ProposalFileError(f"changes.{place}: {error.message}", error.way_out) from error


def _first_mistake(error: ValidationError) -> str:
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
