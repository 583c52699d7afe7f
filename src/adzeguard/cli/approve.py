"""adzeguard approve."""

import sys
from pathlib import Path
from typing import TYPE_CHECKING

import click

from adzeguard.cli.exits import Exit
from adzeguard.cli.headed import HeadedCommand
from adzeguard.cli.opening import opened
from adzeguard.cli.options import example, listing_options, workspace_option
from adzeguard.cli.output import put_view, say
from adzeguard.core.errors import DeclinedError, UsageError

if TYPE_CHECKING:
    from adzeguard.core.change.proposal import Proposal


@click.command("approve", cls=HeadedCommand, epilog=example("adzeguard approve monday.json --key ~/.ssh/id_ed25519"))
@click.argument("proposal_file", required=False, type=click.Path(path_type=Path), metavar="[PROPOSAL]")
@click.option("--key", type=click.Path(path_type=Path), metavar="FILE", help="Your private SSH key, to sign with.")
@click.option(
    "--signature",
    "made",
    type=click.Path(path_type=Path, dir_okay=False),
    metavar="FILE",
    help="A signature made by ssh-keygen -Y sign -n adzeguard-proposal, as with an agent.",
)
@click.option("--yes", is_flag=True, help="Do not ask. Needed where there is no terminal.")
@listing_options
@workspace_option
def command(
    proposal_file: Path | None,
    key: Path | None,
    made: Path | None,
    yes: bool,
    form: str,
    output: Path | None,
    folder: Path | None,
) -> int:
    """Approve another person's proposal with a signature; without PROPOSAL, list those that lie in the workspace.

    Shows the proposal first. The signature over its bytes is written beside it, as PROPOSAL.approved. To enact the
    proposal it is needed where adzeguard.toml asks for a second pair of eyes. It counts for these bytes alone, and not
    for those who proposed or enact them.
    """
    from adzeguard.core.views.changes import proposal_page
    from adzeguard.private_files import write_result
    from adzeguard.workflows.approval_files import SUFFIX
    from adzeguard.workflows.propose import believed
    from adzeguard.workspace.approval_needs import approving
    from adzeguard.workspace.proposal_files import bytes_of, proposal_in
    from adzeguard.workspace.waiting_proposals import waiting_proposals

    if proposal_file is None:
        if key is not None or made is not None:
            raise UsageError("say which proposal", "adzeguard approve PROPOSAL --key FILE; see: adzeguard approve")
        put_view(waiting_proposals(opened(folder)), form, output)
        return Exit.NOTHING_TO_REPORT
    if (key is None) == (made is None):
        raise UsageError("say with what: --key FILE, or --signature FILE", "Such as --key ~/.ssh/id_ed25519")
    workspace = opened(folder)
    whose = approving(workspace.settings.approval, workspace.now())
    content = bytes_of(proposal_file)
    proposal = believed(workspace.privilege, proposal_in(content, proposal_file))
    put_view(proposal_page(proposal), "table")
    if not yes:
        _ask(proposal)
    text = _signed(content, key) if key is not None else bytes_of(made or proposal_file).decode("ascii", "replace")
    approval = whose.checked(content, proposal, text, operator=proposal.made_by)
    beside = proposal_file.with_name(proposal_file.name + SUFFIX)
    try:
        write_result(beside, text.encode("ascii", "replace"))
    except OSError as error:
        raise UsageError(f"{beside} cannot be written: {error.strerror}") from error
    say(f"{approval.by} has approved it: {beside}")
    return Exit.NOTHING_TO_REPORT


def _ask(proposal: "Proposal") -> None:
    if not sys.stdin.isatty():
        raise UsageError("nothing was signed: it waits for a yes, and there is no terminal to ask on", "Give --yes")
    count = len(proposal.changes)
    question = f"Approve {'this change' if count == 1 else f'these {count} changes'} by {proposal.made_by}?"
    if not click.confirm(question, default=False):
        raise DeclinedError("nothing was signed")


def _signed(content: bytes, key: Path) -> str:
    from adzeguard.signing.private_keys import read_private_key
    from adzeguard.signing.ssh_signature import sign

    def passphrase() -> str:
        return str(click.prompt(f"Passphrase of {key}", hide_input=True, err=True))

    return sign(content, read_private_key(key.expanduser(), passphrase if sys.stdin.isatty() else None))
