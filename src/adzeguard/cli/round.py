"""adzeguard round."""

from dataclasses import replace
from pathlib import Path
from typing import Any

import click

from adzeguard.cli.desk import Desk
from adzeguard.cli.exits import Exit
from adzeguard.cli.options import card_options, example, workspace_option
from adzeguard.cli.output import put_view
from adzeguard.core.errors import UsageError


@click.command("round", epilog=example("adzeguard round"))
@click.option("--only-leases", is_flag=True, help="End what is over, and mend nothing.")
@card_options
@workspace_option
def command(only_leases: bool, form: str, output: Path | None, workspace: Path | None) -> int:
    """Do one pass without being watched: collect, end leases that are over, begin shifts, mend what rules say to mend.

    Safe from cron: one at a time, within the guards, and what is past a limit is told and left. Nothing is written
    where nothing is to be done. Ends with 4 when something was refused or could not be made.

    Keys of json: collected, leases_ended, leases_left, leases_begun, mended, not_made, refused.
    """
    from adzeguard.core.views.round import round_page

    data = one_round(Desk(workspace), only_leases=only_leases)
    put_view(round_page(data), form, output)
    return Exit.DONE_IN_PART if data["not_made"] or data["refused"] else Exit.NOTHING_TO_REPORT


def one_round(desk: Desk, *, only_leases: bool = False) -> dict[str, Any]:
    """Make a round, and return what it came to."""
    from adzeguard.workflows.interrupted import interrupted_enactment

    with desk.held("round"):
        earlier = interrupted_enactment(desk.journal)
        if earlier is not None:
            raise UsageError(f"no round is made, since {earlier.in_words}")
        data = _collected(desk)
        data |= _leases(desk)
        data |= _shifts(desk)
        data |= _mended(desk) if not only_leases else {"mended": 0}
        parts = ("leases", "shifts", "rules")
        told = {
            key: [line for part in parts for line in data.pop(f"{key}_{part}", ())] for key in ("not_made", "refused")
        }
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


def _untold(_what: str, _done: int, _of: int | None) -> None:
    return


def _leases(desk: Desk) -> dict[str, Any]:
    """End each lease by itself: one that a guard holds back keeps no other."""
    from adzeguard.cli.unattended import enact_unattended
    from adzeguard.core.change.draft import Draft
    from adzeguard.core.time.lease import due
    from adzeguard.store.leases import Leases
    from adzeguard.workflows.leases import ending, note_ended

    table = Leases(desk.database)
    ended: list[str] = []
    left: list[str] = []
    not_made: list[str] = []
    refused: list[str] = []
    for lease in due(table.all(), desk.now()):
        done = enact_unattended(desk, lambda lease=lease: Draft.of(ending(desk.estate, [lease], table.all())))  # type: ignore[misc]
        not_made += done.not_made
        refused += [f"{lease.id}: {done.refused}"] if done.refused else []
        still = note_ended(table, [lease], desk.estate, desk.now())
        (left if still else ended).append(lease.id)
    return {"leases_ended": ended, "leases_left": left, "not_made_leases": not_made, "refused_leases": refused}


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
    for one in beginning(shifts, table.all(), desk.now()) if shifts else ():
        lease = replace(one, id=table.next_id(), state="starting")
        before = stood_before(lease, table.all(), inside=is_inside(desk.estate, lease))
        lease = replace(lease, stood_before=before)
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


def _mended(desk: Desk) -> dict[str, Any]:
    from adzeguard.cli.unattended import enact_unattended

    done = enact_unattended(desk, lambda: desk.charter_draft(()))
    refused = [done.refused] if done.refused else []
    return {"mended": done.made, "not_made_rules": list(done.not_made), "refused_rules": refused}
