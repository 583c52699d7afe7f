"""adzeguard may."""

from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from adzeguard.cli.completing import names
from adzeguard.cli.csv_files import read_rows
from adzeguard.cli.desk import Desk
from adzeguard.cli.exits import Exit
from adzeguard.cli.options import example, listing_options, workspace_option
from adzeguard.cli.output import put_listing
from adzeguard.core.errors import AdzeguardError, UsageError

if TYPE_CHECKING:
    from adzeguard.core.estate.principal import Principal
    from adzeguard.core.rights.answers import Answer, Tokens
    from adzeguard.core.rights.delegations import Rights
    from adzeguard.core.rights.questions import Asked


@click.command("may", epilog=example("adzeguard may hedda.morrow password-help cato.lune"))
@click.argument("words", nargs=-1, metavar="[WHO] RIGHT OBJECT", shell_complete=names())
@click.option("--who", "everybody", is_flag=True, help="List everyone who can: RIGHT OBJECT.")
@click.option(
    "--batch",
    type=click.Path(path_type=Path, dir_okay=False),
    metavar="FILE",
    help="Answer each line of a CSV file with the columns who, right and object.",
)
@listing_options
@workspace_option
def command(
    words: tuple[str, ...], everybody: bool, batch: Path | None, form: str, output: Path | None, workspace: Path | None
) -> int:
    """Say whether somebody may do something to an object, and which entry decides.

    RIGHT is a duty, or a single right: read:ATTRIBUTE, write:ATTRIBUTE, create:CLASS, delete-child:CLASS,
    control:RIGHT, validated:WRITE, delete. Ends with 0 for yes and 3 for no.

    Keys of json and csv: who, right, object, allowed, because, entry, through; with --who: name, qualified_name, sid,
    kind, enabled.
    """
    desk = Desk(workspace)
    if batch is not None and not words and not everybody:
        return _batch(desk, batch, form, output)
    if batch is None and everybody and len(words) == 2:  # noqa: PLR2004 - right and object
        return _everybody(desk, *words, form, output)
    if batch is None and not everybody and len(words) == 3:  # noqa: PLR2004 - who, right and object
        return _one(desk, *words, form, output)
    raise UsageError("say WHO RIGHT OBJECT, --who RIGHT OBJECT, or --batch FILE", "See: adzeguard may --help")


def _target(desk: Desk, right: str, name: str) -> "tuple[Principal, Asked]":
    from adzeguard.core.estate.names import resolve
    from adzeguard.core.rights.questions import asked

    target = resolve(desk.estate, name)
    return target, asked(right, target, desk.rights.schema, desk.rights.duties)


def _answered(desk: Desk, tokens: "Tokens", who: "Principal", target: "Principal", right: "Asked") -> "Answer":
    from adzeguard.core.rights.answers import answer, asked_descriptor

    descriptor = asked_descriptor(desk.estate, target, right, desk.rights.schema)
    if descriptor is None:
        raise UsageError(f"the rights over {target.dn} were not collected")
    return answer(desk.estate, tokens, who, target, right, descriptor)


def _one(desk: Desk, who: str, right: str, name: str, form: str, output: Path | None) -> int:
    from adzeguard.core.estate.names import resolve
    from adzeguard.core.rights.answers import Tokens
    from adzeguard.report.listing import Column, Listing

    person = resolve(desk.estate, who)
    target, meant = _target(desk, right, name)
    found = _answered(desk, Tokens(desk.estate), person, target, meant)
    row = _row(desk.rights, person, target, meant, found)
    verb = "may" if found.allowed else "may not"
    below = f" (asked of a {meant.on_class} below it)" if meant.on_class else ""
    answer = "Yes" if found.allowed else "No"
    title = f"{answer}: {person.qualified_name} {verb} {right}, over {target.qualified_name}{below}"
    columns = (Column("because", "Because"), Column("through", "Through"))
    put_listing(Listing([row], columns, title), form, output)
    return Exit.NOTHING_TO_REPORT if found.allowed else Exit.TO_REPORT


def _row(rights: "Rights", who: "Principal", target: "Principal", right: "Asked", found: "Answer") -> dict[str, Any]:
    entry = found.decision.entry
    because = found.because
    if entry is not None and entry.sid is not None:
        holder = rights.holder(entry.sid).qualified_name
        verb = "is denied" if entry.denies else "is given"
        above = ", from above" if entry.inherited else ""
        because = f"{holder} {verb}: {rights.reader.in_words(entry)}{above}"
    return {
        "who": who.qualified_name,
        "right": right.words,
        "object": target.dn,
        "allowed": found.allowed,
        "because": because,
        "entry": entry.to_bytes().hex() if entry is not None else "",
        "through": list(found.through),
    }


def _everybody(desk: Desk, right: str, name: str, form: str, output: Path | None) -> int:
    import numpy as np

    from adzeguard.core.rights.answers import Everybody, Tokens, asked_descriptor
    from adzeguard.report.listing import Column, Listing

    target, meant = _target(desk, right, name)
    descriptor = asked_descriptor(desk.estate, target, meant, desk.rights.schema)
    if descriptor is None:
        raise UsageError(f"the rights over {target.dn} were not collected")
    allowed = Everybody(desk.estate, Tokens(desk.estate)).allowed(target, meant, descriptor)
    people = desk.estate.catalogue.principals(np.flatnonzero(allowed).tolist()).values()
    rows = [
        {"name": p.name, "qualified_name": p.qualified_name, "sid": p.sid, "kind": p.kind.label, "enabled": p.enabled}
        for p in sorted(people, key=lambda p: p.qualified_name.casefold())
    ]
    shown = [{**row, "_state": "" if row["enabled"] else "disabled"} for row in rows]
    columns = (Column("qualified_name", "Who"), Column("kind", "Kind"), Column("_state", "State"))
    title = f"May {right}, over {target.qualified_name}"
    put_listing(Listing(shown, columns, title, f"{len(rows)} can", "Nobody can."), form, output)
    return Exit.NOTHING_TO_REPORT


def _batch(desk: Desk, path: Path, form: str, output: Path | None) -> int:
    """Answer every line; one that cannot be understood says why, and the others are answered all the same."""
    from adzeguard.core.estate.names import resolve
    from adzeguard.core.rights.answers import Tokens
    from adzeguard.report.listing import Column, Listing

    tokens = Tokens(desk.estate)
    rows: list[dict[str, Any]] = []
    for _, line in read_rows(path, {"who", "right", "object"}, mebibytes=64):
        asked_for = {key: line[key] for key in ("who", "right", "object")}
        try:
            who = resolve(desk.estate, asked_for["who"])
            target, meant = _target(desk, asked_for["right"], asked_for["object"])
            found = _answered(desk, tokens, who, target, meant)
            rows.append(_row(desk.rights, who, target, meant, found) | asked_for)
        except AdzeguardError as error:
            rows.append(
                {**asked_for, "allowed": None, "because": error.message.splitlines()[0], "entry": "", "through": []}
            )
    columns = (
        Column("who", "Who"), Column("right", "Right"), Column("object", "Object"), Column("allowed", "Allowed"),
        Column("because", "Because", ratio=1),
    )  # fmt: skip
    counted = sum(row["allowed"] is True for row in rows)
    unclear = sum(row["allowed"] is None for row in rows)
    note = f"{counted} yes, {len(rows) - counted - unclear} no, {unclear} not understood"
    put_listing(Listing(rows, columns, "", note, "The file has no lines."), form, output)
    return Exit.DONE_IN_PART if unclear else Exit.NOTHING_TO_REPORT
