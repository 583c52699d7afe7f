"""Whether somebody may do something in a folder of a file share, and who may."""

from collections.abc import Mapping, Sequence
from typing import Any, Final

from adzeguard.core.access.shares import Folder, Share, whole_path
from adzeguard.core.descriptors.ace import Ace
from adzeguard.core.estate.principal import Principal
from adzeguard.core.identity import Sid
from adzeguard.core.rights.delegations import Rights
from adzeguard.core.rights.share_access import ASKED, FolderAnswer, mask_in_words
from adzeguard.core.views.identities import identity, identity_columns
from adzeguard.core.views.table import Column, Table, data_columns

_UNKNOWN: Final = "; what the share itself lets through, its server did not tell"


def folder_answer_row(
    rights: Rights, person: Principal, right: str, share: Share, folder: Folder, answer: FolderAnswer
) -> dict[str, Any]:
    """Return the answer as plain values, with the entry that decides."""
    return {
        "who": person.qualified_name,
        "right": right,
        "object": whole_path(share, folder),
        "allowed": answer.allowed,
        "because": _because(rights, answer) + ("" if share.descriptor else _UNKNOWN),
        "entry": _entry(rights, answer.entry) if answer.entry is not None else "",
        "through": [],
    }


def folder_answer_table(row: Mapping[str, Any]) -> Table:
    """Return the answer as one row."""
    verb = "may" if row["allowed"] else "may not"
    title = f"{row['who']} {verb} {ASKED[row['right']][1]}: {row['object']}"
    columns = (
        *data_columns("who", "right", "object", "allowed"),
        Column("because", "Because", wide=True),
        *data_columns("entry", "through"),
    )
    return Table([row], columns, title)


def _because(rights: Rights, answer: FolderAnswer) -> str:
    if answer.entry is not None:
        return f"on the {answer.where}: {_entry(rights, answer.entry)}"
    if answer.allowed:
        return f"the {answer.where} lets everybody, or they own it"
    return f"nothing on the {answer.where} gives all of it"


def _entry(rights: Rights, entry: Ace) -> str:
    holder = rights.holder(Sid(entry.sid)).qualified_name if entry.sid else "somebody"
    return f"{holder} {'may not' if entry.denies else 'may'} {mask_in_words(entry.mask)}"


def folder_allowed_table(people: Sequence[Principal], right: str, share: Share, folder: Folder) -> Table:
    """Return who may."""
    rows = [identity(one) for one in sorted(people, key=lambda one: one.qualified_name.casefold())]
    title = f"Who may {ASKED[right][1]}: {whole_path(share, folder)}"
    return Table(rows, identity_columns("Who"), title, f"{len(rows)} may", "Nobody may.")
