"""Programs that people run elevated at hosts, held against the rules that hold there."""

import re
from collections.abc import Iterator, Mapping, Sequence
from typing import Final

from adzeguard.core.change.kinds.elevation import GiveElevation
from adzeguard.core.charter.elevate_rule import ElevateRule, ResolvedElevateRule, resolve_elevation
from adzeguard.core.charter.scopes import ScopedRule
from adzeguard.core.estate.elevation import GIVE_MORE, Elevation, Elevations, elevations_of
from adzeguard.core.estate.hosts import HostState
from adzeguard.core.estate.named import Named
from adzeguard.core.review.correction import Correction, correction_of
from adzeguard.core.review.on_hosts import OnHost
from adzeguard.core.review.settings import (
    Decided,
    Deviation,
    Keepers,
    Said,
    Setting,
    each_that_any_wants,
    kind_of_setting,
)


def _wanted(state: HostState, rules: Sequence[ScopedRule[ResolvedElevateRule]], _keepers: Keepers) -> Decided:
    return each_that_any_wants(rules, lambda rule: sorted(rule.wanted_on(state)))


def _granted(state: HostState) -> Mapping[Elevation, bool]:
    return dict.fromkeys((elevations_of(state) or Elevations()).granted, True)


def _missing(one: Deviation) -> Correction:
    elevation, on = one.fact, one.on
    who = one.names[elevation.who]
    change = GiveElevation(
        program=elevation.program,
        sha256=elevation.sha256,
        arguments=elevation.arguments,
        until=elevation.until,
        who=who,
        **one.of_rule(),
    )
    return correction_of(
        one.scoped.rule,
        "elevation-missing",
        on.named,
        f"{who.name} cannot run {elevation.program} elevated",
        member=who,
        host=on.named,
        evidence={"program": elevation.program, "sha256": elevation.sha256, "scope": one.scoped.scope},
    ).with_changes([change])


def _changed_programs(on: OnHost[ResolvedElevateRule], decided: Decided) -> Iterator[Correction]:
    """A program with another digest is not run elevated any more: people find out when they need it."""
    digests = (elevations_of(on.state) or Elevations()).digests
    told: set[tuple[str, str]] = set()
    for elevation, (decision,) in decided.items():
        now, scoped = digests.get(elevation.program), decision.by
        if scoped is None or now is None or now == elevation.sha256 or (elevation.program, scoped.rule.id) in told:
            continue
        told.add((elevation.program, scoped.rule.id))
        said = (
            f"{elevation.program} was changed: its sha256 is {now[:12]}…, and the rule says {elevation.sha256[:12]}…"
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


def _said(rule: ResolvedElevateRule) -> Iterator[Said]:
    form = rule.form
    yield Said("elevation", f"{form.program} at {form.sha256[:12]}… for {', '.join(form.for_)}")


def _findings_of_programs(on: OnHost[ResolvedElevateRule], decided: Decided) -> Iterator[Correction]:
    yield from _changed_programs(on, decided)
    yield from _writable_programs(on, decided)


def _writable_programs(on: OnHost[ResolvedElevateRule], decided: Decided) -> Iterator[Correction]:
    """Sudo reads the digest, and then runs what stands there: who may write it in between runs anything as root."""
    writable = (elevations_of(on.state) or Elevations()).writable
    rules = {(one.program, by.rule.id): by for one, (d,) in decided.items() if (by := d.by) is not None}
    for (program, _), scoped in rules.items():
        if program in writable:
            yield correction_of(
                scoped.rule,
                "program-writable",
                on.named,
                f"{program} can be changed by others than root, at {writable[program]}",
                response="tell",
                host=on.named,
                evidence={"program": program, "at": writable[program]},
            )


def _gives_more(rule: ResolvedElevateRule) -> Iterator[Correction]:
    program = rule.form.program
    if re.split(r"[/\\\\]", program)[-1].casefold().removesuffix(".exe") in GIVE_MORE:
        said = f"{program} is a shell, runs other programs or writes any file: elevated, it gives everything"
        yield correction_of(rule, "gives-a-shell", Named(rule.id), said, response="tell", evidence={"program": program})


ELEVATIONS: Final = Setting(
    ResolvedElevateRule,
    _said,
    _wanted,
    _granted,
    _missing,
    GiveElevation,
    sids=lambda fact, _stands, _wanted: (fact.who,),
    also=_findings_of_programs,
    about_rule=_gives_more,
)


ELEVATE: Final = kind_of_setting("elevate", ElevateRule, resolve_elevation, ELEVATIONS)
