"""Whom nobody has seen deleted may only be hidden from who reads: what is taken from them wants its number."""

from collections.abc import Iterator, Sequence
from typing import Final

from adzeguard.core.change.change import BY_HAND_RULE, Change
from adzeguard.core.change.guards.case import Case
from adzeguard.core.change.kinds.add_local_member import RemoveLocalMember
from adzeguard.core.change.kinds.change_folder_rights import ChangeFolderRights
from adzeguard.core.change.kinds.change_rights import ChangeRights
from adzeguard.core.change.kinds.elevation import EndElevation
from adzeguard.core.change.kinds.logon_refusal import EndRefusal
from adzeguard.core.estate.gone import Gone
from adzeguard.core.wording import some_of

_SAYS: Final = "nobody has seen them deleted, and they may be people whom the account that reads here does not see"


def vanished(case: Case) -> Iterator[str]:
    """Yield a reason where something is taken by hand from SIDs that merely vanished, and their number is not named.

    A rule says itself who is to be inside, and then nobody else is.
    """
    gone, named = Gone(case.estate), case.named.vanished
    sids = {sid for change in case.changes if change.rule == BY_HAND_RULE for sid in whose_is_taken(change)}
    found = sorted(sid for sid in sids - case.seen_deleted if gone.holds(sid))
    if found and named is None:
        how = f"Give --vanished {len(found)} if you know that they are gone"
        said = "1 SID resolves" if len(found) == 1 else f"{len(found)} SIDs resolve"
        yield f"{said} to nothing, but {_SAYS}: {some_of(found)}. {how}"
    elif named is not None and named != len(found):
        yield f"you named --vanished {named}, and {len(found)} such SIDs are in the proposal"


def whose_is_taken(change: Change) -> Sequence[str]:
    """Return the SIDs of whom a change takes something that they hold or are denied."""
    if isinstance(change, ChangeRights | ChangeFolderRights):
        return [str(entry.sid) for entry in change.takes if entry.sid is not None]
    if isinstance(change, RemoveLocalMember):
        return [change.member.sid]
    return [change.who.sid] if isinstance(change, EndRefusal | EndElevation) else []
