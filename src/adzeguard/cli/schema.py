"""adzeguard schema."""

from pathlib import Path

import click

from adzeguard.cli.exits import Exit
from adzeguard.cli.forms import FORMS, form_of, schema_of
from adzeguard.cli.headed import HeadedCommand
from adzeguard.cli.options import example, output_option
from adzeguard.cli.output import put, put_json
from adzeguard.core.errors import UsageError
from adzeguard.core.wording import nearest


@click.command("schema", cls=HeadedCommand, epilog=example("adzeguard schema who"))
@click.argument("words", nargs=-1, metavar="[COMMAND]...")
@output_option
def command(words: tuple[str, ...], output: Path | None) -> int:
    """Print the JSON Schema of what COMMAND prints with --format json; without it, list the commands that have one.

    The number under form grows when a key is removed or changes its meaning. A key means the same in every command, an
    absent value is null, and moments are ISO 8601 in UTC. For the charter, use adzeguard charter schema.
    """
    if not words:
        put("".join(f"{path}\n" for path in FORMS), output)
        return Exit.NOTHING_TO_REPORT
    path = " ".join(words)
    # A family called alone is one of its commands: `hosts` is `hosts list`, `round` is `round once`.
    path = next((one for one in (path, f"{path} list", f"{path} once") if form_of(one) is not None), path)
    form = form_of(path)
    if form is None:
        near = nearest(" ".join(words), FORMS, 0.5)
        raise UsageError(
            f"'{' '.join(words)}' prints nothing for programs",
            f"Did you mean {near}?" if near else "See: adzeguard schema",
        )
    put_json(schema_of(path, form), output)
    return Exit.NOTHING_TO_REPORT
