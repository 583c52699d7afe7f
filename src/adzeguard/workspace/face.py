"""The Python face: a workspace as programs use it. Plain values in and out, and the same guards as the commands."""

from collections.abc import Callable, Mapping, Sequence
from datetime import datetime
from os import PathLike
from pathlib import Path
from types import TracebackType
from typing import Any, Self

from adzeguard.core.change.outcome import Outcome
from adzeguard.core.change.proposal import Proposal
from adzeguard.core.errors import UsageError
from adzeguard.core.limits import NamedSizes
from adzeguard.core.views.changes import outcomes_table
from adzeguard.core.views.findings import findings_table
from adzeguard.core.views.page import Page
from adzeguard.core.views.table import Table
from adzeguard.workflows.undo import done_by, last_enactment, undo_draft
from adzeguard.workspace import collecting, deviations, members, past, reaching, rights, road
from adzeguard.workspace.choice import Choice
from adzeguard.workspace.frontend import Frontend
from adzeguard.workspace.open_workspace import Workspace as AtWork
from adzeguard.workspace.wanted import Wanted, nothing_asked

Row = dict[str, Any]
"""One row, by the keys that the command of the same name documents for json."""


def open(  # noqa: A001 - as `io.open` is called
    folder: str | PathLike[str] | None = None, *, say: Callable[[str], None] | None = None
) -> "Workspace":
    """Open the workspace in a folder, or the nearest one from the current folder upwards.

    `say` is given what a command would say beside its answer. `AdzeguardError` where there is no workspace.
    """
    frontend = Frontend(say) if say is not None else Frontend()
    return Workspace(AtWork(Path(folder) if folder is not None else None, None, frontend))


