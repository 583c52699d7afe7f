"""One round: collect, end what is over, begin shifts, mend, seal, ask. Each part says what it could not do."""

from collections.abc import Callable, Mapping
from dataclasses import replace
from datetime import timedelta
from functools import partial
from typing import TYPE_CHECKING, Any, Final

from adzeguard.core.change.draft import Draft
from adzeguard.core.change.guards.lookalike import taken_for_others
from adzeguard.core.change.kinds.set_note import set_note
from adzeguard.core.cleaning.reviewed import overdue
from adzeguard.core.errors import AdzeguardError, SettingsError
from adzeguard.core.estate.lookalike import Twins
from adzeguard.core.review.not_followed import not_followed
from adzeguard.core.time.lease import due, last_end, stood_before
from adzeguard.core.time.question import Reminding
from adzeguard.core.time.shift import why_unusable
from adzeguard.store.kept import odd_rows
from adzeguard.store.leases import Leases
from adzeguard.store.letters import Letters
from adzeguard.store.reviews import Reviews
from adzeguard.store.shifts import Shifts
from adzeguard.store.trail import Trail
from adzeguard.workflows.asking import Asker, ask
from adzeguard.workflows.contracts import by_contracts
from adzeguard.workflows.interrupted import interrupted_enactment
from adzeguard.workflows.leases import end_moved, ending, giving, is_inside, note_ended
from adzeguard.workflows.origins import origins
from adzeguard.workflows.shifts import beginning
from adzeguard.workflows.telling import tell_waiting
from adzeguard.workflows.trail import read_on
from adzeguard.workspace.approval_needs import approval_needs
from adzeguard.workspace.collecting import collected
from adzeguard.workspace.sealing import seal_now, the_seals
from adzeguard.workspace.unattended import enact_unattended, go_on_unattended

if TYPE_CHECKING:
    from adzeguard.core.review.correction import Correction
    from adzeguard.core.time.lease import Lease
    from adzeguard.workflows.interrupted import Interrupted
    from adzeguard.workspace.open_workspace import Workspace

_ODD_SHOWN: Final = 12
_NOBODY_ASKED: Final = {"asked": [], "settled": [], "told": 0, "untold": [], "not_followed": []}


def one_round(workspace: "Workspace", *, only_leases: bool = False) -> dict[str, Any]:
    """Make a round, and return what it came to.

    What a round began and was killed over is gone on with. What somebody else began and did not end waits for them:
    leases end and owners are asked all the same, but nothing is given or mended beside it.
    """
    with workspace.held("round"):
        early = _walled(_leases_of_directory, workspace, "leases", {})
        data = _collected(workspace)
        data["refusals_notes"] = _not_believed(workspace)
        earlier = interrupted_enactment(workspace.journal)
        if earlier is not None and earlier.unattended:
            data |= _gone_on(workspace, earlier)
            earlier = interrupted_enactment(workspace.journal)
        if earlier is None:
            _settle_begun(workspace)
        data |= _contracts(workspace)
        data |= _and_before(early, _leases(workspace))
        data |= _read_on(workspace)
        if earlier is not None:
            data |= {
                "leases_begun": [],
                "mended": 0,
                "refusals_rules": [f"nothing is mended, since {earlier.in_words}"],
            }
        else:
            data |= _walled(_shifts, workspace, "shifts", {"leases_begun": []})
            data |= _walled(_mended, workspace, "rules", {"mended": 0}, goes=not only_leases)
        data |= _sealed(workspace)
        data |= _walled(_asked, workspace, "questions", _NOBODY_ASKED, goes=not only_leases)
        parts = ("notes", "trail", "earlier", "contracts", "leases", "shifts", "rules", "seal", "questions")
        told = {
            key: [line for part in parts for line in data.pop(f"{key}_{part}", ())] for key in ("not_made", "refusals")
        }
        workspace.settings.last_round_path.touch(mode=0o600)
        return data | told


def _walled(
    step: "Callable[[Workspace], dict[str, Any]]",
    workspace: "Workspace",
    part: str,
    nothing: Mapping[str, Any],
    *,
    goes: bool = True,
) -> dict[str, Any]:
    """Take a step, and return what it came to; what stops it is said, and stops no other step.

    A charter that cannot be read mends nothing and asks nobody, and the shifts of the night begin all the same.
    """
    if not goes:
        return dict(nothing)
    try:
        return step(workspace)
    except SettingsError:  # nothing that follows can be right while what the workspace says of itself is not
        raise
    except AdzeguardError as error:
        return {**nothing, f"refusals_{part}": [f"{part}: {error}"]}


