"""Writes docs/commands.md from the program itself; --check only compares."""

import sys
from pathlib import Path

import click

from adzeguard.cli.exits import Exit
from adzeguard.cli.main import COMMANDS, commands

PAGE = Path(__file__).with_name("commands.md")
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


def main() -> None:
    """Write the page, or end with 1 when it is not current."""
    if "--check" in sys.argv:
        sys.exit(0 if PAGE.read_text(encoding="utf-8") == page() else "docs/commands.md is not current: make docs")
    PAGE.write_text(page(), encoding="utf-8")


if __name__ == "__main__":
    main()
