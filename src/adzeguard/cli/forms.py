"""The form of what each command prints for programs: its keys, in their order, and a number that grows if they change.

The help of a command and `adzeguard schema` are made from this; what the keys mean is in the dictionary.
"""

from collections.abc import Mapping
from typing import Any, Final

from adzeguard.core.values import dataclass
from adzeguard.core.views.dictionary import KEYS, Meaning

_TYPES: Final[Mapping[str, Mapping[str, Any]]] = {
    "text": {"type": ["string", "null"]},
    "moment": {"type": ["string", "null"], "format": "date-time"},
    "truth": {"type": ["boolean", "null"]},
    "count": {"type": ["integer", "null"]},
    "list": {"type": ["array", "null"], "items": {"type": ["string", "object"]}},
    "objects": {"type": ["array", "null"], "items": {"type": "object"}},
    "map": {"type": ["object", "null"]},
}


@dataclass(frozen=True, slots=True)
class Form:
    """Rows, or one object. `partly`: keys that do not apply are left out. `also` are the forms with certain options."""

    keys: str
    rows: bool = True
    partly: bool = False
    number: int = 1
    also: tuple[tuple[str, "Form"], ...] = ()

    @property
    def names(self) -> list[str]:
        """The keys in their order."""
        return self.keys.split()


_PRINCIPAL = "name qualified_name sid kind enabled"
OUTCOME: Final = Form("id status target kind group group_sid member member_sid object object_sid rule detail")
"""What became of each change, of every command that changes something."""
_STEPS = Form("step works said")
_QUESTION = (
    "id rule subject subject_sid member member_sid message owner asked_at fingerprint host since again state "
    "answered_by answered_at why"
)
_WRITTEN = Form("id owner items file")
_GRANTS = "holder holder_sid holder_kind may duty over over_sid extent documented sentence origin"

