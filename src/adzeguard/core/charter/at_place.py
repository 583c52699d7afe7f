"""Which rules hold for what lies at a place of the directory's tree, and which of them a move leaves and enters."""

from collections.abc import Iterator, Mapping

from adzeguard.core.charter.grant_rule import ResolvedGrant
from adzeguard.core.charter.intake_rule import ResolvedIntake
from adzeguard.core.charter.protect_rule import ResolvedProtection
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.charter.rule import Resolved
from adzeguard.core.estate.principal import CONTAINERS, Kind, Principal
from adzeguard.core.identity import fold_dn
from adzeguard.core.values import dataclass


@dataclass(frozen=True, slots=True)
class AtPlace:
    """A rule that holds at a place: for what of it ("hosts", "accounts", "rights", "itself"), and why in words."""

    rule: Resolved
    of: str
    because: str


def rules_at(charter: ResolvedCharter, place: Principal) -> Iterator[AtPlace]:
    """Yield the rules that hold for what lies there: over it, or about the hosts or accounts below it, each once."""
    folded = fold_dn(place.dn)
    seen: set[tuple[str, str]] = set()
    for rule in charter.rules:
        for of, because in _why(rule, place, folded):
            if (rule.id, because) not in seen:
                seen.add((rule.id, because))
                yield AtPlace(rule, of, because)


def _why(rule: Resolved, place: Principal, folded: str) -> Iterator[tuple[str, str]]:
    for key, of in (("scope", "hosts"), ("of_hosts", "hosts"), ("accounts", "accounts")):
        part = getattr(rule, key, None)
        under: Mapping[str, str] = getattr(part, "under", {})
        yield from ((of, f"{of} under {written}") for ou, written in under.items() if _is_at(folded, ou))
        if getattr(part, "everywhere", False):
            yield "hosts", "hosts everywhere"
    if isinstance(rule, ResolvedGrant) and _is_at(folded, fold_dn(rule.over.dn)):
        yield "rights", "rights over it" if rule.over.id == place.id else f"rights over {rule.over.name}"
    if isinstance(rule, ResolvedProtection) and any(one.id == place.id for one in rule.objects):
        yield "itself", "it is protected"
    if isinstance(rule, ResolvedIntake):
        yield from (("itself", f"new {what} land here") for what, one in rule.containers.items() if one.id == place.id)


def _is_at(place: str, above: str) -> bool:
    return place == above or place.endswith(f",{above}")


def said_of_move(charter: ResolvedCharter, moved: Principal, before: Principal, after: Principal) -> list[str]:
    """Return in words which rules a move leaves and which it enters; empty where none differs."""
    left, entered = (
        {at.rule.id: at for at in rules_at(charter, where) if _is_about(at, moved)} for where in (before, after)
    )
    words = []
    for verb, some, others in (("leaves", left, entered), ("enters", entered, left)):
        named = [f"{rule} ({at.because})" for rule, at in some.items() if rule not in others]
        if named:
            words.append(f"it {verb} the rule{'s' * (len(named) != 1)} {', '.join(named)}")
    return words


def _is_about(at: AtPlace, moved: Principal) -> bool:
    """Tell whether a rule of a place is about this object, once it lies there."""
    rule = at.rule
    if at.of == "hosts" and moved.kind == Kind.COMPUTER:
        return not any(
            moved.name.casefold() in getattr(getattr(rule, key, None), "excepted", ()) for key in ("scope", "of_hosts")
        )
    if at.of == "accounts" and moved.kind == Kind.USER:
        return moved.id not in getattr(getattr(rule, "accounts", None), "excepted", ())
    return at.of == "rights" or (at.of in ("hosts", "accounts") and moved.kind in CONTAINERS)
