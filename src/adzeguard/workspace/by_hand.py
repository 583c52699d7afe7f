"""What people change by hand, by the names that they type: drafts for the one road."""

from collections.abc import Iterable, Mapping, Sequence
from collections.abc import Set as AbstractSet
from dataclasses import replace
from datetime import datetime
from typing import TYPE_CHECKING

from adzeguard.core.change.by_hand.accounts import EXPIRY, expiring, switched
from adzeguard.core.change.by_hand.grants import grants_given, grants_withdrawn, notes_on
from adzeguard.core.change.by_hand.groups import changed_group, created_group, deleted_group
from adzeguard.core.change.by_hand.intake import intake_changes
from adzeguard.core.change.by_hand.members import memberships_by_hand
from adzeguard.core.change.by_hand.objects import container_at
from adzeguard.core.change.by_hand.on_host import members_on, own_account, own_group
from adzeguard.core.change.by_hand.ous import (
    created_ou,
    deleted_ou,
    moved_object,
    protected_object,
    unprotected_object,
)
from adzeguard.core.change.change import BY_HAND_RULE
from adzeguard.core.change.draft import Draft, LeftOut
from adzeguard.core.charter.at_place import said_of_move
from adzeguard.core.cleaning.orphans import orphans
from adzeguard.core.cleaning.uses import uses_of
from adzeguard.core.errors import UnknownNameError
from adzeguard.core.estate.names import resolve, resolve_host
from adzeguard.core.estate.places import short_dn
from adzeguard.core.estate.principal import Principal
from adzeguard.core.identity import Sid, parent_dn
from adzeguard.core.review.admission import admitted, as_if_moved
from adzeguard.core.rights.duties import named_duties
from adzeguard.core.rights.duty_words import Extent
from adzeguard.core.values import dataclass
from adzeguard.core.views.host_page import host_rules
from adzeguard.core.views.rule_reach import effect_table
from adzeguard.core.views.uses import staying_behind
from adzeguard.directory.port import TellsDeleted
from adzeguard.workspace.cleaning import named_by
from adzeguard.workspace.members import group_called
from adzeguard.workspace.somebody import somebody

if TYPE_CHECKING:
    from adzeguard.workspace.open_workspace import Workspace

_NAMING = "ou="


# Memberships


def joined(workspace: "Workspace", group: str, members: Sequence[str], why: str) -> Draft:
    """Put members into a group."""
    return memberships_by_hand(workspace.estate, _pairs(workspace, [group], members), (), why)


def left(workspace: "Workspace", group: str, members: Sequence[str], why: str) -> Draft:
    """Take members out of a group."""
    return memberships_by_hand(workspace.estate, (), _pairs(workspace, [group], members), why)


def joining(workspace: "Workspace", member: str, groups: Sequence[str], why: str) -> Draft:
    """Put one member into groups."""
    return memberships_by_hand(workspace.estate, _pairs(workspace, groups, [member]), (), why)


def leaving(workspace: "Workspace", member: str, groups: Sequence[str], why: str) -> Draft:
    """Take one member out of groups."""
    return memberships_by_hand(workspace.estate, (), _pairs(workspace, groups, [member]), why)


def copied(workspace: "Workspace", groups: Iterable[Principal], to: Principal, why: str) -> Draft:
    """Put somebody into groups that were chosen."""
    return memberships_by_hand(workspace.estate, [(group, to) for group in groups], (), why)


# Groups themselves


@dataclass(frozen=True)
class GroupDetails:
    """What is said of a group; None leaves it as it is, an empty text takes it away."""

    account_name: str = ""
    scope: str = ""
    security: bool | None = None
    description: str | None = None
    mail: str | None = None
    manager: str | None = None

    def values(self, workspace: "Workspace") -> dict[str, str | None]:
        """Return the attributes, the manager as a DN."""
        manager = resolve(workspace.estate, self.manager).dn if self.manager else self.manager
        return {"description": self.description, "mail": self.mail, "managedBy": manager}


def group_created(
    workspace: "Workspace", name: str, container: str, details: GroupDetails, members: Sequence[str], why: str
) -> Draft:
    """Make a group in an OU, with its first members."""
    said = {key: value for key, value in details.values(workspace).items() if value}
    changes = created_group(
        workspace.estate,
        name,
        container_at(workspace.estate, container),
        account_name=details.account_name,
        scope=details.scope,
        security=bool(details.security),
        details=said,
        members=[somebody(workspace, member) for member in members],
        why=why,
    )
    return Draft.of(changes)


