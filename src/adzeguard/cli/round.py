"""adzeguard round."""

from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from adzeguard.cli.desk import Desk
from adzeguard.cli.exits import Exit
from adzeguard.cli.options import card_options, example, workspace_option
from adzeguard.cli.output import put_view

if TYPE_CHECKING:
    from adzeguard.core.change.draft import Draft
    from adzeguard.core.review.correction import Correction
    from adzeguard.core.time.lease import Lease
    from adzeguard.workflows.interrupted import Interrupted


@click.command("round", epilog=example("adzeguard round"))
@click.option("--only-leases", is_flag=True, help="End what is over; mend nothing and ask nobody.")
@card_options
@workspace_option
def command(only_leases: bool, form: str, output: Path | None, workspace: Path | None) -> int:
    """Do one pass without being watched: collect, end leases that are over, begin shifts, mend, ask owners.

    Safe from cron: one at a time, within the guards, and what is past a limit is told and left. Nothing is written
    where nothing is to be done. Ends with 4 when something was refused, could not be made or could not be told.

    Keys of json: collected, events, leases_ended, leases_left, leases_begun, mended, asked, settled, told, untold,
    not_made, refused.
    """
    from adzeguard.core.views.round import round_page

    data = one_round(Desk(workspace), only_leases=only_leases)
    put_view(round_page(data), form, output)
    return Exit.DONE_IN_PART if data["not_made"] or data["refused"] or data["untold"] else Exit.NOTHING_TO_REPORT


def one_round(desk: Desk, *, only_leases: bool = False) -> dict[str, Any]:
    """Make a round, and return what it came to.

    What a round began and was killed over is gone on with. What somebody else began and did not end waits for them:
    leases end and owners are asked all the same, but nothing is given or mended beside it.
    """
    from adzeguard.workflows.interrupted import interrupted_enactment

    with desk.held("round"):
        data = _collected(desk) | _read_on(desk)
        earlier = interrupted_enactment(desk.journal)
        if earlier is not None and earlier.unattended:
            data |= _gone_on(desk, earlier)
            earlier = interrupted_enactment(desk.journal)
        if earlier is None:
            _settle_begun(desk)
        data |= _contracts(desk)
        data |= _leases(desk)
        if earlier is not None:
            data |= {"leases_begun": [], "mended": 0, "refused_rules": [f"nothing is mended, since {earlier.in_words}"]}
        else:
            data |= _shifts(desk)
            data |= _mended(desk) if not only_leases else {"mended": 0}
        data |= _sealed(desk)
        data |= _asked(desk) if not only_leases else {"asked": [], "settled": [], "told": 0, "untold": []}
        parts = ("trail", "earlier", "contracts", "leases", "shifts", "rules", "seal")
        told = {
            key: [line for part in parts for line in data.pop(f"{key}_{part}", ())] for key in ("not_made", "refused")
        }
        desk.workspace.last_round_path.touch(mode=0o600)
        return data | told


def _collected(desk: Desk) -> dict[str, Any]:
    from adzeguard.workflows.collect import Sources, collect
    from adzeguard.workflows.settle_later import settle_unknown

    with desk.directory() as directory, desk.hosts() as hosts:
        sources = Sources(directory, hosts, desk.store, desk.now, _untold, desk.names, desk.crew(""))
        done = collect(sources)
    desk.look_anew()
    settle_unknown(desk.journal, desk.estate, desk.now(), desk.operator())
    written = done.written
    return {"collected": {"objects": written.objects, "groups": written.groups, "hosts": written.hosts}}


def _gone_on(desk: Desk, earlier: "Interrupted") -> dict[str, Any]:
    from adzeguard.cli.unattended import go_on_unattended

    done = go_on_unattended(desk, earlier)
    refused = [f"{earlier.name}: {done.refused}"] if done.refused else []
    return {"not_made_earlier": list(done.not_made), "refused_earlier": refused}


