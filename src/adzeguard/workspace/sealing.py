"""Seals of the journal: made, kept, sent, and held against it."""

from pathlib import Path
from typing import TYPE_CHECKING, Any

from adzeguard.store.kept import odd_rows, put_right
from adzeguard.store.letters import keep_letters

if TYPE_CHECKING:
    from adzeguard.workspace.open_workspace import Workspace


def broken_seals(workspace: "Workspace", files: list[Path]) -> list[str]:
    """Return what each seal says against the journal."""
    seals = the_seals()
    return list(seals.broken_seals(workspace.journal, files, workspace.settings.approval.signers, workspace.now()))


def odd_notes(workspace: "Workspace") -> list[str]:
    """Return what is kept beside the journal and is not as its rows tell it."""
    return [one.in_words for one in odd_rows(workspace.database)]


def put_notes_right(workspace: "Workspace") -> None:
    """Let what is kept beside the journal stand again as its rows tell it, and say what was otherwise."""
    with workspace.held("journal verify"):
        for one in put_right(workspace.database):
            workspace.frontend.say(f"Put right: {one.in_words}")


def the_seals() -> Any:
    """Return the module of seals; `SettingsError` where what it needs is not installed."""
    try:
        from adzeguard.workflows import seals
    except ModuleNotFoundError as error:
        from adzeguard.core.errors import SettingsError

        raise SettingsError("seals need an extra package", "pip install 'adzeguard[approval]'") from error
    return seals


def seal_now(workspace: "Workspace", key: Path) -> str:
    """Seal the journal, keep the seal and the letters that send it; return what was done, empty without a journal."""
    seals = the_seals()
    made = seals.sealed(workspace.journal, key, workspace.now())
    if made is None:
        return ""
    one, text = made
    file = seals.keep(workspace.settings.seals_folder, one, text)
    owner = workspace.settings.questions.owner
    body = {"subject": f"Journal sealed at row {one.row}", "text": text, "row": one.row, "hash": one.hash}
    with workspace.tellers() as tellers:
        letters = [(name, "seal", owner, body) for name, teller in tellers.items() if teller.takes("seal", owner)]
    if letters:
        with workspace.database.writing() as connection:
            keep_letters(connection, letters, workspace.now())
    sent = ", and is sent with the next round" if letters else ""
    return f"Sealed up to row {one.row}: {file}{sent}."
