"""From a finding to an entry of the charter that allows what was found."""

from collections import Counter
from collections.abc import Callable, Mapping
from datetime import date
from typing import Any, Final

from adzeguard.core.adopting.rule_ids import rule_id
from adzeguard.core.charter.amendment import Amendment, Words, words_of
from adzeguard.core.charter.charter import Charter
from adzeguard.core.charter.membership import MembershipRule
from adzeguard.core.charter.rule import RuleBase
from adzeguard.core.checks.finding import Finding
from adzeguard.core.errors import UsageError
from adzeguard.core.values import dataclass

_BY_HAND: Final = "Change the rule itself, or leave the finding until a date: adzeguard questions waivers add"


@dataclass(frozen=True, slots=True)
class Allowing:
    """What is to be allowed: `member` is how the charter calls whom the finding names."""

    finding: Finding
    member: str
    why: str
    until: date | None = None
    everywhere: bool = False
    """Wherever the rule holds, not only on the host of the finding."""


def allowance(charter: Charter, allowing: Allowing) -> Amendment:
    """Return the amendment after which the finding is none any more; `UsageError` if no entry allows it."""
    finding = allowing.finding
    rule = next((one for one in charter.rules if one.id == finding.rule), None)
    if rule is None or finding.check not in _ALLOWED:
        raise UsageError(f"no entry of a rule allows a finding of {finding.check}", _BY_HAND)
    if not isinstance(rule, MembershipRule):
        raise UsageError(f"the members of the rule {rule.id} stand in another file", "Write them there")
    on_one_host = finding.host is not None and not allowing.everywhere and not _is_of_host_alone(rule, finding)
    return _ALLOWED[finding.check](charter, rule, allowing, on_one_host)


def _unlisted(charter: Charter, rule: RuleBase, allowing: Allowing, on_one_host: bool) -> Amendment:
    words = words_of(rule)
    if not on_one_host:
        return _altered(rule, _listing(words, "only", allowing))
    assert allowing.finding.host is not None  # noqa: S101 - on one host
    taken = Counter(one.id for one in charter.rules)
    host = allowing.finding.host.name
    new = {
        "id": rule_id(taken, rule.id, host),
        "why": allowing.why or f"Allowed on {host}.",
        # A rule that only tells is no shield from a wider one that mends.
        **{key: words[key] for key in ("owner", "response", "until") if key in words},
        "hosts": {"named": [host]},
        "local-group": words["local-group"],
    }
    return Amendment(str(new["id"]), None, _listing(new, "include", allowing))


def _excluded(_charter: Charter, rule: RuleBase, allowing: Allowing, on_one_host: bool) -> Amendment:
    words = words_of(rule)
    if not on_one_host:
        return _altered(rule, _without(words, "exclude", allowing))
    assert allowing.finding.host is not None  # noqa: S101 - on one host
    if set(words) & {"only", "include", "lease", "nested", "reach-only"} or len(words["exclude"]) > 1:
        raise UsageError(
            f"the rule {rule.id} demands more than this of the host, so it cannot just be excepted",
            "Allow it wherever the rule holds, with --everywhere, or change the rule itself",
        )
    excepted = [*words["hosts"].get("except", ()), allowing.finding.host.name]
    return _altered(rule, {**words, "hosts": {**words["hosts"], "except": excepted}})


def _missing(_charter: Charter, rule: RuleBase, allowing: Allowing, on_one_host: bool) -> Amendment:
    if on_one_host:
        raise UsageError(
            "a member that is missing on one host cannot be allowed there alone",
            "Take it out of the rule with --everywhere, or change the rule itself",
        )
    words = words_of(rule)
    key = next((key for key in ("only", "include") if _entry(words.get(key, ()), allowing)), "include")
    return _altered(rule, _without(words, key, allowing))


def _unlisted_reach(_charter: Charter, rule: RuleBase, allowing: Allowing, _on_one_host: bool) -> Amendment:
    return _altered(rule, _listing(words_of(rule), "reach-only", allowing))


_ALLOWED: Final[Mapping[str, Callable[[Charter, RuleBase, Allowing, bool], Amendment]]] = {
    "unlisted-member": _unlisted,
    "excluded-member": _excluded,
    "missing-member": _missing,
    "unlisted-reach": _unlisted_reach,
}


def _listing(words: Words, key: str, allowing: Allowing) -> Words:
    """List the member under a key, or up to a last day; what is for a time counts wherever the others are listed."""
    if allowing.until is not None:
        return {**words, "lease": {**words.get("lease", {}), allowing.member: allowing.until.isoformat()}}
    return {**words, key: [*words.get(key, ()), allowing.member]}


def _without(words: Words, key: str, allowing: Allowing) -> Words:
    entry = _entry(words.get(key, ()), allowing)
    if entry is None:
        raise UsageError(f"the rule does not name {allowing.member} itself under {key}", _BY_HAND)
    rest = [one for one in words[key] if one != entry]
    left = {name: value for name, value in words.items() if name != key}
    return {**left, key: rest} if rest or key == "only" else left


def _entry(listed: Any, allowing: Allowing) -> str | None:
    member = allowing.finding.member
    names = {allowing.member.casefold(), *((member.name.casefold(), member.sid.casefold()) if member else ())}
    return next((one for one in listed if one.casefold() in names), None)


def _is_of_host_alone(rule: RuleBase, finding: Finding) -> bool:
    hosts = words_of(rule).get("hosts", {})
    named = [name.casefold() for name in hosts.get("named", ())]
    return finding.host is not None and named == [finding.host.name.casefold()] and not set(hosts) - {"named"}


def _altered(rule: RuleBase, after: Words) -> Amendment:
    return Amendment(rule.id, words_of(rule), after)