def _settle_begun(desk: Desk) -> None:
    """Write down of leases that were being begun when somebody was killed whether they were: no enactment is left."""
    from adzeguard.store.leases import Leases
    from adzeguard.workflows.leases import is_inside

    table = Leases(desk.database)
    for lease in table.all():
        if lease.state == "starting" and is_inside(desk.estate, lease):
            table.write(replace(lease, state="running"))
        elif lease.state == "starting":
            table.forget(lease)


def _read_on(desk: Desk) -> dict[str, Any]:
    """Read what the directory has logged since; a log that cannot be read holds up nothing else."""
    from adzeguard.core.errors import AdzeguardError
    from adzeguard.store.trail import Trail
    from adzeguard.workflows.trail import read_on

    events = 0
    not_read: list[str] = []
    for path in desk.workspace.logs:
        try:
            events += read_on(Trail(desk.database), path)
        except AdzeguardError as error:
            not_read.append(str(error))
    return {"events": events, "not_made_trail": not_read}


def _untold(_what: str, _done: int, _of: int | None) -> None:
    return


def _contracts(desk: Desk) -> dict[str, Any]:
    """Move the ends of leases that end with a contract to where it ends now."""
    from adzeguard.cli.unattended import enact_unattended
    from adzeguard.core.change.draft import Draft
    from adzeguard.core.time.lease import last_end
    from adzeguard.store.leases import Leases
    from adzeguard.workflows.contracts import by_contracts
    from adzeguard.workflows.leases import end_moved

    table = Leases(desk.database)
    leases = table.all()
    if not any(one.contract and one.is_open for one in leases):
        return {}
    with desk.directory() as directory:
        found = by_contracts(directory, leases, desk.workspace.contract_attribute)
    not_made, refused = list(found.unclear), []
    for later, former in found.moved:
        others = [one for one in table.all() if one.id != later.id]
        if later.until > desk.now():  # one that is over is ended by what follows
            moved = end_moved(desk.estate, later, last_end(former, others), others)
            done = enact_unattended(desk, lambda moved=moved: Draft.of(moved))  # type: ignore[misc]
            not_made += done.not_made
            refused += [f"{later.id}: {done.refused}"] if done.refused else []
        table.write(later)
    return {"not_made_contracts": not_made, "refused_contracts": refused}


def _leases(desk: Desk) -> dict[str, Any]:
    """End each lease by itself: one that a guard holds back keeps no other."""
    from adzeguard.cli.unattended import enact_unattended
    from adzeguard.core.time.lease import GIVEN_BACK, due
    from adzeguard.store.leases import Leases
    from adzeguard.workflows.leases import note_ended

    table = Leases(desk.database)
    ended: list[str] = []
    left: list[str] = []
    not_made: list[str] = []
    refused: list[str] = []
    for lease in due(table.all(), desk.now()):
        make = partial(_end_of, desk, lease)
        done = enact_unattended(desk, make, GIVEN_BACK)
        not_made += done.not_made
        refused += [f"{lease.id}: {done.refused}"] if done.refused else []
        at = lease.until if lease.by_itself and not done.made else desk.now()
        still = note_ended(table, [lease], desk.estate, at)
        (left if still else ended).append(lease.id)
    return {"leases_ended": ended, "leases_left": left, "not_made_leases": not_made, "refused_leases": refused}


def _end_of(desk: Desk, lease: "Lease") -> "Draft":
    from adzeguard.core.change.draft import Draft
    from adzeguard.store.leases import Leases
    from adzeguard.workflows.leases import ending

    return Draft.of(ending(desk.estate, [lease], Leases(desk.database).all()))


