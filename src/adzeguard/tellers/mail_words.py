"""What mail says: a subject, a text, and the same as HTML."""

from collections.abc import Mapping, Sequence
from functools import cache
from typing import TYPE_CHECKING, Any, Final

from adzeguard.core.wording import printable
from adzeguard.tellers.port import Letter

if TYPE_CHECKING:
    from jinja2 import Template

_SHOWN: Final = 50
"""Questions that one mail shows in full; beyond, the program is quicker to read."""
_LONGEST_SUBJECT: Final = 160


def subject_of(letters: Sequence[Letter]) -> str:
    """Return the subject: the rule and what it is about, or how many there are."""
    first = letters[0]
    if first.kind != "question":
        return str(first.body.get("subject", "Adzeguard"))[:_LONGEST_SUBJECT]
    rules = {one.body["rule"] for one in letters}
    if len(letters) == 1:
        subject = f"{first.body['rule']}: {first.body['where']}"
    elif len(rules) == 1:
        subject = f"{first.body['rule']}: {len(letters)} questions"
    else:
        subject = f"{len(letters)} questions under {len(rules)} rules"
    return subject[:_LONGEST_SUBJECT]


def text_of(letters: Sequence[Letter]) -> str:
    """Return the mail as plain text."""
    first = letters[0]
    if first.kind != "question":
        return printable(str(first.body.get("text", ""))) + "\n"
    lines = [_opening(letters), ""]
    for letter in letters[:_SHOWN]:
        facts = _facts(letter.body)
        widest = max(len(label) for label, _ in facts)
        lines += [f"{label:<{widest}}  {said}" for label, said in facts]
        lines += ["", f"  To put it right:  {letter.body['mend']}", f"  To leave it:      {letter.body['leave']}", ""]
    if len(letters) > _SHOWN:
        lines += [f"And {len(letters) - _SHOWN} more: adzeguard questions", ""]
    lines.append("Nothing is changed by itself. In the workspace, adzeguard questions lists what waits.")
    return printable("\n".join(lines)) + "\n"


def html_of(letters: Sequence[Letter]) -> str:
    """Return the mail as HTML; every value is escaped by the template."""
    first = letters[0]
    text = "" if first.kind == "question" else printable(str(first.body.get("text", "")))
    shown = [
        {
            "facts": [(label, printable(said)) for label, said in _facts(one.body)],
            "mend": printable(str(one.body["mend"])),
            "leave": printable(str(one.body["leave"])),
        }
        for one in (letters[:_SHOWN] if not text else ())
    ]
    return _template().render(
        title=printable(subject_of(letters)),
        opening="" if text else _opening(letters),
        text=text,
        questions=shown,
        more=max(len(letters) - _SHOWN, 0) if not text else 0,
    )


def _opening(letters: Sequence[Letter]) -> str:
    if len(letters) == 1:
        again = "This was asked before. " if letters[0].body.get("again") else ""
        return f"{again}Something deviates from a rule that you own, and waits for your answer."
    return f"{len(letters)} things deviate from rules that you own, and wait for your answers."


def _facts(body: Mapping[str, Any]) -> list[tuple[str, str]]:
    facts = [
        ("Question", str(body["id"])),
        ("Where", str(body["where"])),
        ("What", str(body["message"])),
        ("Since", str(body.get("since", ""))),
        ("Rule", str(body["rule"]) + (f": {body['why']}" if body.get("why") else "")),
        ("Charter", str(body.get("says", ""))),
    ]
    return [(label, said) for label, said in facts if said]


@cache
def _template() -> "Template":
    from jinja2 import Environment, PackageLoader, StrictUndefined

    environment = Environment(
        loader=PackageLoader("adzeguard.tellers", "templates"),
        autoescape=True,
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
    )
    return environment.get_template("mail.html")
