"""adzeguard settings completion."""

import click

from adzeguard.cli.exits import Exit
from adzeguard.cli.headed import HeadedCommand
from adzeguard.cli.options import example


@click.command("completion", cls=HeadedCommand, epilog=example("adzeguard settings completion bash"))
@click.argument("shell", type=click.Choice(["bash", "zsh", "fish"]))
def command(shell: str) -> int:
    """Print what a shell needs to complete commands, options and names.

    For bash: eval "$(adzeguard settings completion bash)" in ~/.bashrc. For zsh: the same with zsh, in ~/.zshrc. Fish:
    adzeguard settings completion fish > ~/.config/fish/completions/adzeguard.fish
    """
    from click.shell_completion import get_completion_class

    from adzeguard.cli.main import commands

    kind = get_completion_class(shell)
    if kind is None:
        raise click.UsageError(f"there is no completion for {shell}")
    click.echo(kind(commands, {}, "adzeguard", "_ADZEGUARD_COMPLETE").source(), nl=False)
    return Exit.NOTHING_TO_REPORT
