"""Which executor makes which kind of change."""

from collections.abc import Callable, Mapping
from typing import Any, Final

from adzeguard.core.change.change import Change
from adzeguard.core.change.guards.judge import Allowed
from adzeguard.core.change.kinds.add_ending_member import AddEndingMember
from adzeguard.core.change.kinds.add_member import AddMember, RemoveMember
from adzeguard.core.change.kinds.change_rights import ChangeRights
from adzeguard.core.change.kinds.create_object import CreateObject, DeleteObject
from adzeguard.core.change.kinds.move_object import MoveObject
from adzeguard.core.change.kinds.set_account_control import SetAccountControl
from adzeguard.core.change.kinds.set_attributes import SetAttributes
from adzeguard.core.change.kinds.set_member_end import SetMemberEnd
from adzeguard.core.change.kinds.set_primary_group import SetPrimaryGroup
from adzeguard.core.change.kinds.switch_on_ending_links import SwitchOnEndingLinks
from adzeguard.core.change.looking import look_only, looked_at
from adzeguard.core.change.outcome import Intent, Outcome, Status
from adzeguard.core.errors import ChangeRefusedError, DirectoryError, InputError
from adzeguard.directory.executors.creation import create_object, delete_object
from adzeguard.directory.executors.ending_members import add_ending_member, set_member_end
from adzeguard.directory.executors.features import switch_on_ending_links
from adzeguard.directory.executors.members import add_member, remove_member, set_primary_group
from adzeguard.directory.executors.objects import change_rights, move_object, set_account_control, set_attributes
from adzeguard.directory.port import DirectoryDriver

Executor = Callable[[DirectoryDriver, Any, Intent], Outcome]
"""Makes one change. It calls the intent right before the first write, and not at all when nothing is written."""

EXECUTORS: Final[Mapping[type[Change], Executor]] = {
    AddMember: add_member,
    AddEndingMember: add_ending_member,
    SetMemberEnd: set_member_end,
    RemoveMember: remove_member,
    SetPrimaryGroup: set_primary_group,
    CreateObject: create_object,
    DeleteObject: delete_object,
    SetAttributes: set_attributes,
    SetAccountControl: set_account_control,
    MoveObject: move_object,
    ChangeRights: change_rights,
    SwitchOnEndingLinks: switch_on_ending_links,
}


def make_in_directory(
    directory: DirectoryDriver, allowed: Allowed, intent: Intent, executors: Mapping[type[Change], Executor] = EXECUTORS
) -> Outcome:
    """Make one change; what nothing here can make is unsupported, and never something else."""
    return _made(directory, allowed.change, intent, executors)


def seen_in_directory(directory: DirectoryDriver, change: Change) -> Outcome | None:
    """Look, without writing, what would become of a change now; None where it would be written."""
    return looked_at(lambda: _made(directory, change, look_only, EXECUTORS))


def _made(
    directory: DirectoryDriver, change: Change, intent: Intent, executors: Mapping[type[Change], Executor]
) -> Outcome:
    executor = executors.get(type(change))
    if executor is None:
        return Outcome(change, Status.UNSUPPORTED, f"nothing here makes changes of the kind {change.kind}")
    try:
        return executor(directory, change, intent)
    except (ChangeRefusedError, InputError) as error:
        return Outcome(change, Status.REFUSED, error.message)
    except DirectoryError as error:
        return Outcome(change, Status.UNREACHABLE, error.message)
    except (ValueError, LookupError, TypeError) as error:
        # What no executor expects must end this change and not the enactment: it could never be gone on with.
        return Outcome(change, Status.REFUSED, f"one of its values cannot be read ({type(error).__name__})")
