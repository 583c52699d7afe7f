"""The table of the kinds of change: for each name, as it is written, the module that holds it."""

from collections.abc import Mapping
from importlib import import_module
from typing import Final

from adzeguard.core.change.change import Change

CHANGE_KINDS: Final = {
    "add-member": "adzeguard.core.change.kinds.add_member",
    "add-ending-member": "adzeguard.core.change.kinds.add_ending_member",
    "set-member-end": "adzeguard.core.change.kinds.set_member_end",
    "remove-member": "adzeguard.core.change.kinds.add_member",
    "set-primary-group": "adzeguard.core.change.kinds.set_primary_group",
    "add-local-member": "adzeguard.core.change.kinds.add_local_member",
    "remove-local-member": "adzeguard.core.change.kinds.add_local_member",
    "create": "adzeguard.core.change.kinds.create_object",
    "delete": "adzeguard.core.change.kinds.create_object",
    "set": "adzeguard.core.change.kinds.set_attributes",
    "set-account-control": "adzeguard.core.change.kinds.set_account_control",
    "move": "adzeguard.core.change.kinds.move_object",
    "rights": "adzeguard.core.change.kinds.change_rights",
    "folder-rights": "adzeguard.core.change.kinds.change_folder_rights",
    "refuse-logon": "adzeguard.core.change.kinds.logon_refusal",
    "end-refusal": "adzeguard.core.change.kinds.logon_refusal",
    "logon-alone": "adzeguard.core.change.kinds.set_logon_alone",
    "set-notice": "adzeguard.core.change.kinds.set_notice",
    "set-fact": "adzeguard.core.change.kinds.set_fact",
    "set-note": "adzeguard.core.change.kinds.set_note",
    "give-elevation": "adzeguard.core.change.kinds.elevation",
    "end-elevation": "adzeguard.core.change.kinds.elevation",
    "disable-own-account": "adzeguard.core.change.kinds.own_account",
    "enable-own-account": "adzeguard.core.change.kinds.own_account",
    "make-own-group": "adzeguard.core.change.kinds.own_group",
    "delete-own-group": "adzeguard.core.change.kinds.own_group",
    "switch-on-ending-links": "adzeguard.core.change.kinds.switch_on_ending_links",
}


def change_kind(name: str, kinds: Mapping[str, str] = CHANGE_KINDS) -> type[Change] | None:
    """Return the kind of this name, None where there is none. It is imported only now: most looks need few or none."""
    if name not in kinds:
        return None
    known = vars(import_module(kinds[name])).values()
    changes = (kind for kind in known if isinstance(kind, type) and issubclass(kind, Change))
    return next(kind for kind in changes if kind.model_fields["kind"].default == name)
