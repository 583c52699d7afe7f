"""Which rules about settings hold on a host, what each says there, and what part it has in what is wanted."""

from collections.abc import Iterator, Sequence
from typing import Any

from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.charter.scopes import HostScopes, ScopedRule
from adzeguard.core.charter.setting_rule import ResolvedSetting
from adzeguard.core.estate.hosts import Host, HostState
from adzeguard.core.review.kinds import RULE_KINDS
from adzeguard.core.review.on_hosts import Decision
from adzeguard.core.review.settings import Setting, SettingKind, keepers_of


def setting_rows(charter: ResolvedCharter, host: Host) -> Iterator[dict[str, Any]]:
    """Yield one row for each thing that a rule says of the host; excepted ones last."""
    known = (row.kind for row in RULE_KINDS if charter.has_any_of(row))
    all_settings = [kind.setting for kind in known if isinstance(kind, SettingKind) and kind.setting]
    kinds = list(dict.fromkeys(setting.rule for setting in all_settings))
    scopes = [HostScopes(charter.of(kind)) for kind in kinds]
    for kind, each in zip(kinds, scopes, strict=True):
        if host.state is not None:
            settings = [setting for setting in all_settings if setting.rule is kind]
            yield from _rows(charter, settings, host.state, each.on(host))
    for each in scopes:
        for scoped in each.excepted_on(host):
            yield _row(scoped, "the host", "nothing", "excepts this host")


def _rows(
    charter: ResolvedCharter, settings: Sequence[Setting[Any]], state: HostState, rules: Sequence[ScopedRule[Any]]
) -> Iterator[dict[str, Any]]:
    followed = [scoped for scoped in rules if not scoped.rule.unknown_on(state)]
    decided = [setting.wanted(state, followed, keepers_of(charter)) for setting in settings]
    for scoped in rules:
        for setting, decisions in zip(settings, decided, strict=True):
            for about, words, fact in setting.said_by(scoped.rule):
                part = "adds to it" if fact is None else _part(scoped, decisions.get(fact, ()))
                stopped = "not followed here: a name that the host does not know"
                yield _row(scoped, about, words, part if scoped in followed else stopped)


def _part(scoped: ScopedRule[Any], decided: Sequence[Decision[Any, Any]]) -> str:
    """Say what part a rule has where the closest one decides."""
    if any(scoped in decision.conflict for decision in decided):
        return "contradicted"
    for decision in decided:
        if decision.by is scoped:
            several = len(decided) > 1
            return "decides" if not several else f"decides what is {'mended' if decision is decided[0] else 'told'}"
    return "overruled by a closer one"


def _row(scoped: ScopedRule[Any], about: str, says: str, decides: str) -> dict[str, Any]:
    rule: ResolvedSetting = scoped.rule
    return {
        "rule": rule.id,
        "about": about,
        "says": says,
        "scope": scoped.scope,
        "decides": decides,
        "response": rule.response,
        "place": rule.rule.place.at(),
    }
