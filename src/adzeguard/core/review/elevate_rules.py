"""Programs that people run elevated at hosts, held against the rules that hold there."""

from collections.abc import Iterator, Sequence

from adzeguard.core.change.change import Change
from adzeguard.core.change.kinds.elevation import GiveElevation
from adzeguard.core.charter.elevate_rule import ResolvedElevateRule
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.charter.scopes import ScopedRule
from adzeguard.core.estate.elevation import Elevation, Elevations, elevations_of
from adzeguard.core.review.correction import Correction, correction_of
from adzeguard.core.review.on_hosts import OnHost, hosts_with_rules, left_behind, names_unknown
from adzeguard.core.rights.delegations import Rights

Scoped = ScopedRule[ResolvedElevateRule]


def review_elevations(rights: Rights, charter: ResolvedCharter) -> Iterator[Correction]:
    """Yield each program that is not elevated for somebody as a rule wants it, and each that was changed since."""
    estate, rules = rights.estate, charter.of(ResolvedElevateRule)
    yield from names_unknown(estate, rules)
    for on in hosts_with_rules(estate, rules):
        part = elevations_of(on.state) or Elevations()
        wanted = _wanted(on)
        missing = {elevation: scoped for elevation, scoped in wanted.items() if elevation not in part.granted}
        names = on.names_of(estate, {elevation.who for elevation in missing})
        for elevation, scoped in missing.items():
            who, rule = names[elevation.who], scoped.rule.rule
            correction = correction_of(
                scoped.rule,
                "elevation-missing",
                on.named,
                f"{who.name} cannot run {elevation.program} elevated",
                member=who,
                host=on.named,
                evidence={"program": elevation.program, "sha256": elevation.sha256, "scope": scoped.scope},
            )
            change = GiveElevation(
                host=on.host.name,
                program=elevation.program,
                sha256=elevation.sha256,
                arguments=elevation.arguments,
                until=elevation.until,
                who=who,
                rule=rule.id,
                why=rule.why,
                leaves=rule.leave,
            )
            yield correction.with_changes([change])
        yield from _changed_programs(on, part, wanted)


def _wanted(on: OnHost[ResolvedElevateRule]) -> dict[Elevation, Scoped]:
    wanted: dict[Elevation, Scoped] = {}
    for scoped in sorted(on.rules, key=lambda scoped: scoped.rule.response != "mend"):
        for elevation in sorted(scoped.rule.wanted_on(on.state)):
            wanted.setdefault(elevation, scoped)
    return wanted


def _changed_programs(
    on: OnHost[ResolvedElevateRule], part: Elevations, wanted: dict[Elevation, Scoped]
) -> Iterator[Correction]:
    """A program with another digest is not run elevated any more: people find out when they need it."""
    told: set[tuple[str, str]] = set()
    for elevation, scoped in wanted.items():
        now = part.digests.get(elevation.program)
        about = (elevation.program, scoped.rule.id)
        if now is None or now == elevation.sha256 or about in told:
            continue
        told.add(about)
        said = (
            f"{elevation.program} was changed: its sha256 is {now}, and the rule says {elevation.sha256[:12]}…"
            if now
            else f"{elevation.program} is not there any more"
        )
        yield correction_of(
            scoped.rule,
            "program-changed",
            on.named,
            said,
            response="tell",
            host=on.named,
            evidence={"program": elevation.program, "sha256": elevation.sha256, "sha256_now": now},
        )


def withdraw_elevations(rights: Rights, charter: ResolvedCharter, put_in: Sequence[Change]) -> Iterator[Correction]:
    """Yield what rules have elevated and no rule asks for any more."""
    rules = charter.of(ResolvedElevateRule)
    wanted = {on.host.name.casefold(): _wanted(on) for on in hosts_with_rules(rights.estate, rules)}
    for change in put_in:
        if not isinstance(change, GiveElevation):
            continue
        host = rights.estate.hosts_by_name.get(change.host.casefold())
        if host is None or host.state is None or not change.stands(host.state):
            continue
        if any(rule.unknown_on(host.state) for rule in rules):
            continue  # a rule that is stopped there leaves things as they are
        if change.elevation not in wanted.get(change.host.casefold(), {}):
            why = f"the rule {change.rule} put it in, and no rule asks for it any more"
            what = f"{change.who.name} runs {change.program} elevated"
            yield left_behind(change, host, change.ended(change.rule, why), what)
