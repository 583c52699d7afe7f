"""The changes of folders on file shares: looked at right before, written, and read back."""

from collections.abc import Callable, Iterable

from adzeguard.core.change.change import Change
from adzeguard.core.change.guards.judge import Allowed
from adzeguard.core.change.kinds.change_folder_rights import ChangeFolderRights
from adzeguard.core.change.looking import look_only, looked_at
from adzeguard.core.change.outcome import Outcome, Status
from adzeguard.core.descriptors.ace import Ace
from adzeguard.core.descriptors.descriptor import Descriptor
from adzeguard.core.errors import InputError, ShareError
from adzeguard.core.values import dataclass
from adzeguard.shares.port import SharesDriver

Intent = Callable[[Change], None]


@dataclass(frozen=True, slots=True)
class OnShare:
    """What became of a change, and the permissions that were read back."""

    outcome: Outcome
    descriptor: bytes = b""


def make_on_share(server: SharesDriver | None, allowed: Allowed, intent: Intent) -> OnShare:
    """Make one change; what nothing here can make is unsupported, and never something else."""
    return _tried(server, allowed.change, intent)


def seen_on_share(server: SharesDriver | None, change: Change) -> Outcome | None:
    """Look, without writing, what would become of a change now; None where it would be written."""
    return looked_at(lambda: _tried(server, change, look_only).outcome)


def _tried(server: SharesDriver | None, change: Change, intent: Intent) -> OnShare:
    if not isinstance(change, ChangeFolderRights) or server is None:
        why = f"no server {change.share_server} is named in [shares]" if server is None else "nothing here makes it"
        return OnShare(Outcome(change, Status.UNSUPPORTED, why))
    try:
        return _made(server, change, intent)
    except ShareError as error:
        return OnShare(Outcome(change, Status.UNREACHABLE, error.message))
    except InputError as error:
        return OnShare(Outcome(change, Status.REFUSED, error.message))


def _made(server: SharesDriver, change: ChangeFolderRights, intent: Intent) -> OnShare:
    standing = Descriptor.from_bytes(server.read(change.share, change.path))
    if _stand(standing, change.gives, change.takes):
        return OnShare(Outcome(change, Status.CONFLICT, "it is so already", already=True))
    if not _stand(standing, change.takes, change.gives):
        return OnShare(Outcome(change, Status.CONFLICT, "the permissions are others by now"))
    intent(change.noting_places(standing))
    server.write(change.share, change.path, change.made_in(standing).to_bytes())
    written = server.read(change.share, change.path)
    done = _stand(Descriptor.from_bytes(written), change.gives, change.takes)
    return OnShare(
        Outcome(change, Status.VERIFIED if done else Status.DIFFERS, "" if done else "read back otherwise"), written
    )


def _stand(descriptor: Descriptor, present: Iterable[Ace], absent: Iterable[Ace]) -> bool:
    own = set(descriptor.entries)
    return all(entry in own for entry in present) and not any(entry in own for entry in absent)
