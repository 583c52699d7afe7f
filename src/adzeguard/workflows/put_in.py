"""What rules have put in, as the estate knows it now."""

from collections.abc import Iterable, Iterator

from adzeguard.core.change.change import Change
from adzeguard.core.change.host_change import HostChange
from adzeguard.core.change.kinds.add_member import AddMember
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.named import id_of
from adzeguard.store.journal import Journal
from adzeguard.store.put_in import PutIn
from adzeguard.workflows.journal_rows import done_as_far_as_known
from adzeguard.workflows.made_again import as_known_today


def put_in_by_rules(table: PutIn, journal: Journal, estate: Estate) -> list[Change]:
    """Return the changes of rules that nothing of ours has taken back."""

    def all_done() -> list[Change]:
        return done_as_far_as_known(journal.rows())

    if table.is_to_be_gathered():
        if not journal.count():
            return []  # nothing was ever done here, and looking alone writes nothing
        done = all_done()
        table.gather(as_known_today(estate, done, lambda: done))
    return as_known_today(estate, table.changes(), all_done)


def forget_what_is_gone(table: PutIn, journal: Journal, estate: Estate) -> None:
    """Forget the members that rules have put in and that are not inside any more.

    Somebody else took them out. If somebody puts them in again, that is theirs, and stays when the rule goes.
    """
    table.forget(list(_taken_out(put_in_by_rules(table, journal, estate), estate)))


def _taken_out(put_in: Iterable[Change], estate: Estate) -> Iterator[Change]:
    for change in put_in:
        if isinstance(change, AddMember):
            group, member = id_of(estate, change.group), id_of(estate, change.member)
            if group is not None and member is not None and member not in estate.graph.direct_members(group):
                yield change
        elif isinstance(change, HostChange):
            host = estate.hosts_by_name.get(change.host_name.casefold())
            if host is not None and host.state is not None and change.stands(host.state) is False:
                yield change
