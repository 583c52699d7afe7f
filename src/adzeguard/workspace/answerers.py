"""Who may decide on what deviates, and who hears of it: one gate for answers and for waivers."""

from typing import TYPE_CHECKING

from adzeguard.core.errors import UsageError
from adzeguard.core.values import dataclass
from adzeguard.core.views.lint import Mistake, mistake_at
from adzeguard.store.letters import keep_letters
from adzeguard.workflows.operators import names_of

if TYPE_CHECKING:
    from adzeguard.workspace.open_workspace import Workspace


@dataclass(frozen=True, slots=True)
class Deciding:
    """What somebody decides on: its name here, whom it is about, and its owner, empty where a rule names none."""

    name: str
    owner: str
    subject: str
    member: str
    sids: frozenset[str]
    """The SIDs of the subject and of the member."""


def ensure_may_decide(workspace: "Workspace", about: Deciding) -> None:
    """Return quietly where the operator may; `UsageError` where it is their own account, or somebody else's to say."""
    settings, operator = workspace.settings.questions, workspace.operator()
    account, users = workspace.operator_account, names_of(operator)
    is_own = account is not None and account.sid in about.sids
    if not settings.own and (is_own or _folded(about.member or about.subject) in users):
        raise UsageError(
            f"{about.name} is about your own account, {about.member or about.subject}", "Let somebody else answer it"
        )
    owners = [one for one in (about.owner, settings.owner) if one]
    may = [*owners, *settings.answerers]
    if may and not users & {_folded(one) for one in may}:
        raise UsageError(
            f"{about.name} is for {' or '.join(owners) or ', '.join(settings.answerers)} to decide on, and you are"
            f" {operator}",
            f'Let them answer it, or name {min(users)} in adzeguard.toml: [questions] answerers = ["{min(users)}"]',
        )


def tell_owner(workspace: "Workspace", about: Deciding, what: str, why: str) -> None:
    """Keep a letter that tells the owner what was decided, unless it was decided by them; a round sends it."""
    by, owner = workspace.operator(), about.owner or workspace.settings.questions.owner
    if not owner or _folded(owner) in names_of(by):
        return
    subject = f"{about.member} in {about.subject}" if about.member else about.subject
    body = {
        "subject": f"{by} decided on {about.name}: {subject}",
        "text": f"{subject}: {what} by {by}.\n\nWhy: {why}\n\nSee: adzeguard questions waivers, or adzeguard journal",
        "by": by,
        "why": why,
    }
    with workspace.tellers() as tellers:
        letters = [(name, "decision", owner, body) for name, one in tellers.items() if one.takes("decision", owner)]
    if letters:
        with workspace.database.writing() as connection:
            keep_letters(connection, letters, workspace.now())


def owners_nobody_mails(workspace: "Workspace") -> list[Mistake]:
    """Return the rules whose owner is no plain address, where mail is how people are told: nobody would hear."""
    if not any(one.given.get("kind") == "mail" for one in workspace.settings.tell):
        return []
    from adzeguard.tellers.mail import is_address

    instead = workspace.settings.questions.owner or "nobody: set [questions] owner"
    return [
        mistake_at(
            rule.place.at("owner"),
            rule.id,
            "owner-without-mail",
            f"its owner '{rule.owner}' is no mail address; told instead is {instead}",
        )
        for rule in workspace.written_charter.rules
        if rule.owner and not is_address(rule.owner)
    ]


def _folded(name: str) -> str:
    r"""Return the part of a name that people work under: of `mira@lowmere.example` and `LOWMERE\mira`, `mira`."""
    return name.partition("@")[0].rpartition("\\")[2].casefold()