class Workspace:
    """An open workspace. Close it, or use it in a `with` statement; errors stand under `AdzeguardError`.

    Answers are about what was collected last. What writes passes the guards, is in the journal, and can be undone.
    """

    def __init__(self, at_work: AtWork) -> None:
        """Use `adzeguard.open`."""
        self._at_work = at_work
        _ = at_work.settings  # a folder without a workspace is told here

    def __enter__(self) -> Self:
        """Return itself."""
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        """Close it."""
        self.close()

    def close(self) -> None:
        """Let go of the store. What is asked afterwards opens it again."""
        self._at_work.close()

    def collect(self, *, full: bool = False) -> Row:
        """Read the directory and the hosts; return how many were read, and what changed.

        Keys: kind, objects, groups, hosts (changed in the store), hosts_read, hosts_unread (their names).
        """
        done = collecting.collected(self._at_work, full=full)
        written = done.written
        return {
            "kind": done.kind,
            "objects": written.objects,
            "groups": written.groups,
            "hosts": written.hosts,
            "hosts_read": done.hosts_read,
            "hosts_unread": [host.name for host in done.hosts_unread],
        }

    def who(self, group: str = "", *, host: str = "", local_group: str = "") -> list[Row]:
        """Return who is effectively in a group, or in a local group of a host (its administrators unless named)."""
        if host:
            return _rows(members.on_host(self._at_work, host, local_group or None))
        if not group or local_group:
            raise UsageError("say one group, or one host; a local group is one of a host")
        return _rows(members.in_group(self._at_work, group))

    def why(self, person: str, *, group: str = "", host: str = "") -> Row:
        """Return the shortest chain that makes somebody a member of a group or an administrator of a host."""
        return _data(members.chain_to(self._at_work, person, group=group, host=host))

    def find(self, text: str = "", *, kind: str = "", limit: int = 100) -> list[Row]:
        """Return objects by a part of their name; `kind` is user, group, computer, ou, container, policy or foreign."""
        return _rows(members.found(self._at_work, text, kind, limit))

    def may(self, who: str, right: str, name: str) -> Row:
        """Return whether somebody may do something to an object: "allowed", and the entry that decides."""
        return _rows(rights.whether_may(self._at_work, who, right, name))[0]

    def reach(self, group: str, *, with_directory: bool = False) -> list[Row]:
        """Return everybody who is in a group, or could make themselves a member by the rights they hold."""
        return _rows(reaching.who_reaches(self._at_work, group, with_directory=with_directory))

    def check(self, *, severity: str = "note", rules: Sequence[str] = ()) -> list[Row]:
        """Return what deviates from the charter, and what is wrong regardless of it, worst first."""
        named = _several(rules)
        findings, to_note = deviations.found_and_to_note(self._at_work, named)
        deviations.note_found(self._at_work, to_note)
        return _rows(findings_table(deviations.of_those(findings, severity, named)))

    def propose(
        self,
        *,
        also: Sequence[str] = (),
        rules: Sequence[str] = (),
        groups: Sequence[str] = (),
        hosts: Sequence[str] = (),
        under: Sequence[str] = (),
    ) -> Proposal:
        """Return the changes that put right what the rules with `response: mend` say. Nothing is changed.

        `also` are rules that only tell; the others choose a part. `GuardError` where the changes would do harm.
        """
        choice = Choice(_several(rules), _several(groups), _several(hosts), _several(under))
        return deviations.proposed(self._at_work, _several(also), choice).proposal

    def enact(
        self,
        proposal: Proposal,
        *,
        removals: int | None = None,
        hosts: int | None = None,
        deletions: int | None = None,
        new_reach: int | None = None,
        lookalikes: int | None = None,
        vanished: int | None = None,
    ) -> list[Row]:
        """Make the changes of a proposal; return what became of each.

        The numbers confirm a size past a limit. `GuardError` says why it must not be made, `ApprovalError` and
        `UsageError` that somebody else must say yes, or that an interrupted enactment waits: see `resume`.
        """
        sizes = NamedSizes(removals, hosts, deletions, new_reach, lookalikes, vanished)
        wanted = Wanted(lambda: proposal, sizes=sizes, beside_interrupted=False)
        return _outcomes(road.enact(self._at_work, wanted).outcomes)

    def resume(self) -> list[Row]:
        """Go on with the enactment that was interrupted, past the guards as they judge what is left of it now."""
        return _outcomes(road.resume(self._at_work, Wanted(nothing_asked)).outcomes)

    def undo(self, enactment: str = "", *, new_reach: int | None = None, deletions: int | None = None) -> list[Row]:
        """Take back an enactment, the last one unless it is named; return what became of each change."""

        def make() -> Any:
            at_work = self._at_work
            done = done_by(at_work.journal, enactment or last_enactment(at_work.journal))
            return undo_draft(at_work.estate, at_work.journal, done)

        sizes = NamedSizes(deletions=deletions, new_reach=new_reach)
        return _outcomes(road.enact(self._at_work, Wanted(make, sizes=sizes)).outcomes)

    def history(
        self,
        group: str = "",
        *,
        person: str = "",
        by: str = "",
        since: datetime | None = None,
        until: datetime | None = None,
    ) -> list[Row]:
        """Return who was put into a group or taken out, by whom, when, and whether it is still so.

        A time without a zone is one of this machine's, as one that is typed.
        """
        wish = past.Wish(group, person, by, _with_zone(since), _with_zone(until))
        return _rows(past.history_of(self._at_work, wish))


def _several(names: Sequence[str] | str) -> tuple[str, ...]:
    """Return names; one that stands alone is one name, not its letters."""
    return (names,) if isinstance(names, str) else tuple(names)


def _with_zone(moment: datetime | None) -> datetime | None:
    try:
        return moment.astimezone() if moment is not None and moment.tzinfo is None else moment
    except (ValueError, OverflowError) as error:  # the first and the last day of the calendar, as `datetime.min`
        raise UsageError(f"{moment:%Y-%m-%d} has no time in UTC", "Give a time with its zone, or none") from error


def _rows(table: Table) -> list[Row]:
    return list(table.for_programs())


def _data(page: Page) -> Row:
    return dict(page.data) if isinstance(page.data, Mapping) else {}


def _outcomes(outcomes: Sequence[Outcome]) -> list[Row]:
    return _rows(outcomes_table(outcomes))
