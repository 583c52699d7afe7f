"""Rules that are written into the charter, altered and taken out of it by a command: shown first, then written."""

from collections import Counter
from collections.abc import Sequence
from datetime import date
from difflib import unified_diff
from pathlib import Path
from typing import TYPE_CHECKING, Any

from adzeguard.core.adopting.allowance import Allowing, allowance
from adzeguard.core.adopting.charter_names import charter_name, charter_name_on_host
from adzeguard.core.adopting.document import grant_rules
from adzeguard.core.adopting.rule_ids import rule_id
from adzeguard.core.charter.amendment import Amendment, words_of
from adzeguard.core.charter.references import LOCAL_PREFIX
from adzeguard.core.checks.finding import Finding
from adzeguard.core.errors import AmbiguousNameError, CharterError, InputError, UsageError
from adzeguard.core.estate.names import is_qualified, on_host, resolve, resolve_host
from adzeguard.core.identity import Sid, looks_like_sid
from adzeguard.core.values import dataclass
from adzeguard.core.wellknown import LOCAL_ACCOUNT_RIDS, LOCAL_GROUPS
from adzeguard.private_files import write_whole
from adzeguard.settings.charter_text import amended_text
from adzeguard.settings.charter_versions import with_file
from adzeguard.settings.charter_yaml import charter_files, document_of, load_charter
from adzeguard.settings.trust import ensure_ours
from adzeguard.workspace.charter_difference import CharterDifference, charter_difference
from adzeguard.workspace.deviations import finding_called, refuse_unknown_rules
from adzeguard.workspace.places import container_called

if TYPE_CHECKING:
    from adzeguard.workspace.open_workspace import Workspace

_NEW_FILE = "added.yaml"
_UNDOCUMENTED = "undocumented-grant"


@dataclass(frozen=True, slots=True)
class Amended:
    """One charter file before and after, and what follows."""

    path: Path
    shown: str
    before: str
    after: str
    rule: str
    difference: CharterDifference

    @property
    def lines(self) -> list[str]:
        """What changes in the file, line by line."""
        was, becomes = (text.splitlines() for text in (self.before, self.after))
        return list(unified_diff(was, becomes, self.shown, self.shown, n=2, lineterm=""))


def amended(workspace: "Workspace", amendment: Amendment, file: str = "") -> Amended:
    """Return what an amendment comes to; nothing is written. `UsageError` if the rule could then not be followed."""
    folder = workspace.settings.charter_folder
    path = folder / (file or _file_of(workspace, amendment))
    if path.suffix not in (".yaml", ".yml") or path.parent != folder:
        raise UsageError(f"'{file}' is no file of the charter", "Name it like hosts.yaml, without a folder")
    ensure_ours(path if path.exists() else folder)
    before, shown = _text(path), f"{folder.name}/{path.name}"
    ends_like = "\r\n" if "\r\n" in before else "\n"
    after = amended_text(before.replace("\r\n", "\n"), shown, amendment).replace("\n", ends_like)
    with with_file(folder, path.name, after.encode()) as version:
        new = load_charter(version)
    known = {(problem.rule.id, problem.name) for problem in workspace.charter.problems}
    problems = [one for one in workspace.resolved(new).problems if (one.rule.id, one.name) not in known]
    if problems:
        raise CharterError([f"{one.where}: rule {one.rule.id}: {one.message}" for one in problems])
    return Amended(
        path, shown, before, after, amendment.rule, charter_difference(workspace, workspace.written_charter, new)
    )


def write_amended(workspace: "Workspace", one: Amended) -> None:
    """Write it, unless the file says something else by now."""
    with workspace.held("charter"):
        target = one.path.resolve()
        if _text(target) != one.before:
            raise UsageError(f"{one.shown} was changed meanwhile", "Nothing was written; try again")
        mode = target.stat().st_mode & 0o777 if target.exists() else 0o600
        try:
            write_whole(target, one.after.encode())
            target.chmod(mode)
        except OSError as error:
            raise UsageError(f"{one.shown} cannot be written: {error.strerror}", "Nothing was changed") from error


def new_rule(workspace: "Workspace", words: dict[str, Any]) -> Amendment:
    """Return the amendment for a new rule; it gets an id if it has none, and its names are completed."""
    charter = workspace.written_charter
    about = words.get("group") or words.get("local-group", "")
    places = words.get("hosts", {})
    whole = {key: value for key, value in words.items() if value not in (None, "", {})}
    if "id" not in whole:
        taken = Counter(rule.id for rule in charter.rules)
        first = next((name.partition(",")[0].partition("=")[2] for name in places.get("under", ())), "")
        whole = {"id": rule_id(taken, *places.get("named", ()), first, about.rpartition("\\")[2]), **whole}
    elif any(rule.id == whole["id"] for rule in charter.rules):
        raise UsageError(f"the charter has a rule '{whole['id']}' already", "Give another --id, or change that rule")
    return Amendment(whole["id"], None, whole)


def removed_rule(workspace: "Workspace", rule: str) -> Amendment:
    """Return the amendment that takes a rule out; `UsageError` for one that the charter does not have."""
    refuse_unknown_rules(workspace, (rule,))
    return Amendment(rule, words_of(next(one for one in workspace.written_charter.rules if one.id == rule)), None)


