"""Who may do what: the views of a workspace."""

from typing import TYPE_CHECKING, Any

import numpy as np

from adzeguard.core.descriptors.descriptor import Descriptor
from adzeguard.core.errors import UsageError
from adzeguard.core.estate.names import resolve
from adzeguard.core.estate.principal import Principal
from adzeguard.core.rights.answers import Everybody, Tokens, answer, asked_descriptor
from adzeguard.core.rights.delegations import Rights
from adzeguard.core.rights.questions import Asked, asked
from adzeguard.core.views.answers import answer_row, answer_table
from adzeguard.core.views.members import allowed_table
from adzeguard.core.views.table import Table

if TYPE_CHECKING:
    from adzeguard.workspace.open_workspace import Workspace


def whether_may(workspace: "Workspace", who: str, right: str, name: str) -> Table:
    """Return whether somebody may do something to an object, in one row: "allowed" says it."""
    row, understood, target = _answered(workspace, Tokens(workspace.estate), who, right, name)
    return answer_table(row, right, target, understood)


def answer_of(workspace: "Workspace", tokens: Tokens, who: str, right: str, name: str) -> dict[str, Any]:
    """Return the same as a row, for many questions one after the other."""
    return _answered(workspace, tokens, who, right, name)[0]


def everybody_who_may(workspace: "Workspace", right: str, name: str) -> Table:
    """Return everybody who may do something to an object."""
    rights, target, understood = target_of(workspace, right, name)
    descriptor = descriptor_of(rights, target, understood)
    allowed = Everybody(workspace.estate, Tokens(workspace.estate)).allowed(target, understood, descriptor)
    people = list(workspace.estate.catalogue.principals(np.flatnonzero(allowed).tolist()).values())
    return allowed_table(people, right, target)


def _answered(
    workspace: "Workspace", tokens: Tokens, who: str, right: str, name: str
) -> tuple[dict[str, Any], Asked, Principal]:
    person = resolve(workspace.estate, who)
    rights, target, understood = target_of(workspace, right, name)
    reply = answer(workspace.estate, tokens, person, target, understood, descriptor_of(rights, target, understood))
    return answer_row(rights, person, target, understood, reply), understood, target


def target_of(workspace: "Workspace", right: str, name: str) -> tuple[Rights, Principal, Asked]:
    """Understand a right over an object; the charter is read only for a duty that the tool does not bring itself."""
    target = resolve(workspace.estate, name)
    own = ":" not in right and right != "delete" and right not in workspace.standard_rights.duties
    rights = workspace.rights if own else workspace.standard_rights
    return rights, target, asked(right, target, rights.schema, rights.duties)


def descriptor_of(rights: Rights, target: Principal, right: Asked) -> Descriptor:
    """Return what decides about a right; `UsageError` where it was not collected."""
    descriptor = asked_descriptor(rights.estate, target, right, rights.schema)
    if descriptor is None:
        raise UsageError(f"the rights over {target.dn} were not collected")
    return descriptor