def group_changed(workspace: "Workspace", group: str, name: str, details: GroupDetails, why: str) -> Draft:
    """Change a group itself; an empty name leaves its name."""
    return changed_group(
        workspace.estate,
        group_called(workspace, group),
        name=name,
        account_name=details.account_name,
        scope=details.scope,
        security=details.security,
        details=details.values(workspace),
        why=why,
    )


def group_deleted(workspace: "Workspace", group: str, why: str) -> Draft:
    """Delete a group; its members stay. The draft notes what goes on naming it."""
    about = group_called(workspace, group)
    draft = deleted_group(workspace.estate, about, why)
    return replace(draft, notes=(*staying_behind(uses_of(named_by(workspace, [about]))), *draft.notes))


# Places


def moved(workspace: "Workspace", name: str, container: str, why: str) -> Draft:
    """Put an object into another OU; the draft notes which rules it leaves and enters."""
    found, to = resolve(workspace.estate, name), container_at(workspace.estate, container)
    return moved_object(workspace.estate, found, to, why, _rules_that_differ(workspace, found, to))


def ou_created(
    workspace: "Workspace", name: str, container: str, why: str, *, description: str = "", protected: bool = True
) -> Draft:
    """Make an OU, at the top where no container is named."""
    estate = workspace.estate
    above = container_at(estate, container or estate.domain.base_dn)
    # As it stands in a DN is how many write it.
    name = name[len(_NAMING) :] if name.casefold().startswith(_NAMING) else name
    return created_ou(estate, name, above, protected=protected, description=description, why=why)


def ou_protected(workspace: "Workspace", ou: str, why: str) -> Draft:
    """Protect an OU against deletion and moving."""
    return Draft.of(protected_object(workspace.estate, container_at(workspace.estate, ou), why))


def ou_unprotected(workspace: "Workspace", ou: str, why: str) -> Draft:
    """Let an OU be deleted and moved again."""
    return unprotected_object(workspace.estate, container_at(workspace.estate, ou), why)


def ou_deleted(workspace: "Workspace", ou: str, why: str, *, with_content: bool = False) -> Draft:
    """Delete an OU, with all that lies in it where that is asked for."""
    place = container_at(workspace.estate, ou)
    return deleted_ou(workspace.estate, place, with_content=with_content, why=why)


def intake_set(workspace: "Workspace", wanted: Mapping[str, str], why: str) -> Draft:
    """Let new "users" or "computers" land in these OUs."""
    containers = {what: container_at(workspace.estate, ou) for what, ou in wanted.items()}
    return Draft.of(intake_changes(workspace.estate, containers, why=why))


def host_admitted(workspace: "Workspace", host: str, container: str, why: str) -> Draft:
    """Move a host that waits to its place and open it there; the draft notes what it loses and gets."""
    here, place = resolve_host(workspace.estate, host), container_at(workspace.estate, container)
    _, there = as_if_moved(workspace.estate, here, place.dn)
    before, after = (host_rules(workspace.charter, one) for one in (here, there))
    effect = effect_table(before, after, here.name, short_dn(workspace.estate, place.dn))
    said = [row for row in effect.rows if row["change"] != "keeps"]
    return admitted(workspace.rights, workspace.charter, workspace.put_in, here, place, said, why)


# Accounts


def account_switched(workspace: "Workspace", name: str, why: str, *, enable: bool) -> Draft:
    """Enable an account of the directory, or disable it."""
    return switched(resolve(workspace.estate, name), why, enable=enable)


def account_expiring(workspace: "Workspace", name: str, until: datetime | None, why: str) -> Draft:
    """Let an account of the directory expire at a moment, or never; how it stands is read from the directory now."""
    account = resolve(workspace.estate, name)
    with workspace.directory() as directory:
        entry = directory.read(account.dn)
    return expiring(account, entry.text(EXPIRY.casefold()) if entry is not None else "", until, why)


# On one host


def members_changed_on(
    workspace: "Workspace", host: str, group: str, members: Sequence[str], why: str, *, add: bool
) -> Draft:
    """Put members into a local group of a host, or take them out."""
    at = resolve_host(workspace.estate, host)
    return members_on(workspace.estate, at, group, members, why, add=add)


