"""The one command that goes on from a finding, ready to be pasted."""

import re
import shlex
from functools import cache
from typing import Final

from adzeguard.core.checks.finding import Finding
from adzeguard.core.checks.table import CHECKS

_ADVICE: Final = {check.id: check.mend for check in CHECKS}
_COMMAND: Final = re.compile(r"\badzeguard (?P<words>[^;,()]+)")
_PLACEHOLDER: Final = re.compile(r"[A-Z]{2,}")
_PROPOSE: Final = "propose"


def advice_on(finding: Finding) -> str:
    """Return how to put a finding right, in words."""
    return _ADVICE.get(finding.check, "")


def next_command(finding: Finding) -> str:
    """Return the command that its check advises, with the names of the finding; else one that shows what it is about.

    A finding of a rule is put right by a proposal of that rule alone.
    """
    words = _words_in(advice_on(finding))
    if words == (_PROPOSE,):
        words = (*words, "--also" if finding.response == "tell" else "--rule", finding.rule) if finding.rule else ()
    filled = [_filled(word, finding) for word in words]
    if not filled or None in filled:
        filled = _shown(finding)
    return " ".join(["adzeguard", *(shlex.quote(word) for word in filled if word is not None)])


@cache
def _words_in(advice: str) -> tuple[str, ...]:
    """Return the words of the first command in an advice; a fleet has thousands of findings with the same one."""
    found = _COMMAND.search(advice)
    return tuple(found["words"].partition(" or ")[0].split()) if found else ()


def _filled(word: str, finding: Finding) -> str | None:
    """Return a word of a command with the name that stands for it; None where the finding names nobody for it."""
    if not _PLACEHOLDER.fullmatch(word):
        return word
    told = finding.evidence
    of_directory = finding.subject.name if finding.host is None else ""
    named = {
        "GROUP": of_directory if finding.subject.sid else "",
        "NAME": of_directory if finding.subject.sid else "",
        "OBJECT": finding.subject.dn or of_directory,
        "OU": "" if finding.subject.sid else finding.subject.dn,
        "HOST": finding.host.name if finding.host else finding.subject.name,
        "MEMBER": finding.member_name,
        "WHO": told.get("holder_sid") or told.get("by") or finding.member_name,
        "SID": told.get("holder_sid"),
        "LEASE": told.get("lease"),
        "WAIVER": told.get("waiver"),
        "ACCOUNT": of_directory,
        "RULE": finding.rule,
    }
    return named.get(word) or None


def _shown(finding: Finding) -> list[str | None]:
    if finding.host is not None:
        return ["show", finding.host.name]
    if finding.subject.sid or finding.subject.dn:
        return ["show", finding.subject.name if finding.subject.sid else finding.subject.dn]
    return ["check", "--explain", finding.check]