def _collected(workspace: "Workspace") -> dict[str, Any]:
    written = collected(workspace).written
    return {"collected": {"objects": written.objects, "groups": written.groups, "hosts": written.hosts}}


def _not_believed(workspace: "Workspace") -> list[str]:
    """Say which rows beside the journal nobody of ours has written so; the round acts on none of them."""
    wrong = [one.in_words for one in odd_rows(workspace.database)]
    more = [f"and {len(wrong) - _ODD_SHOWN} more: adzeguard journal verify"] if len(wrong) > _ODD_SHOWN else []
    return [*(f"{line}, and is not acted on" for line in wrong[:_ODD_SHOWN]), *more]


def _gone_on(workspace: "Workspace", earlier: "Interrupted") -> dict[str, Any]:
    done = go_on_unattended(workspace)
    refused = [f"{earlier.name}: {done.refused}"] if done.refused else []
    return {"not_made_earlier": list(done.not_made), "refusals_earlier": refused}


def _settle_begun(workspace: "Workspace") -> None:
    """Write down of leases that were being begun when somebody was killed whether they were: no enactment is left."""
    table = Leases(workspace.database)
    for lease in table.all():
        if lease.state == "starting" and is_inside(workspace.estate, lease):
            table.write(replace(lease, state="running"))
        elif lease.state == "starting":
            table.forget(lease)


def _read_on(workspace: "Workspace") -> dict[str, Any]:
    """Read what the directory has logged since; a log that cannot be read holds up nothing else."""
    events = 0
    not_read: list[str] = []
    for path in workspace.settings.logs:
        try:
            events += read_on(Trail(workspace.database), path)
        except AdzeguardError as error:
            not_read.append(str(error))
    return {"events": events, "not_made_trail": not_read}


def _contracts(workspace: "Workspace") -> dict[str, Any]:
    """Move the ends of leases that end with a contract to where it ends now."""
    table = Leases(workspace.database)
    leases = table.all()
    if not any(one.contract and one.is_open for one in leases):
        return {}
    try:
        with workspace.directory() as directory:
            found = by_contracts(directory, leases, workspace.settings.contract_attribute)
    except AdzeguardError as error:  # what is over ends all the same
        return {"not_made_contracts": [f"ends by contract are as they were: {error}"]}
    not_made, refused = list(found.unclear), []
    for later, former in found.moved:
        others = [one for one in table.all() if one.id != later.id]
        if later.until > workspace.now():  # one that is over is ended by what follows
            moved = end_moved(workspace.estate, later, last_end(former, others), others)
            done = enact_unattended(workspace, lambda moved=moved: Draft.of(moved))  # type: ignore[misc]
            not_made += done.not_made
            refused += [f"{later.id}: {done.refused}"] if done.refused else []
        noted = set_note(former, later, "the contract ends at another time")
        done = enact_unattended(workspace, lambda noted=noted: Draft.of([noted]))  # type: ignore[misc]
        refused += [f"{later.id}: {done.refused}"] if done.refused else []
    return {"not_made_contracts": not_made, "refusals_contracts": refused}


def _leases_of_directory(workspace: "Workspace") -> dict[str, Any]:
    """End what is over in the directory before any host is read: slow hosts must not keep anybody inside.

    What could not be ended now is tried again, and told, after the collection.
    """
    table = Leases(workspace.database)
    if not any(not one.host for one in due(table.all(), workspace.now())):
        return {}
    if interrupted_enactment(workspace.journal) is not None:
        return {}
    done = _leases(workspace, in_directory=True)
    return {"leases_ended": done["leases_ended"]}


def _and_before(early: Mapping[str, Any], later: dict[str, Any]) -> dict[str, Any]:
    """Return what the ends of leases came to, with those that were ended before the collection."""
    return {**later, "leases_ended": [*early.get("leases_ended", ()), *later["leases_ended"]]}


def _leases(workspace: "Workspace", *, in_directory: bool = False) -> dict[str, Any]:
    """End each lease by itself, or those of the directory alone: one that a guard holds back keeps no other."""
    table = Leases(workspace.database)
    ended: list[str] = []
    left: list[str] = []
    not_made: list[str] = []
    refused: list[str] = []
    for lease in due(table.all(), workspace.now()):
        if in_directory and lease.host:
            continue
        make = partial(_end_of, workspace, lease)
        done = enact_unattended(workspace, make, gives_back=True)
        not_made += done.not_made
        refused += [f"{lease.id}: {done.refused}"] if done.refused else []
        at = lease.until if lease.by_itself and not done.made else workspace.now()
        still = note_ended(table, [lease], workspace.estate, at)
        (left if still else ended).append(lease.id)
    return {"leases_ended": ended, "leases_left": left, "not_made_leases": not_made, "refusals_leases": refused}