def group_changed_on(workspace: "Workspace", host: str, group: str, why: str, *, make: bool) -> Draft:
    """Make a group of the host's own, or delete it with its members."""
    return own_group(workspace.estate, resolve_host(workspace.estate, host), group, why, make=make)


def account_changed_on(workspace: "Workspace", host: str, account: str, why: str, *, enable: bool) -> Draft:
    """Enable an account of the host itself, or disable it."""
    return own_account(resolve_host(workspace.estate, host), account, why, enable=enable)


# Rights


@dataclass(frozen=True)
class GrantAsked:
    """Who is given or denied which duties, over which object."""

    who: str
    duties: Sequence[str]
    over: str
    deny: bool = False
    extent: Extent | None = None
    only_for: Sequence[str] = ()


def granted(workspace: "Workspace", asked: GrantAsked, why: str) -> Draft:
    """Give or deny duties over an object; the draft notes what a denial wins over."""
    holder = somebody(workspace, asked.who, let_in=False)
    rights, target = workspace.rights, _over(workspace, asked)
    wanted = named_duties(rights.duties, tuple(asked.duties), rights.schema)
    only_for = tuple(asked.only_for)
    changes = grants_given(
        rights, holder, wanted, target, deny=asked.deny, extent=asked.extent, only_for=only_for, why=why
    )
    return Draft.of(changes, notes_on(rights, holder, deny=asked.deny, given=rights.grants_over(target)))


def withdrawn(workspace: "Workspace", asked: GrantAsked, why: str) -> Draft:
    """Take duties away again, or all that somebody has over an object where no duty is named."""
    rights, holder, target = workspace.rights, resolve(workspace.estate, asked.who), _over(workspace, asked)
    wanted = named_duties(rights.duties, tuple(asked.duties), rights.schema)
    return Draft.of(grants_withdrawn(rights, holder, wanted, target, deny=asked.deny, why=why))


def tidied(workspace: "Workspace", sids: Sequence[str], why: str) -> Draft:
    """Take out the SIDs of the domain that belong to nothing any more, or only these."""
    wanted = {Sid.parse(sid) for sid in sids}
    found = [one for one in orphans(workspace.estate, workspace.shared, why) if not wanted or one.sid in wanted]
    if nowhere := sorted(wanted - {one.sid for one in found}):
        raise UnknownNameError(f"{nowhere[0]} is nowhere the SID of a deleted account", "See: adzeguard uses --orphans")
    _ask_whether_deleted(workspace, {one.sid for one in found if one.change is not None})
    kept = [
        LeftOut(subject=one.where, member=one.sid, rule=BY_HAND_RULE, reason=one.detail)
        for one in found
        if one.change is None
    ]
    return Draft(tuple(one.change for one in found if one.change is not None), tuple(kept))


def _ask_whether_deleted(workspace: "Workspace", sids: AbstractSet[str]) -> None:
    """Note of SIDs that resolve to nothing which the directory has seen deleted: what merely vanished is asked about.

    A collection of everything does not tell the two apart.
    """
    unsure = sorted(sids - workspace.store.seen_deleted())
    if unsure:
        with workspace.directory() as directory:
            if isinstance(directory, TellsDeleted):
                workspace.store.note_deleted([sid for sid in unsure if directory.was_deleted(Sid(sid))])


def _pairs(workspace: "Workspace", groups: Sequence[str], members: Sequence[str]) -> list[tuple[Principal, Principal]]:
    found = [somebody(workspace, member) for member in members]
    return [(group_called(workspace, group), member) for group in groups for member in found]


def _over(workspace: "Workspace", asked: GrantAsked) -> Principal:
    return resolve(workspace.estate, asked.over)


def _rules_that_differ(workspace: "Workspace", moving: Principal, to: Principal) -> list[str]:
    """Say which rules hold for it no more and which will, as far as the charter can be read."""
    charter = workspace.charter_if_readable("Which rules it leaves and enters is not said")
    from_there = workspace.estate.catalogue.by_dn(parent_dn(moving.dn))
    if charter is None or from_there is None:
        return []
    return said_of_move(charter, moving, workspace.estate.principal(from_there), to)