FORMS: Final[Mapping[str, Form]] = {
    "status": Form(
        "collected_at source checked_at check_is_outdated findings_by_severity findings_by_check mendable hosts "
        "hosts_unread hosts_pending pending_since_at questions_asked_at not_followed odd_rows letters_kept leases_over "
        "round_at interrupted enactments compared_since_at privileged next_steps",
        rows=False,
    ),
    "settings list": Form("table key value default origin words"),
    "settings check": _STEPS,
    "find": Form(f"{_PRINCIPAL} dn"),
    "show": Form(
        "name qualified_name written kind sid dn enabled group_scope created_at last_logon_at password_set_at "
        "expires_at named_at title user_principal_name display_name description mail department manager managed_by "
        "dns_host_name operating_system workstations logon_hours signs_in version folder policy_options member_of "
        "primary_group effectively_member_of members effective_members source trouble capabilities lacks local_groups "
        "logon notice elevations ran_elevated facts password_policy rules holds protected granted handed_down "
        "handed_down_by_the_domain policy_links",
        rows=False,
        partly=True,
    ),
    "who": Form(
        f"{_PRINCIPAL} direct how path",
        also=(
            ("--hosts", Form(f"{_PRINCIPAL} hosts")),
            (
                "--groups",
                Form("name qualified_name sid kind scope member_count effective_member_count foreign_group_count"),
            ),
        ),
    ),
    "why": Form("person person_sid target target_sid leads_there path chain", rows=False),
    "doors": Form(
        "through door people hosts",
        also=(("a person, a host or --all", Form("person person_sid host door through path after needs")),),
    ),
    "hosts list": Form("name source capabilities read_at trouble"),
    "hosts pending": Form("host change rule since_at tries reason"),
    "hosts test": _STEPS,
    "hosts drivers": Form("driver key needed words"),
    "hosts standin logon": Form("host person person_sid by allowed because notice", rows=False),
    "hosts standin run": Form("host person person_sid program allowed elevated because", rows=False),
    "charter lint": Form("file line rule check message hosts"),
    "charter where": Form("host rule decides standing deviations put_in met"),
    "charter effect": Form("change rule about says decides"),
    "charter diff": Form("rules changes findings hosts impact refusals sizes", rows=False),
    "check": Form(
        "severity check subject subject_sid member member_sid message rule owner response fingerprint evidence advice "
        "next",
        also=(
            ("--list", Form("id severity title enabled finding_count")),
            ("--explain", Form("id title matters mend severity enabled evidence_keys finding_count", rows=False)),
        ),
    ),
    **dict.fromkeys(("enact", "undo", "move", "hosts admit", "lease start", "lease extend", "lease end"), OUTCOME),
    "questions answer": OUTCOME,
    **{f"group {verb}": OUTCOME for verb in ("add", "remove", "join", "leave", "copy-memberships")},
    **{f"group {verb}": OUTCOME for verb in ("create", "set", "delete")},
    **{f"account {verb}": OUTCOME for verb in ("disable", "enable", "expire")},
    **{f"ou {verb}": OUTCOME for verb in ("create", "delete", "protect", "unprotect", "intake set", "intake reset")},
    **{f"retire {verb}": OUTCOME for verb in ("away", "restore", "finish", "tidy")},
    **{f"grant {verb}": OUTCOME for verb in ("give", "deny", "withdraw")},
    "group leftovers": Form("name qualified_name sid peers"),
    "ou list": Form("name dn users groups computers protected grants policies"),
    "ou intake show": Form("what container is_default objects"),
    "stale": Form(
        "kind count sorts oldest since_at",
        also=(
            ("a kind", Form("name dn sid kind why since_at uses")),
            ("a kind and --with-uses", Form("name dn sid kind why since_at uses named_by")),
        ),
    ),
    "uses": Form("what where detail", also=(("--orphans", Form("sid seen what where detail")),)),
    "retire list": Form(
        "name dn from since_at until_at by why",
        also=(("--deleted", Form("name kind sid from deleted_at same_sid remembered_by")),),
    ),
    "review start": _WRITTEN,
    "review write": _WRITTEN,
    "review read": Form("id answers waiting items take_out"),
    "review list": Form("id owner made_at until_at items answered take_out overdue"),
    "grant list": Form(_GRANTS),
    "grant duties": Form("duty lets rights"),
    "trusts list": Form(
        "name partner_sid direction kind transitive filtered selective created_at changed_at password_set_at"
    ),
    "trusts show": Form(
        "name partner_sid direction kind transitive filtered selective created_at changed_at password_set_at account "
        "members_here rights_here",
        rows=False,
    ),
    "may": Form("who right object allowed because entry path", also=(("--who", Form(_PRINCIPAL)),)),
    "reach": Form(
        f"{_PRINCIPAL} is_member steps path sentence",
        also=(("--cut", Form("kind what holder holder_sid over over_sid")),),
    ),
    "lease list": Form(
        "id member member_sid group group_sid host until_at left_seconds by why state late_seconds extended by_itself "
        "contract"
    ),
    "lease support": Form("known enabled level needed_level", rows=False),
    "shift list": Form(
        "id member member_sid group group_sid host rule begins ends zone by why ended_at unusable coming"
    ),
    "questions list": Form(_QUESTION),
    "questions show": Form(f"{_QUESTION} says", rows=False),
    "questions waivers list": Form("id subject member rule until_at by why renewed fingerprint state"),
    "round once": Form(
        "collected events leases_ended leases_left leases_begun mended asked settled told untold not_followed not_made "
        "refusals",
        rows=False,
    ),
    "history": Form(
        "happened_at verb group group_sid member member_sid via by by_sid from source declared still",
        also=(("--drawn", Form("group group_sid since_at until_at members decided gaps", rows=False)),),
    ),
    "logons": Form(
        "account account_sid last_used_at last_host last_claimed last_way last_from directory_says_at logons refused "
        "refused_from",
        also=(
            ("an account", Form("happened_at outcome host claimed way from")),
            ("a host", Form("account account_sid is_privileged happened_at way told_by")),
        ),
    ),
    "compare": Form("about subject subject_sid change member member_sid kind direct detail"),
    "trail import": Form("read events already_known set_aside reasons passed_over", rows=False),
    "trail aside": Form("source reason text"),
    "trail support": Form("events_by_verb gaps missing", rows=False),
    "journal verify": Form("count broken seals", rows=False),
    "approve": Form("file made_by made_at changes_count needs_approval approved_by"),
    "journal": Form("seq made_at by kind enactment what body hash format"),
    "report": Form(
        "group group_sid member member_sid kind enabled through last_used_at password_set_at",
        also=(
            ("ways", Form("group group_sid name sid over_hosts proof people sentence close closed_for")),
            ("hosts", Form("host place member member_sid kind unknown")),
            ("delegation", Form(_GRANTS)),
            ("changes", Form("made_at by enactment change on what rule why outcome detail approval")),
            ("stale", Form("what name dn sid kind why since_at")),
            ("charter", Form("rule demand why owner response until in_force")),
        ),
    ),
}


def form_of(path: str) -> Form | None:
    """Return the form of a command, such as "group add"; None if it prints nothing for programs."""
    return FORMS.get(path)


def keys_in_words(form: Form) -> str:
    """Return the paragraph of a help."""
    others = "".join(f"; with {when}: {', '.join(other.names)}" for when, other in form.also)
    kind = "json and csv" if form.rows else "json"
    return f"Keys of {kind}: {', '.join(form.names)}{others}."


def schema_of(path: str, form: Form) -> dict[str, Any]:
    """Return the JSON Schema (2020-12) of what a command prints with --format json."""
    forms = [("", form), *form.also]
    said = [_one(when, one) for when, one in forms]
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": f"adzeguard {path} --format json",
        "form": form.number,
        **(said[0] if len(said) == 1 else {"anyOf": said}),
    }


def _one(when: str, form: Form) -> dict[str, Any]:
    properties = {name: _property(KEYS[name]) for name in form.names}
    whole = {"type": "object", "properties": properties, "additionalProperties": False}
    if not form.partly:
        whole["required"] = form.names
    shown: dict[str, Any] = {"description": f"With {when}."} if when else {}
    return {**shown, "type": "array", "items": whole} if form.rows else {**shown, **whole}


def _property(meaning: Meaning) -> dict[str, Any]:
    return {**_TYPES[meaning.sort], "description": f"{meaning.words[0].upper()}{meaning.words[1:]}."}
