"""Which hosts a rule reaches and what it finds there; and what a host would lose and get in another place."""

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from adzeguard.core.change.change import Change
from adzeguard.core.charter.host_scope import OnHosts
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.charter.scopes import HostScopes
from adzeguard.core.estate.estate import Estate
from adzeguard.core.review.correction import Correction
from adzeguard.core.views.host_page import host_rules
from adzeguard.core.views.table import Column, Table
from adzeguard.core.wording import counted_noun

_WHERE = (
    Column("host", "Host"),
    Column("rule"),
    Column("decides", "Effect", wide=True),
    Column("standing", "Stands", kind="word"),
    Column("deviations", "What deviates", wide=True),
    Column("put_in", "Put in", kind="number"),
    Column("met", "Stood before", kind="number"),
)
_EFFECT = (
    Column("change", "Change", kind="word"),
    Column("rule", "Rule"),
    Column("about", "About"),
    Column("says", "Says", wide=True),
    Column("decides", "Effect"),
)


def where_table(
    estate: Estate,
    charter: ResolvedCharter,
    rule: OnHosts,
    corrections: Iterable[Correction],
    put_in: Iterable[Change],
    met: Iterable[Change],
) -> Table:
    """Return one row for each host that a rule reaches, excepted ones among them.

    `put_in` is what rules have put in, `met` what the rule found standing as it wants it.
    """
    ours = Counter(change.host_name.casefold() for change in put_in if change.rule == rule.id)
    stood = Counter(change.host_name.casefold() for change in met)
    found: dict[str, list[str]] = {}
    for correction in corrections:
        if correction.rule == rule.id and correction.host is not None:
            found.setdefault(correction.host.name.casefold(), []).append(correction.message)
    scopes = HostScopes([rule])
    rows = []
    for host in estate.hosts:
        excepted, on = scopes.excepted_on(host), scopes.on(host)
        if not on and not excepted:
            continue
        messages = found.get(host.name.casefold(), [])
        parts = dict.fromkeys(r["decides"] for r in host_rules(charter, host) if r["rule"] == rule.id)
        standing = "unknown" if host.state is None else "deviates" if messages and not excepted else "yes"
        rows.append(
            {
                "host": host.name,
                "rule": rule.id,
                "decides": "; ".join(parts) or host.why_unknown,
                "standing": "excepted" if excepted else standing,
                "deviations": "; ".join(messages),
                "put_in": ours[host.name.casefold()],
                "met": stood[host.name.casefold()],
            }
        )
    return Table(
        rows, _WHERE, title=f"{rule.id} reaches {counted_noun(len(rows), 'host')}", empty="It reaches no host."
    )


def effect_table(
    before: Sequence[Mapping[str, Any]], after: Sequence[Mapping[str, Any]], host: str, container: str
) -> Table:
    """Return what a host would lose and get of its rules by being moved."""

    def key(row: Mapping[str, Any]) -> tuple[Any, ...]:
        return row["rule"], row["about"], row["says"]

    had, has = {key(row): row for row in before}, {key(row): row for row in after}
    rows = [{**row, "change": "loses"} for at, row in had.items() if at not in has]
    rows += [{**row, "change": "gets"} for at, row in has.items() if at not in had]
    rows += [
        {**row, "change": "other part" if row["decides"] != had[at]["decides"] else "keeps"}
        for at, row in has.items()
        if at in had
    ]
    return Table(rows, _EFFECT, title=f"{host}, if moved to {container}", empty="No rule holds there, before or after.")
