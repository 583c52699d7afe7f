"""What is put away, brought back, and deleted in the end, with the notes of it."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from datetime import datetime, timedelta
from typing import TYPE_CHECKING, Final

from adzeguard.core.change.by_hand.objects import container_at
from adzeguard.core.change.change import BY_HAND_RULE, Change
from adzeguard.core.change.draft import Draft, LeftOut
from adzeguard.core.change.kinds.set_note import set_note
from adzeguard.core.cleaning.retired import Noted, brought_back, ended, found, put_away, put_there_by_undo
from adzeguard.core.cleaning.uses import uses_by_id
from adzeguard.core.errors import UsageError
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.names import resolve
from adzeguard.core.estate.principal import Principal
from adzeguard.core.identity import Sid, fold_dn
from adzeguard.core.rights.power import Powers
from adzeguard.core.time.put_away import Retired
from adzeguard.core.values import dataclass
from adzeguard.core.views.retired import retired_table
from adzeguard.core.views.table import Table
from adzeguard.core.wording import some_of, when
from adzeguard.store.retired import RetiredThings
from adzeguard.workflows.journal_rows import done_as_far_as_known
from adzeguard.workflows.made_again import successors
from adzeguard.workflows.undo import done_since
from adzeguard.workspace.cleaning import named_by

if TYPE_CHECKING:
    from adzeguard.core.cleaning.uses import Use
    from adzeguard.workspace.open_workspace import Workspace


_DOORS: Final = frozenset({"local-group", "elevation", "grant", "owner", "share", "lease", "rule", "roster"})
"""What gives something to an account or a group beside its memberships."""
_SAID_OF: Final = 20


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
        self.only_noted: list[Retired] = []
        """Of these there is nothing to change, such as of a policy that is linked nowhere."""
        self._noted = Noted(now, until, workspace.operator(), why)

    def draft(self) -> Draft:
        """Return what moves, disables and takes out."""
        workspace = self._workspace
        powers = Powers(workspace.rights, workspace.privileged)
        self.only_noted = []
        known = {note.id: note for note in RetiredThings(workspace.database).all()}
        changes: list[Change] = []
        things = self._named()
        for one in things:
            some, note = put_away(workspace.estate, one, self._holding(one), powers, self._noted)
            # Noted before anything is moved: what is moved without a note could not be brought back. It counts once
            # the thing lies there.
            changes += [set_note(known.get(note.id), note, self._noted.why), *some]
            self.only_noted += [note] if not some else []
        return Draft.of(changes, self._left_standing(things))

    def _holding(self, one: Principal) -> Principal:
        """Return the OU for what is put away: each domain has one of its own, since nothing moves between them."""
        estate, place = self._workspace.estate, self._to
        of = estate.domain.holding(one.dn)
        if of is not estate.domain and "=" in place and estate.domain.full_dn(place) != place:
            place = of.full_dn(place)
        return container_at(estate, place)

    def _left_standing(self, things: Sequence[Principal]) -> list[str]:
        """Say by what doors each could still come in, once it is enabled again: none of them is closed by this."""
        uses = uses_by_id(named_by(self._workspace, things, only_told=True)) if things else {}
        said = []
        for one in things:
            places = [f"{use.what} {use.where}" for use in uses.get(one.id, ()) if use.what in _DOORS]
            if places:
                said.append(f"{one.qualified_name} is still named by {some_of(places)}: adzeguard uses '{one.name}'")
        shown = said[:_SAID_OF]
        return [*shown, f"and so are {len(said) - _SAID_OF} more"] if len(said) > _SAID_OF else shown


class BringingBack:
    """Things that are put back to where they were."""

    def __init__(self, workspace: "Workspace", given: Sequence[str], why: str) -> None:
        self._workspace = workspace
        self._given = given
        self._why = why
        self._chosen: list[Lying] = []

    def draft(self) -> Draft:
        """Return what moves, enables, and puts into groups and links again."""
        workspace = self._workspace
        self._chosen = _chosen(workspace, self._given)
        follow = _made_again(workspace, [sid for one in self._chosen for sid in one.note.groups])
        return _together(brought_back(workspace.estate, one.note, one.thing, self._why, follow) for one in self._chosen)

    def settle(self) -> None:
        """Note of what is back that it is."""
        workspace = self._workspace
        workspace.look_anew()
        still = {one.note.id for one in lying(workspace)}
        for one in self._chosen:
            if one.note.id not in still:
                RetiredThings(workspace.database).note_back(one.note, workspace.now())

    def forget_what_lies_as_it_lay(self) -> None:
        """Forget the notes of what there was nothing to change of, such as a policy that was linked nowhere."""
        for one in self._chosen:
            if not one.note.links and fold_dn(one.note.now) == fold_dn(one.note.dn):
                RetiredThings(self._workspace.database).take_out(one.note.id)


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

    def draft(self) -> Draft:
        """Return what deletes; what is not deleted is left out with the reason."""
        workspace, anyway = self._workspace, self._anyway
        things = _chosen(workspace, self._given) if self._given else lying(workspace)
        uses, drafts = _uses(workspace, things), []
        for one in things:
            if one.note.until > workspace.now() and not anyway:
                reason = f"it waits until {when(one.note.until)}"
                left = LeftOut(subject=one.thing.dn, member=one.note.name, rule=BY_HAND_RULE, reason=reason)
                drafts.append(Draft((), (left,)))
            else:
                why = self._why or one.note.why
                named = uses.get(one.note.id, ())
                drafts.append(ended(workspace.estate, one.note, one.thing, named, why, anyway=anyway))
        return _together(drafts)


def listed(workspace: "Workspace") -> Table:
    """Return what is put away, with what names it still."""
    things = lying(workspace)
    shown = [(one.note, one.thing) for one in things]
    return retired_table(workspace.estate, shown, _uses(workspace, things), workspace.now())


def _together(drafts: "Iterable[Draft]") -> "Draft":
    several = list(drafts)
    changes = tuple(change for one in several for change in one.changes)
    return Draft(changes, tuple(left for one in several for left in one.left_out))


@dataclass(frozen=True, slots=True)
class Lying:
    """The note of a thing, and the thing as it lies there today."""

    note: Retired
    thing: Principal


def lying(workspace: "Workspace") -> list[Lying]:
    """Return what is put away and lies where it was put: that, and no more, says whether a note counts.

    So nothing need be noted when something is deleted, brought back, undone or put away out of a file, and no kill in
    between leaves a note that is wrong.
    """
    table = RetiredThings(workspace.database)
    notes, back = table.all(), table.brought_back()
    follow = _made_again(workspace, [note.sid for note in notes if note.sid])
    return [
        Lying(note, thing)
        for note in notes
        if (thing := found(workspace.estate, note, follow)) is not None and _counts(workspace, note, back.get(note.id))
    ]


def _counts(workspace: "Workspace", note: Retired, back: datetime | None) -> bool:
    """Whether it was not brought back, or was put away again since; somebody else may have put it there by hand."""
    if back is None or note.at > back:
        return True
    return any(put_there_by_undo(note, change) for change in done_since(workspace.journal, back))


def _made_again(workspace: "Workspace", sids: Sequence[str]) -> Mapping[str, Named]:
    """Return what was deleted and made again under another SID; the journal is read where one is gone alone."""
    ids = workspace.estate.ids_of_sids({Sid(sid) for sid in sids})
    gone = any(i is None for i in ids.values())
    return successors(workspace.estate, done_as_far_as_known(workspace.journal.rows())) if gone else {}


def _chosen(workspace: "Workspace", given: Sequence[str]) -> list[Lying]:
    """Return those of them that are named."""
    by_id = {one.thing.id: one for one in lying(workspace)}
    chosen = []
    for name in given:
        principal = resolve(workspace.estate, name)
        if principal.id not in by_id:
            raise UsageError(f"{principal.qualified_name} is not put away", "See: adzeguard retire list")
        chosen.append(by_id[principal.id])
    return chosen


def _uses(workspace: "Workspace", things: Sequence[Lying]) -> "dict[str, list[Use]]":
    """Return by the keys of things what names each."""
    by_id = uses_by_id(named_by(workspace, [one.thing for one in things])) if things else {}
    return {one.note.id: by_id.get(one.thing.id, []) for one in things}
