"""The kinds of change, and the table of them."""

from typing import Final

from adzeguard.core.change.change import Change
from adzeguard.core.change.kinds.add_ending_member import AddEndingMember
from adzeguard.core.change.kinds.add_local_member import AddLocalMember, RemoveLocalMember
from adzeguard.core.change.kinds.add_member import AddMember, RemoveMember
from adzeguard.core.change.kinds.change_folder_rights import ChangeFolderRights
from adzeguard.core.change.kinds.change_rights import ChangeRights
from adzeguard.core.change.kinds.create_object import CreateObject, DeleteObject
from adzeguard.core.change.kinds.elevation import EndElevation, GiveElevation
from adzeguard.core.change.kinds.logon_refusal import EndRefusal, RefuseLogon
from adzeguard.core.change.kinds.move_object import MoveObject
from adzeguard.core.change.kinds.own_account import DisableOwnAccount, EnableOwnAccount
from adzeguard.core.change.kinds.own_group import DeleteOwnGroup, MakeOwnGroup
from adzeguard.core.change.kinds.set_account_control import SetAccountControl
from adzeguard.core.change.kinds.set_attributes import SetAttributes
from adzeguard.core.change.kinds.set_fact import SetFact
from adzeguard.core.change.kinds.set_logon_alone import SetLogonAlone
from adzeguard.core.change.kinds.set_member_end import SetMemberEnd
from adzeguard.core.change.kinds.set_note import SetNote
from adzeguard.core.change.kinds.set_notice import SetNotice
from adzeguard.core.change.kinds.set_primary_group import SetPrimaryGroup
from adzeguard.core.change.kinds.switch_on_ending_links import SwitchOnEndingLinks

CHANGE_KINDS: Final[tuple[type[Change], ...]] = (
    AddMember,
    AddEndingMember,
    SetMemberEnd,
    RemoveMember,
    SetPrimaryGroup,
    AddLocalMember,
    RemoveLocalMember,
    CreateObject,
    DeleteObject,
    SetAttributes,
    SetAccountControl,
    MoveObject,
    ChangeRights,
    ChangeFolderRights,
    RefuseLogon,
    EndRefusal,
    SetLogonAlone,
    SetNotice,
    SetFact,
    SetNote,
    GiveElevation,
    EndElevation,
    DisableOwnAccount,
    EnableOwnAccount,
    MakeOwnGroup,
    DeleteOwnGroup,
    SwitchOnEndingLinks,
)
