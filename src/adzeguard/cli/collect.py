"""adzeguard collect."""

from pathlib import Path
from typing import Any

import click

from adzeguard.cli.exits import Exit
from adzeguard.cli.headed import HeadedCommand
from adzeguard.cli.opening import opened
from adzeguard.cli.options import example, workers_option, workspace_option
from adzeguard.cli.output import put, say
from adzeguard.cli.progress import progress_bar
from adzeguard.workspace.open_workspace import Workspace

_SHOWN = 8
_WHOLE = 100


class _Percent(click.ParamType[int]):
    """A part of a hundred, with or without its sign."""

    name = "percent"

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> int:
        """Return the number."""
        text = str(value).strip().removesuffix("%")
        if not (text.isascii() and text.isdecimal() and int(text) <= _WHOLE):
            self.fail(f"'{value}' is no part of a hundred; write 5 or 5%", param, ctx)
        return int(text)


@click.command("collect", cls=HeadedCommand, epilog=example("adzeguard collect --tolerate 10%"))
@click.option("--full", is_flag=True, help="Read everything again, not only what changed.")
@click.option("--shares", is_flag=True, help="Read the permissions on file shares instead: see [shares] in the guide.")
@click.option("--depth", type=click.IntRange(1, 50), default=3, show_default=True, help="How deep, with --shares.")
@click.option(
    "--tolerate", type=_Percent(), default=0, metavar="N%", help="End with 0 though N% of the hosts do not answer."
)
@click.option("--only", multiple=True, metavar="NAME", help="Read this domain alone, of several; can be repeated.")
@workers_option
@workspace_option
def command(
    full: bool, shares: bool, depth: int, tolerate: int, only: tuple[str, ...], workers: str, folder: Path | None
) -> int:
    """Read the directory and the hosts into the store of the workspace.

    The first collection reads everything. Later ones read only what changed, deletions included, if the server can
    tell.

    A host that does not answer keeps the state that was read last. If an error stops the collection, the last one stays
    in force. Ends with 4 if more hosts could not be read than --tolerate allows.
    """
    from adzeguard.core.wording import counted_noun, some_of
    from adzeguard.workspace.collecting import collected

    workspace = opened(folder)
    if shares:
        return _shares(workspace, depth)
    with progress_bar() as progress:
        done = collected(workspace, full=full, workers=workers, progress=progress, only=only)
    counted = ", ".join(f"{count} {label}{'s' * (count != 1)}" for label, count in done.counts.items())
    counted = counted.replace("directory policys", "directory policies") or "nothing"
    put(f"Collected {counted}{' that changed' if done.kind == 'changes' else ''}.\n")
    if workspace.settings.hosts:
        put(f"Read {counted_noun(done.hosts_read, 'host')}; {len(done.hosts_unread)} did not answer.\n")
    written = done.written
    put(f"Changed since the last time: {written.objects} objects, {written.groups} groups, {written.hosts} hosts.\n")
    if written.gone:
        # A denial of reading hides objects from the reading account, and looks like a deletion.
        names = some_of(written.gone, _SHOWN)
        say(f"Not there any more, deleted or hidden from this account ({len(written.gone)}): {names}")
    for host in done.hosts_unread[:_SHOWN]:
        say(f"  {host.name}: {host.trouble}")
    if len(done.hosts_unread) > _SHOWN:
        say(f"  and {len(done.hosts_unread) - _SHOWN} more: adzeguard check lists them")
    if done.not_looked_after and workspace.settings.hosts:
        count = len(done.not_looked_after)
        say(f"Of no source of hosts ({count}), nothing is known of them: {some_of(done.not_looked_after, _SHOWN)}")
    if done.twins:
        said = f"Not looked after, since a host of another domain has the same name ({len(done.twins)})"
        say(f"{said}: {some_of(done.twins, _SHOWN)}")
    if done.unreadable:
        count = len(done.unreadable)
        said = f"The rights over {count} object{'s' * (count != 1)} cannot be read as they came, and are not known"
        say(f"{said}: {some_of(done.unreadable, _SHOWN)}. Look at them with the directory's own tools")
    if done.strangers:
        count = len(done.strangers) + done.more_strangers
        say(f"Groups list {count} names from outside, left out: {some_of(done.strangers, _SHOWN, count)}")
    hosts = done.hosts_read + len(done.hosts_unread)
    silent = [name for name, why in done.unread if why]
    too_many = len(done.hosts_unread) * _WHOLE > tolerate * hosts
    return Exit.DONE_IN_PART if too_many or silent else Exit.NOTHING_TO_REPORT


def _shares(workspace: Workspace, depth: int) -> int:
    """Read the shares; Ctrl-C stops after the folder in hand, and the next time goes on from there."""
    from adzeguard.workspace.collecting import shares_read
    from adzeguard.workspace.stopping import stopping

    with progress_bar() as progress, stopping(say) as asked:
        read = shares_read(workspace, depth, asked, progress)
    kept = f"; {read.kept} parts were read before the interruption" if read.kept else ""
    put(f"Read {read.folders} folders of {read.shares} shares, {depth} deep{kept}.\n")
    if read.denied:
        say(f"Not read ({len(read.denied)}):")
    for path, why in read.denied[:_SHOWN]:
        say(f"  {path}: {why}")
    if len(read.denied) > _SHOWN:
        say(f"  and {len(read.denied) - _SHOWN} more")
    return Exit.DONE_IN_PART if read.denied else Exit.NOTHING_TO_REPORT
