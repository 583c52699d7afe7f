"""Proposals as they are written, in every version of the form that was ever in use."""

import json
from collections.abc import Mapping
from typing import Any

from pydantic import ValidationError

from adzeguard.core.change.change import Change
from adzeguard.core.change.kinds.table import CHANGE_KINDS
from adzeguard.core.change.proposal import Proposal
from adzeguard.core.change.written_change import FIRST_FORMAT, FORMAT, MAKE_IT_AGAIN, first_mistake, read_change
from adzeguard.core.errors import ProposalFileError


def read_proposal(text: bytes, source: str, kinds: Mapping[str, str] = CHANGE_KINDS) -> Proposal:
    """Read a proposal file; `ProposalFileError` says what is wrong with it."""
    try:
        raw = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise ProposalFileError(f"{source}: not a proposal: it is no JSON", MAKE_IT_AGAIN) from error
    try:
        return proposal_of(raw, kinds)
    except ProposalFileError as error:
        raise ProposalFileError(f"{source}: not a proposal: {error.message}", error.way_out) from error


def proposal_of(raw: Any, kinds: Mapping[str, str] = CHANGE_KINDS) -> Proposal:
    """Return the proposal that plain values hold, in any form they are."""
    if not isinstance(raw, dict):
        raise ProposalFileError("it holds no proposal", MAKE_IT_AGAIN)
    written_as = raw.get("proposal", FIRST_FORMAT if "plan" in raw else None)
    if written_as not in (FIRST_FORMAT, FORMAT) or isinstance(written_as, bool):
        said = f"it is written in form {written_as}" if isinstance(written_as, int) else "it says no form"
        raise ProposalFileError(f"{said}, and this program reads up to {FORMAT}", MAKE_IT_AGAIN)
    values = {key: value for key, value in raw.items() if key not in ("plan", "proposal")} | {"proposal": FORMAT}
    listed = values.get("changes", [])
    if not isinstance(listed, list):
        raise ProposalFileError("changes: must be a list", MAKE_IT_AGAIN)
    values["changes"] = tuple(_change_at(place, one, written_as, kinds) for place, one in enumerate(listed))
    try:
        return Proposal.model_validate(values)
    except ValidationError as error:
        raise ProposalFileError(first_mistake(error), MAKE_IT_AGAIN) from error


def _change_at(place: int, raw: Any, written_as: int, kinds: Mapping[str, str]) -> Change:
    try:
        return read_change(raw, written_as, kinds)
    except ProposalFileError as error:
        raise ProposalFileError(f"changes.{place}: {error.message}", error.way_out) from error
