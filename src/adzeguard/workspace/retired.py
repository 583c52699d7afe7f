"""What is put away, brought back, and deleted in the end, with the notes of it."""

from collections.abc import Callable, Iterable, Sequence
from datetime import timedelta
from typing import TYPE_CHECKING

from adzeguard.core.change.by_hand.objects import container_at
from adzeguard.core.change.change import BY_HAND_RULE
from adzeguard.core.change.draft import Draft
from adzeguard.core.change.proposal import LeftOut
from adzeguard.core.cleaning.retired import Noted, Retired, brought_back, ended, found, put_away
from adzeguard.core.cleaning.uses import uses_by_id
from adzeguard.core.errors import UsageError
from adzeguard.core.estate.names import resolve
from adzeguard.core.estate.principal import Principal
from adzeguard.core.rights.power import Powers
from adzeguard.core.views.retired import retired_table
from adzeguard.core.views.table import Table
from adzeguard.store.retired import RetiredThings
from adzeguard.workflows.interrupted import interrupted_enactment
from adzeguard.workspace.cleaning import named_by

if TYPE_CHECKING:
    from adzeguard.core.cleaning.uses import Use
    from adzeguard.workspace.open_workspace import Workspace


class PuttingAway:
    """Things that are put away into a holding OU, and noted before they are moved."""

    def __init__(
        self,
        workspace: "Workspace",
        named: Callable[[], Sequence[Principal]],
        to: str,
        wait: timedelta | None,
        why: str,
    ) -> None:
        """`named` finds the things once the workspace is held; `to` and `wait` are the settings' where empty."""
        self._workspace = workspace
        self._named = named
        self._to = to or workspace.settings.retire.ou
        now = workspace.now()
        until = now + (wait or timedelta(days=workspace.settings.retire.wait_days))
        self._noted = Noted(now, until, workspace.operator(), why)
        self._put: dict[str, Retired] = {}

    def draft(self) -> Draft:
        """Return what moves, disables and takes out."""
        workspace = self._workspace
        self._put.clear()
        holding = container_at(workspace.estate, self._to)
        powers = Powers(workspace.rights, workspace.privileged)
        changes = []
        for one in self._named():
            some, note = put_away(workspace.estate, one, holding, powers, self._noted)
            changes += some
            self._put[note.key] = note
        # Noted before anything is moved: what is moved without a note could not be brought back.
        for note in self._put.values():
            RetiredThings(workspace.database).write(note)
        return Draft.of(changes)

    def settle(self) -> None:
        """Forget the notes of what was not moved."""
        _forget_what_did_not_happen(self._workspace, self._put.values())


class BringingBack:
    """Things that are put back to where they were."""

    def __init__(self, workspace: "Workspace", given: Sequence[str], why: str) -> None:
        self._workspace = workspace
        self._given = given
        self._why = why
        self._chosen = _chosen(workspace, given)

    def draft(self) -> Draft:
        """Return what moves, enables, and puts into groups and links again."""
        workspace = self._workspace
        return _together(brought_back(workspace.estate, one, self._why) for one in _chosen(workspace, self._given))

    def settle(self) -> None:
        """Forget the notes of what is back."""
        _forget_what_came_back(self._workspace, self._chosen)


class Finishing:
    """Things that have waited long enough, and are deleted unless something names them still."""

    def __init__(self, workspace: "Workspace", given: Sequence[str], why: str, *, anyway: bool) -> None:
        """`anyway` takes those that are named, though they wait still or something names them."""
        if anyway and not given:
            raise UsageError("--anyway wants the names of what is to be deleted", "See: adzeguard retire list")
        self._workspace = workspace
        self._given = given
        self._why = why
        self._anyway = anyway
        self._before = lying(workspace)

    def draft(self) -> Draft:
        """Return what deletes; what is not deleted is left out with the reason."""
        workspace, anyway = self._workspace, self._anyway
        things = _chosen(workspace, self._given) if self._given else lying(workspace)
        uses, drafts = _uses(workspace, things), []
        for one in things:
            if one.until > workspace.now() and not anyway:
                reason = f"it waits until {one.until.astimezone():%Y-%m-%d %H:%M}"
                left = LeftOut(subject=one.now, member=one.name, rule=BY_HAND_RULE, reason=reason)
                drafts.append(Draft((), (left,)))
            else:
                why = self._why or one.why
                drafts.append(ended(workspace.estate, one, uses.get(one.key, ()), why, anyway=anyway))
        return _together(drafts)

    def settle(self) -> None:
        """Forget the notes of what is gone."""
        _forget_what_did_not_happen(self._workspace, self._before)


def listed(workspace: "Workspace") -> Table:
    """Return what is put away, with what names it still."""
    things = lying(workspace)
    return retired_table(things, _uses(workspace, things), workspace.now())


def _together(drafts: "Iterable[Draft]") -> "Draft":
    several = list(drafts)
    changes = tuple(change for one in several for change in one.changes)
    return Draft(changes, tuple(left for one in several for left in one.left_out))


def lying(workspace: "Workspace") -> "list[Retired]":
    """Return what is put away and lies where it was put."""
    return [one for one in RetiredThings(workspace.database).all() if found(workspace.estate, one) is not None]


def _chosen(workspace: "Workspace", given: Sequence[str]) -> "list[Retired]":
    """Return those of them that are named."""
    by_key = {one.key: one for one in lying(workspace)}
    chosen = []
    for name in given:
        principal = resolve(workspace.estate, name)
        one = by_key.get(str(principal.sid or "")) or by_key.get(principal.dn.casefold())
        if one is None:
            one = next((other for other in by_key.values() if other.now.casefold() == principal.dn.casefold()), None)
        if one is None:
            raise UsageError(f"{principal.qualified_name} is not put away", "See: adzeguard retire list")
        chosen.append(one)
    return chosen


def _uses(workspace: "Workspace", things: "Sequence[Retired]") -> "dict[str, list[Use]]":
    """Return by the keys of things what names each."""
    about = {one.key: p for one in things if (p := found(workspace.estate, one)) is not None}
    by_id = uses_by_id(named_by(workspace, list(about.values()))) if about else {}
    return {key: by_id.get(principal.id, []) for key, principal in about.items()}


def _forget_what_did_not_happen(workspace: "Workspace", noted: "Iterable[Retired]") -> None:
    """Forget the notes of what does not lie where it was put: it was not moved, or is gone."""
    several = list(noted)
    if not several or interrupted_enactment(workspace.journal) is not None:
        return  # what was begun may be gone on with, and needs its notes
    workspace.look_anew()
    for one in several:
        is_linked_still = one.links and not any(_stands(workspace, link.dn, link.after) for link in one.links)
        if found(workspace.estate, one) is None or is_linked_still:
            RetiredThings(workspace.database).forget(one)


def _forget_what_came_back(workspace: "Workspace", chosen: "Sequence[Retired]") -> None:
    """Forget the notes of what is back: elsewhere than where it was put, or a policy that is linked again."""
    workspace.look_anew()
    for one in chosen:
        still = found(workspace.estate, one)
        if still is None or (one.links and all(_stands(workspace, link.dn, link.before) for link in one.links)):
            RetiredThings(workspace.database).forget(one)


def _stands(workspace: "Workspace", dn: str, links: str) -> bool:
    found_id = workspace.estate.catalogue.by_dn(dn)
    return found_id is not None and str(workspace.estate.principal(found_id).details.get("policy_links", "")) == links
