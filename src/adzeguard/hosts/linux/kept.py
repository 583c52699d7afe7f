"""What we keep on a Linux host of what we have set there: which names stand in its files for which SIDs.

It holds the digests of the files that it tells of. While files are being put in place it holds two states, the one of
the old files and the one of the new, and the digests of the files that stand there say which is in force.
"""

import json
from collections.abc import Mapping
from dataclasses import field
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from adzeguard.core.errors import HostFileError
from adzeguard.core.estate.elevation import Elevation
from adzeguard.core.identity import Sid
from adzeguard.core.values import dataclass

_LARGEST = 1024 * 1024


class _Model(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class KeptName(_Model):
    """Somebody by the name that the host gives them."""

    name: str
    is_group: bool = False
    is_known: bool = True
    """Whether the host knew them when it was written; if not, they stand there as an account and as a group."""


class KeptElevation(_Model):
    """One elevation."""

    program: str
    sha256: str
    who: str
    name: str
    is_group: bool = False
    arguments: str = ""
    until: str = ""

    @property
    def elevation(self) -> Elevation:
        """What is elevated, for whom."""
        return Elevation(self.program, self.sha256, Sid(self.who), self.arguments, self.until)


class Kept(_Model):
    """One state: names by SIDs for each way, notice, elevations, facts, and the digests of the files that say so."""

    refused: dict[str, dict[str, KeptName]] = {}
    alone: dict[str, dict[str, KeptName]] = {}
    title: str = ""
    text: str = ""
    elevated: tuple[KeptElevation, ...] = ()
    # An older program refuses a key that it does not know: it is written only where there is anything.
    facts: dict[str, dict[str, str]] = Field({}, exclude_if=lambda facts: not facts)
    files: dict[str, str] = {}

    @property
    def is_nothing(self) -> bool:
        """Whether nothing of ours is on the host."""
        return not (any(self.refused.values()) or self.alone or self.title or self.text or self.elevated or self.facts)


class _Form(_Model):
    form: Literal[1] = 1
    now: Kept = Kept()
    was: Kept | None = None


@dataclass(frozen=True, slots=True)
class KeptFile:
    """The file as it stands on the host. `digest` is empty where there is none."""

    state: Kept = field(default_factory=Kept)
    digest: str = ""
    unlike: tuple[str, ...] = field(default=())
    """Files of ours that are others than we wrote: somebody changed them by hand."""


def read_kept(raw: bytes, digest: str, standing: Mapping[str, str]) -> KeptFile:
    """Read it; `standing` are the digests of the files of ours that stand and say anything.

    `HostFileError` for what is no such file.
    """
    if not raw:
        return KeptFile(Kept(), "", tuple(sorted(standing)))
    if len(raw) > _LARGEST:
        raise HostFileError("the state that adzeguard keeps on the host is larger than 1 MiB")
    try:
        form = _Form.model_validate_json(raw)
    except ValidationError as error:
        way_out = "Look at /etc/adzeguard there, and take it away with the files that it tells of"
        raise HostFileError("the state that adzeguard keeps on the host cannot be read", way_out) from error
    for state in (form.now, form.was):
        if state is not None and state.files.items() == dict(standing).items():
            return KeptFile(state, digest)
    known = [state for state in (form.now, form.was) if state is not None]
    unlike = {p for p, d in standing.items() if not any(state.files.get(p) == d for state in known)}
    unlike |= {p for p in form.now.files if p not in standing}
    # Ended between two files: each is of the one state or the other. The next write puts both right.
    return KeptFile(form.now, digest, tuple(sorted(unlike)))


def kept_text(now: Kept, was: Kept | None = None) -> str:
    """Return its text; empty for a state of nothing, which needs no file."""
    if now.is_nothing and was is None:
        return ""
    values: dict[str, Any] = _Form(now=now, was=was).model_dump(mode="json")
    return json.dumps(values, sort_keys=True) + "\n"
