"""Seals of the journal: made, kept, sent, and held against it."""

from pathlib import Path
from typing import TYPE_CHECKING, Any

from adzeguard.store.journal_head import JournalHead
from adzeguard.store.kept import odd_rows, put_right
from adzeguard.store.letters import keep_letters

if TYPE_CHECKING:
    from adzeguard.workspace.open_workspace import Workspace


def held_against_seals(workspace: "Workspace", files: list[Path]) -> tuple[list[str], list[str]]:
    """Return what seals say against the journal, and by whose keys the others hold; nothing where there is no seal."""
    if not files:
        return [], []
    seals, settings = the_seals(), workspace.settings
    sealers = seals.Sealers.of(settings.seal_key, settings.approval.signers)
    held = seals.held_against(workspace.journal, files, sealers, workspace.now())
    return held.broken, [
        f"{count} seal{'s hold' if count > 1 else ' holds'}, by {key}" for key, count in held.by.items()
    ]


def end_not_kept(workspace: "Workspace") -> list[str]:
    """Say where it is not known up to where the journal went: then a cut end is missed by nothing but seals."""
    if not workspace.journal.count() or workspace.settings.store_url:
        return []  # with a team's store each keeps what itself has written, and may have written nothing
    head = JournalHead(workspace.settings.journal_head_path)
    if head.last() is not None:
        return []
    path = workspace.settings.journal_head_path
    how = "is not what it was" if path.exists() else "is gone"
    return [f"{path} {how}: where the journal ended is not known. It is kept anew by what is written next"]


def odd_notes(workspace: "Workspace") -> list[str]:
    """Return what is kept beside the journal and is not as its rows tell it."""
    return [one.in_words for one in odd_rows(workspace.database)]


def say_what_is_odd(workspace: "Workspace", table: str) -> None:
    """Say, beside a list, how many rows of its table are left out of it since nobody of ours wrote them so."""
    wrong = odd_rows(workspace.database, [table])
    if wrong:
        workspace.frontend.say(f"{len(wrong)} more are not as the journal tells: adzeguard journal verify")


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
