"""Writes docs/commands.md, docs/json.md and docs/settings.md from the program itself; --check only compares."""

import sys
from pathlib import Path

import click

from adzeguard.cli.exits import Exit
from adzeguard.cli.forms import FORMS, OUTCOME
from adzeguard.cli.main import COMMANDS, commands
from adzeguard.core.views.dictionary import KEYS
from adzeguard.settings.drivers import GROUPS, all_drivers
from adzeguard.settings.keys import KEYS as KEYS_OF_TOML

FOLDER = Path(__file__).parent
_EXITS = {
    Exit.NOTHING_TO_REPORT: "nothing to report, or everything was done",
    Exit.FAILED: "failed: a file, the directory, the store or a guard stood against it",
    Exit.WRONG_USE: "wrong use: an option, or a name that is none or two",
    Exit.TO_REPORT: "there are findings, or changes to make",
    Exit.DONE_IN_PART: "done in part: some hosts or changes are left",
}


def page() -> str:
    """Return the whole page."""
    parts = [
        "# Commands\n\nMade from the program by `make docs`; a test holds it current.\n",
        "## Exit codes\n\n| code | meaning |\n| --- | --- |",
        "\n".join(f"| {code.value} | {_EXITS[code]} |" for code in Exit) + "\n",
    ]
    top = click.Context(commands, info_name="adzeguard", max_content_width=100, terminal_width=100)
    parts.append(_section(commands, top))
    for name in COMMANDS:
        command = commands.get_command(top, name)
        if command is not None:
            parts += _with_subcommands(command, click.Context(command, parent=top, info_name=name, terminal_width=100))
    return "\n".join(parts)


def _with_subcommands(command: click.Command, context: click.Context) -> list[str]:
    found = [_section(command, context)]
    if isinstance(command, click.Group):
        for name in command.list_commands(context):
            inner = command.get_command(context, name)
            if inner is not None:
                found += _with_subcommands(
                    inner, click.Context(inner, parent=context, info_name=name, terminal_width=100)
                )
    return found


def _section(command: click.Command, context: click.Context) -> str:
    return f"## {context.command_path}\n\n```text\n{command.get_help(context)}\n```\n"


def json_page() -> str:
    """Return the dictionary of JSON keys, and which keys each command prints."""
    parts = [
        """# JSON and CSV

Made from the program by `make docs`; tests hold it current and true.

`--format json` prints all keys of a command, `jsonl` one object a line, `csv` the same as a table. In all of them:

- One key means one thing, in every command.
- A principal is `NAME`, with its SID beside it as `NAME_sid`.
- A way is a list of names under `path`, from the group down to the one who gets in.
- What is absent is null, in CSV an empty cell. Truth is `true` or `false`, in CSV `yes` or `no`.
- Moments end in `_at`. They are ISO 8601, in UTC.
- `adzeguard schema COMMAND` prints a JSON Schema with the number of the form. The number grows when a key goes away or
  means something else; a new key leaves it as it is.

Proposals (`propose`) and the exported journal (`journal export`) are files with forms of their own.
""",
        "## Dictionary\n\n| key | holds | meaning |\n| --- | --- | --- |",
        "\n".join(
            f"| `{key}` | {one.sort} | {one.words.replace('|', chr(92) + '|')} |" for key, one in sorted(KEYS.items())
        ),
        "",
        "## Commands\n\n| command | form | prints | keys |\n| --- | --- | --- | --- |",
    ]
    outcomes = [path for path, form in FORMS.items() if form is OUTCOME]
    for path, form in FORMS.items():
        if form is not OUTCOME:
            parts.append(_form_row(f"`{path}`", form.number, form.rows, form.names))
            parts += [_form_row(f"`{path}` with {when}", form.number, o.rows, o.names) for when, o in form.also]
    parts.append(_form_row("each command that changes something", OUTCOME.number, OUTCOME.rows, OUTCOME.names))
    return "\n".join(
        [*parts, "", f"Commands that change something: {', '.join(f'`{path}`' for path in outcomes)}.", ""]
    )


def _form_row(command: str, number: int, rows: bool, names: list[str]) -> str:
    return f"| {command} | {number} | {'rows' if rows else 'an object'} | {' '.join(f'`{name}`' for name in names)} |"


def settings_page() -> str:
    """Return every key of adzeguard.toml, those of the drivers included."""
    parts = [
        """# Settings

Made from the program by `make docs`; tests hold it current and true. `adzeguard settings` lists the keys of a workspace
with their values, `adzeguard settings check` tries its connections.

`adzeguard.toml` is TOML. Paths are relative to the workspace. Passwords never stand in it: see
[accounts and passwords](guide/accounts.md).
""",
        "## Tables of ours\n\n| table | key | meaning | default |\n| --- | --- | --- | --- |",
    ]
    parts += [
        f"| `[{key.table}]` | `{key.name}` | {key.words} | {f'`{key.usual}`' if key.usual else ''} |"
        for key in KEYS_OF_TOML
    ]
    parts.append(
        "\n## Tables of drivers\n\n`kind` names the driver. Tables of hosts have the keys of `[hosts]` above too.\n"
    )
    parts.append("| table | kind | key | meaning |\n| --- | --- | --- | --- |")
    for heading in GROUPS:
        for name, kind in all_drivers(heading):
            keys = () if isinstance(kind, str) else kind.settings
            table = f"`[{heading}]`" if heading == "directory" else f"`[{heading}.NAME]`"
            parts += [
                f"| {table} | `{name}` | `{one.key}`{' (needed)' if one.needed else ''} | {one.words.rstrip('.')} |"
                for one in keys
            ]
    return "\n".join([*parts, ""])


PAGES = {"commands.md": page, "json.md": json_page, "settings.md": settings_page}


def main() -> None:
    """Write the pages, or end with 1 when one is not current."""
    for name, made in PAGES.items():
        if "--check" not in sys.argv:
            (FOLDER / name).write_text(made(), encoding="utf-8")
        elif not (FOLDER / name).is_file() or (FOLDER / name).read_text(encoding="utf-8") != made():
            sys.exit(f"docs/{name} is not current: make docs")


if __name__ == "__main__":
    main()
