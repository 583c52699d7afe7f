"""One screen about a workspace."""

from collections.abc import Mapping, Sequence
from datetime import datetime, timedelta
from typing import Any

from rich.table import Table
from rich.text import Text

from adzeguard.report.listing import text_console
from adzeguard.report.safe import for_terminal

_HOSTS_NAMED = 6
_STALE_AFTER = timedelta(days=1)


def status_text(data: Mapping[str, Any], now: datetime, *, colour: bool) -> str:
    """Return the screen: last collection, findings, pending hosts, last enactments, privileged counts."""
    console = text_console(colour=colour)
    age = now - data["collected_at"]
    stale = "" if age < _STALE_AFTER else "  (run adzeguard collect)"
    source = data["source"] if "://" in data["source"] else data["source"].rpartition("/")[2]
    console.print(_line("Collected", f"{_age(age)} ago from {source}{stale}"))
    findings = ", ".join(f"{count} {severity}" for severity, count in data["findings"].items()) or "none"
    console.print(_line("Findings", findings))
    pending: Sequence[str] = data["hosts_pending"]
    more = f" and {len(pending) - _HOSTS_NAMED} more" if len(pending) > _HOSTS_NAMED else ""
    console.print(
        _line(
            "Hosts",
            f"{data['hosts']}, {len(pending)} unread: {', '.join(pending[:_HOSTS_NAMED])}{more}"
            if pending
            else str(data["hosts"]),
        )
    )
    if data["interrupted"]:
        console.print(_line("Interrupted", f"{data['interrupted']}: adzeguard enact goes on with it", "bold red"))
    for place, row in enumerate(data["enactments"]):
        console.print(
            _line(
                "Last enactments" if place == 0 else "",
                f"{row['at'][:16].replace('T', ' ')} by {row['by']}: {row['what']}",
            )
        )
    if not data["enactments"]:
        console.print(_line("Last enactments", "none"))
    table = Table(box=None, pad_edge=False, header_style="bold", padding=(0, 2, 0, 0))
    for title, justify in (
        ("Privileged group", "left"),
        ("Members", "right"),
        (f"Since {data['since']:%Y-%m-%d}", "right"),
    ):
        table.add_column(title, justify="right" if justify == "right" else "left")
    for row in data["privileged"]:
        change = row["change"]
        style = "yellow" if change else "dim"
        table.add_row(
            for_terminal(row["group"]), str(row["members"]), Text(f"{change:+d}" if change else "same", style=style)
        )
    console.print()
    console.print(table)
    return str(console.file.getvalue())  # type: ignore[attr-defined]


def _line(label: str, text: str, style: str = "") -> Text:
    return Text.assemble((f"{label:<14}", "bold"), (for_terminal(text), style))


def _age(age: timedelta) -> str:
    for seconds, word in ((86400, "day"), (3600, "hour"), (60, "minute")):
        count = int(age.total_seconds() // seconds)
        if count:
            return f"{count} {word}{'s' * (count != 1)}"
    return "less than a minute"