def _end_of(workspace: "Workspace", lease: "Lease") -> "Draft":
    return Draft.of(ending(workspace.estate, [lease], Leases(workspace.database).all()))


def _shifts(workspace: "Workspace") -> dict[str, Any]:
    """Begin what is worked now. The lease is written down first: a program that is killed forgets no end."""
    now = workspace.now()
    shifts = [(one, why_unusable(one, now)) for one in Shifts(workspace.database).all() if one.ended is None]
    table = Leases(workspace.database)
    begun: list[str] = []
    not_made = [f"shift {one.id} is worked by nobody: {why}" for one, why in shifts if why]
    refused: list[str] = []
    begins = list(beginning([one for one, why in shifts if not why], table.all(), now)) if shifts else []
    able = any(not one.host for one in begins) and workspace.ends_leases_by_itself
    for one in begins:
        lease = replace(one, id=table.next_id(), state="starting")
        before = stood_before(lease, table.all(), inside=is_inside(workspace.estate, lease))
        lease = replace(lease, stood_before=before, by_itself=able and not (lease.host or before))
        table.write(lease)
        done = enact_unattended(workspace, lambda lease=lease: Draft.of(giving(workspace.estate, lease)))  # type: ignore[misc]
        not_made += done.not_made
        refused += [f"{one.shift}: {done.refused}"] if done.refused else []
        if is_inside(workspace.estate, lease):
            table.write(replace(lease, state="running"))
            begun.append(lease.id)
        else:
            table.forget(lease)
    return {"leases_begun": begun, "not_made_shifts": not_made, "refusals_shifts": refused}


def _sealed(workspace: "Workspace") -> dict[str, Any]:
    """Seal the journal once a day, where something was written since."""
    key = workspace.settings.seal_key
    if key is None:
        return {}
    last = the_seals().last_kept(workspace.settings.seals_folder)
    rows = workspace.journal.rows(1)
    is_today = last is not None and last.at.date() == workspace.now().date()
    if not rows or is_today or (last is not None and last.row == rows[0].seq):
        return {}
    try:
        seal_now(workspace, key)
    except AdzeguardError as error:
        return {"not_made_seal": [str(error)]}
    return {}


def _asked(workspace: "Workspace") -> dict[str, Any]:
    """Ask owners what only they can say, and tell them; what cannot be told is kept for the next round."""
    settings, now = workspace.settings.questions, workspace.now()
    deputy = settings.owner
    reminding = Reminding(timedelta(days=settings.remind_days), settings.deputy, settings.owner)
    late = overdue(Reviews(workspace.database).all(), now, deputy)
    found = list(workspace.corrections())
    stopped = not_followed(found)
    with workspace.tellers() as tellers:
        asker = Asker(workspace.database, workspace.written_charter, tellers, deputy, now, reminding)
        asked = ask([*found, *stopped, *late], asker, lambda new: origins(new, workspace.past))
        told = tell_waiting(Letters(workspace.database), tellers)
    return {
        "asked": [one.id for one in asked.new],
        "settled": [one.id for one in asked.settled],
        "told": told.told,
        "untold": list(told.reasons),
        "not_followed": [f"{one.place}: {one.message}" for one in stopped],
    }


def _mended(workspace: "Workspace") -> dict[str, Any]:
    """Mend what rules say to mend, but for what needs somebody else's yes: that waits, and holds nothing else up."""
    workspace.remember_names()
    needs = approval_needs(workspace.settings.approval, workspace.estate)
    waiting: set[str] = set()

    twins = Twins(workspace.estate, [*workspace.privileged, *workspace.guarding_charter.keepers])

    def needs_nobody(one: "Correction") -> bool:
        alike = next(taken_for_others(twins, one.changes), "") if one.response == "mend" else ""
        if alike:
            waiting.add(f"{alike}, in rule {one.rule}: if that is meant, adzeguard enact --rule {one.rule}")
            return False
        why = next((why for change in one.changes if (why := needs.why(workspace.estate, change))), "")
        if why and one.response == "mend":
            waiting.add(f"{why} need somebody else's yes: adzeguard propose --rule {one.rule} --output FILE")
        return not why

    def draft() -> "Draft":
        return workspace.charter_draft((), needs_nobody)

    done = enact_unattended(workspace, draft)
    refused = [*([done.refused] if done.refused else []), *sorted(waiting)]
    return {"mended": done.made, "not_made_rules": list(done.not_made), "refusals_rules": refused}
