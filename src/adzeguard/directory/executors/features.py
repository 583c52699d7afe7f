"""What a directory can do, switched on."""

from adzeguard.core.change.kinds.switch_on_ending_links import SwitchOnEndingLinks
from adzeguard.core.change.outcome import Intent, Outcome, Status
from adzeguard.directory.executors.ending_members import NO_ENDS
from adzeguard.directory.executors.same_entry import OTHERWISE
from adzeguard.directory.port import DirectoryDriver, EndsLinks


def switch_on_ending_links(directory: DirectoryDriver, change: SwitchOnEndingLinks, intent: Intent) -> Outcome:
    """Let the directory keep ends of links from now on. The domain that was typed must be the one behind it."""
    if not isinstance(directory, EndsLinks):
        return Outcome(change, Status.UNSUPPORTED, NO_ENDS)
    domain = directory.facts().domain.dns_name
    if domain.casefold() != change.domain.casefold():
        return Outcome(change, Status.CONFLICT, f"the directory is that of {domain}")
    before = directory.link_ends()
    if not before.known:
        return Outcome(change, Status.UNSUPPORTED, NO_ENDS)
    if before.on:
        return Outcome(change, Status.CONFLICT, "it is on already", already=True)
    intent(change)
    directory.switch_on_link_ends()
    return Outcome(change, Status.VERIFIED) if directory.link_ends().on else Outcome(change, Status.DIFFERS, OTHERWISE)