def allowed(
    workspace: "Workspace", name: str, why: str = "", until: date | None = None, *, everywhere: bool = False
) -> Amendment:
    """Return the amendment that allows a finding, which is named by its fingerprint or by the question about it."""
    finding = finding_called(workspace, name)
    if finding.check == _UNDOCUMENTED:
        return _documented(workspace, finding, why)
    allowing = Allowing(finding, _called_in_charter(workspace, finding), why, until, everywhere)
    return allowance(workspace.written_charter, allowing)


def _documented(workspace: "Workspace", finding: Finding, why: str) -> Amendment:
    """Return the rule that says a grant which stands; `UsageError` for one that fits no duty."""
    told = finding.evidence
    found = [
        one
        for one in workspace.rights.own_grants()
        if (str(one.grant.who), one.over.dn) == (told["holder_sid"], finding.subject.dn)
        and [entry.to_bytes().hex() for entry in one.grant.entries] == told["entries"]
    ]
    taken = Counter(rule.id for rule in workspace.written_charter.rules)
    text = grant_rules(workspace.rights, found, taken, _in_quotes(why or "As it stood."))
    rules = (document_of(f"rules:\n{text}", "the rule").tree or {}).get("rules")
    if not rules:
        raise UsageError(
            f"no rule says this grant: {text.strip().lstrip('# ')}", "Describe a duty of your own, or withdraw it"
        )
    return Amendment(rules[0]["id"], None, rules[0])


def _in_quotes(text: str) -> str:
    return "'" + " ".join(text.split()).replace("'", "''") + "'"


def completed_principals(workspace: "Workspace", names: Sequence[str], *, on_hosts: bool) -> list[str]:
    """Return names as a charter needs them: with their domain. One that could be local too must say which is meant."""
    return [_completed(workspace, name, on_hosts=on_hosts) for name in names]


def completed_group(workspace: "Workspace", name: str, *, on_hosts: bool) -> str:
    """Return the name of a group as a charter needs it."""
    if not on_hosts:
        return _completed(workspace, name, on_hosts=False)
    plain = name.casefold().replace(" ", "-")
    return plain if plain in LOCAL_GROUPS or plain.startswith(LOCAL_PREFIX) else LOCAL_PREFIX + name


def completed_scope(
    workspace: "Workspace", hosts: Sequence[str], under: Sequence[str], *, everywhere: bool
) -> dict[str, Any]:
    """Return the scope of a rule about hosts, its names looked up."""
    base = f",{workspace.estate.domain.base_dn}".casefold() if under else ""
    found = [container_called(workspace, name).dn for name in under]
    short = [dn[: -len(base)] if dn.casefold().endswith(base) else dn for dn in found]
    scope: dict[str, Any] = {"everywhere": True} if everywhere else {}
    scope |= {"under": short} if short else {}
    return scope | ({"named": [resolve_host(workspace.estate, name).name for name in hosts]} if hosts else {})


def _completed(workspace: "Workspace", name: str, *, on_hosts: bool) -> str:
    if name.casefold().startswith(LOCAL_PREFIX) or looks_like_sid(name):
        return name
    if on_hosts and not is_qualified(name) and name.casefold() in LOCAL_ACCOUNT_RIDS:
        raise AmbiguousNameError(
            f"'{name}' can be an account of the directory or of each host",
            rf"Write {LOCAL_PREFIX}{name}, or {workspace.estate.domain.short_name}\{name}",
        )
    try:
        return charter_name(workspace.estate, resolve(workspace.estate, name))
    except AmbiguousNameError as error:
        way_out = rf"Write {workspace.estate.domain.short_name}\name for the directory's"
        raise AmbiguousNameError(
            error.message, f"{way_out}, or {LOCAL_PREFIX}name for that of a host" if on_hosts else way_out
        ) from error
    except InputError as error:
        raise UsageError(error.message, error.way_out) from error


def _called_in_charter(workspace: "Workspace", finding: Finding) -> str:
    """Return how the charter calls the member of a finding."""
    if finding.member is None:
        return ""
    member = finding.member
    host = workspace.estate.host_named(finding.host.name) if finding.host is not None else None
    if host is not None and host.state is not None and looks_like_sid(member.sid):
        sid = Sid.parse(member.sid)
        principal = on_host(workspace.estate, host.state, host.name, [sid])[sid]
        return charter_name_on_host(workspace.estate, host.state, sid, principal)
    return charter_name(workspace.estate, resolve(workspace.estate, member.sid or member.dn or member.name))


def _file_of(workspace: "Workspace", amendment: Amendment) -> str:
    if amendment.before is not None:
        rule = next(one for one in workspace.written_charter.rules if one.id == amendment.rule)
        return Path(rule.place.file).name
    files = charter_files(workspace.settings.charter_folder)
    return files[0].name if len(files) == 1 else _NEW_FILE


def _text(path: Path) -> str:
    try:
        return path.read_bytes().decode("utf-8") if path.exists() else ""
    except (OSError, UnicodeDecodeError) as error:
        raise UsageError(f"{path} cannot be read: {error}", "Look at: adzeguard charter lint") from error
