"""The hosts: through which source each is reached, what it can, when it answered last, and what is wrong."""

from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime

from adzeguard.core.change.change import Change
from adzeguard.core.drivers import DriverKind
from adzeguard.core.estate.hosts import Host
from adzeguard.core.views.table import Column, LateRows, Row, Table, data_columns
from adzeguard.core.wording import age_in_words

_COLUMNS = (
    Column("name", "Host"),
    Column("source", "Source"),
    Column("capabilities", "Can", wide=True),
    Column("read_at", "Answered last", kind="moment"),
    Column("trouble", "Trouble", wide=True),
)


def hosts_table(hosts: Sequence[Host], read_at: Mapping[int, datetime]) -> Table:
    """Return one row a host."""

    def made(some: Sequence[Host]) -> list[Row]:
        return [
            {
                "name": host.name,
                "source": host.source,
                "capabilities": sorted(host.state.capabilities) if host.state else [],
                "read_at": read_at.get(host.id),
                "trouble": host.trouble or ("" if host.source else "no source takes it"),
            }
            for host in some
        ]

    return Table(LateRows(hosts, made), _COLUMNS, title=f"Hosts: {len(hosts)}", empty="No such host.")


def pending_table(left: Iterable[tuple[Change, datetime, int, str]], now: datetime) -> Table:
    """Return what is left for hosts: each change, since when it waits, how often it was tried, and what came of it."""
    rows = [
        {
            "host": change.host_name,
            "change": change.in_words(),
            "rule": change.rule,
            "since_at": since,
            "waits": age_in_words(now - since),
            "tries": tries,
            "reason": detail,
        }
        for change, since, tries, detail in left
    ]
    columns = (
        Column("host", "Host"),
        Column("change", "Left to do", wide=True),
        Column("rule", "Rule"),
        *data_columns("since_at"),
        Column("waits", "Waits", for_people=True, fixed=True),
        Column("tries", "Tries", kind="number"),
        Column("reason", "Because", wide=True),
    )
    return Table(rows, columns, title=f"Pending: {len(rows)}", empty="Nothing waits for a host.")


def steps_table(host: str, steps: Iterable[tuple[str, str, str]]) -> Table:
    """Return what was tried with a host, step by step."""
    rows = [{"step": what, "works": not trouble, "said": trouble or said} for what, said, trouble in steps]
    columns = (
        Column("step", "Tried"),
        Column("works", "Works", kind="word"),
        Column("said", "What came back", wide=True),
    )
    return Table(rows, columns, title=f"{host}, nothing was changed")


def drivers_table(drivers: Iterable[tuple[str, DriverKind | str]]) -> Table:
    """Return each driver with its keys, or with what is missing for it."""
    rows: list[Row] = []
    for name, kind in drivers:
        if isinstance(kind, str):
            rows.append({"driver": name, "key": "", "needed": None, "words": kind})
            continue
        rows += [{"driver": name, "key": s.key, "needed": s.needed, "words": s.words} for s in kind.settings]
    columns = (
        Column("driver", "Driver"),
        Column("key", "Key"),
        Column("needed", "Needed"),
        Column("words", "Meaning", wide=True),
    )
    return Table(rows, columns, title="In adzeguard.toml: [hosts] kind = DRIVER, or one [hosts.NAME] for each source")
