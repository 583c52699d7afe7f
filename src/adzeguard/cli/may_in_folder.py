"""adzeguard may, of a folder of a file share."""

from pathlib import Path
from typing import TYPE_CHECKING, Any

from adzeguard.cli.exits import Exit
from adzeguard.cli.output import put_view
from adzeguard.workspace.open_workspace import Workspace

if TYPE_CHECKING:
    from adzeguard.core.access.shares import Folder, Share
    from adzeguard.core.descriptors.descriptor import Descriptor
    from adzeguard.core.rights.answers import Tokens


def one_in_folder(workspace: Workspace, who: str, right: str, path: str, form: str, output: Path | None) -> int:
    """Answer for one person."""
    from adzeguard.core.rights.answers import Tokens
    from adzeguard.core.views.folder_answer import folder_answer_table

    row = folder_row(workspace, Tokens(workspace.estate), who, right, path)
    put_view(folder_answer_table(row), form, output)
    return Exit.NOTHING_TO_REPORT if row["allowed"] else Exit.TO_REPORT


def folder_row(workspace: Workspace, tokens: "Tokens", who: str, right: str, path: str) -> "dict[str, Any]":
    """Return the answer for one person and one folder as plain values."""
    from adzeguard.core.estate.names import resolve
    from adzeguard.core.rights.share_access import asked_mask, may_in_folder, token_on
    from adzeguard.core.views.folder_answer import folder_answer_row

    mask = asked_mask(right)
    person = resolve(workspace.estate, who)
    share, folder = workspace.shared.found(path)
    on_share, on_folder = _read(share, folder)
    token = token_on(workspace.estate, share.server, tokens.of(person))
    answer = may_in_folder(on_share, on_folder, token, mask)
    return folder_answer_row(workspace.rights, person, right, share, folder, answer)


def everybody_in_folder(workspace: Workspace, right: str, path: str, form: str, output: Path | None) -> int:
    """List everyone who may: accounts of people and computers that can be used or not, each decided by itself."""
    from adzeguard.core.estate.principal import ACCOUNTS
    from adzeguard.core.rights.answers import Tokens
    from adzeguard.core.rights.share_access import asked_mask, may_in_folder, token_on
    from adzeguard.core.views.folder_answer import folder_allowed_table

    mask = asked_mask(right)
    share, folder = workspace.shared.found(path)
    on_share, on_folder = _read(share, folder)
    tokens, catalogue = Tokens(workspace.estate), workspace.estate.catalogue
    ids = [i for kind in sorted(ACCOUNTS) for i in catalogue.of_kind(kind).tolist()]
    ids += workspace.estate.of_other_domains
    allowed = [
        person
        for person in catalogue.principals(ids).values()
        if may_in_folder(on_share, on_folder, token_on(workspace.estate, share.server, tokens.of(person)), mask).allowed
    ]
    put_view(folder_allowed_table(allowed, right, share, folder), form, output)
    return Exit.NOTHING_TO_REPORT


def _read(share: "Share", folder: "Folder") -> "tuple[Descriptor | None, Descriptor]":
    from adzeguard.core.descriptors.descriptor import Descriptor

    return Descriptor.from_bytes(share.descriptor) if share.descriptor else None, Descriptor.from_bytes(
        folder.descriptor
    )