def _shifts(desk: Desk) -> dict[str, Any]:
    """Begin what is worked now. The lease is written down first: whoever is killed forgets no end."""
    from adzeguard.cli.unattended import enact_unattended
    from adzeguard.core.change.draft import Draft
    from adzeguard.core.time.lease import stood_before
    from adzeguard.store.leases import Leases
    from adzeguard.store.shifts import Shifts
    from adzeguard.workflows.leases import giving, is_inside
    from adzeguard.workflows.shifts import beginning

    shifts = [one for one in Shifts(desk.database).all() if one.ended is None]
    table = Leases(desk.database)
    begun: list[str] = []
    not_made: list[str] = []
    refused: list[str] = []
    begins = list(beginning(shifts, table.all(), desk.now())) if shifts else []
    able = any(not one.host for one in begins) and desk.ends_leases_by_itself
    for one in begins:
        lease = replace(one, id=table.next_id(), state="starting")
        before = stood_before(lease, table.all(), inside=is_inside(desk.estate, lease))
        lease = replace(lease, stood_before=before, by_itself=able and not (lease.host or before))
        table.write(lease)
        done = enact_unattended(desk, lambda lease=lease: Draft.of(giving(desk.estate, lease)))  # type: ignore[misc]
        not_made += done.not_made
        refused += [f"{one.shift}: {done.refused}"] if done.refused else []
        if is_inside(desk.estate, lease):
            table.write(replace(lease, state="running"))
            begun.append(lease.id)
        else:
            table.forget(lease)
    return {"leases_begun": begun, "not_made_shifts": not_made, "refused_shifts": refused}


def _sealed(desk: Desk) -> dict[str, Any]:
    """Seal the journal once a day, where something was written since."""
    key = desk.workspace.seal_key
    if key is None:
        return {}
    from adzeguard.cli.journal import seal_now, the_seals
    from adzeguard.core.errors import AdzeguardError

    last = the_seals().last_kept(desk.workspace.seals_folder)
    rows = desk.journal.rows(1)
    is_today = last is not None and last.at.date() == desk.now().date()
    if not rows or is_today or (last is not None and last.row == rows[0].seq):
        return {}
    try:
        seal_now(desk, key)
    except AdzeguardError as error:
        return {"not_made_seal": [str(error)]}
    return {}


def _asked(desk: Desk) -> dict[str, Any]:
    """Ask owners what only they can say, and tell them; what cannot be told is kept for the next round."""
    from adzeguard.core.cleaning.reviewed import overdue
    from adzeguard.store.letters import Letters
    from adzeguard.store.reviews import Reviews
    from adzeguard.workflows.asking import Asker, ask
    from adzeguard.workflows.origins import origins
    from adzeguard.workflows.telling import tell_waiting

    deputy, now = desk.workspace.questions.owner, desk.now()
    late = overdue(Reviews(desk.database).all(), now, deputy)
    with desk.tellers() as tellers:
        asker = Asker(desk.database, desk.written_charter, tellers, deputy, now)
        asked = ask([*desk.corrections(), *late], asker, lambda new: origins(new, desk.past))
        told = tell_waiting(Letters(desk.database), tellers)
    return {
        "asked": [one.id for one in asked.new],
        "settled": [one.id for one in asked.settled],
        "told": told.told,
        "untold": list(told.reasons),
    }


def _mended(desk: Desk) -> dict[str, Any]:
    """Mend what rules say to mend, but for what needs somebody else's yes: that waits, and holds nothing else up."""
    from adzeguard.cli.approvals import approval_needs
    from adzeguard.cli.unattended import enact_unattended
    from adzeguard.core.change.guards.approval import NO_NEEDS

    needs = approval_needs(desk)
    waiting: set[str] = set()

    def needs_nobody(one: "Correction") -> bool:
        why = next((why for change in one.changes if (why := needs.why(desk.estate, change))), "")
        if why and one.response == "mend":
            waiting.add(f"{why} need somebody else's yes: adzeguard propose --rule {one.rule} --output FILE")
        return not why

    def draft() -> "Draft":
        return desk.charter_draft(()) if needs == NO_NEEDS else desk.charter_draft((), needs_nobody)

    done = enact_unattended(desk, draft)
    refused = [*([done.refused] if done.refused else []), *sorted(waiting)]
    return {"mended": done.made, "not_made_rules": list(done.not_made), "refused_rules": refused}
