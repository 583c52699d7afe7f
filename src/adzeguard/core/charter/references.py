"""The names in a rule, and what they stand for. A name that is none, or two, stops its rule alone."""

from collections.abc import Iterable, Mapping
from dataclasses import field
from datetime import date

from adzeguard.core.charter.rule import RuleBase
from adzeguard.core.errors import InputError
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.hosts import HostState
from adzeguard.core.estate.names import (
    candidate_lines,
    hosts_with_local_group,
    is_qualified,
    lookup_qualified,
    suggestions,
)
from adzeguard.core.estate.principal import Kind, Principal
from adzeguard.core.identity import Sid, fold_dn
from adzeguard.core.values import dataclass
from adzeguard.core.wording import did_you_mean

LOCAL_PREFIX = "local\\"
MemberKey = str
"""What a member is compared by: its SID, or its folded DN when it has none (a contact)."""


@dataclass(frozen=True, slots=True)
class LocalName:
    """An account or group of the host that is looked at."""

    name: str

    def on(self, state: HostState) -> Sid | None:
        """Return its SID on one host, or nothing when the host has none of that name."""
        account = state.account_named(self.name)
        if account:
            return account
        group = state.group_named(self.name)
        return group.sid if group else None


Reference = Principal | LocalName


@dataclass(frozen=True, slots=True)
class NameProblem:
    """A name in a rule that stands for nothing, or for several things."""

    rule: RuleBase
    where: str
    name: str
    message: str


@dataclass(frozen=True, slots=True)
class Renaming:
    """A name in a rule whose object is called otherwise by now; the rule is followed all the same."""

    rule: RuleBase
    where: str
    name: str
    now: str


@dataclass
class NameMemory:
    """What names stood for when they were last looked up, by folded names; and what was found of it now."""

    stood_for: Mapping[str, str] = field(default_factory=dict)
    stands_for: dict[str, str] = field(default_factory=dict)
    renamed: list[Renaming] = field(default_factory=list)

    @property
    def news(self) -> dict[str, str]:
        """What is to be kept: names that stand for something else than before, or were never looked up."""
        return {name: sid for name, sid in self.stands_for.items() if self.stood_for.get(name) != sid}


def member_key(principal: Principal) -> MemberKey:
    """Return what this member is compared by."""
    return principal.sid or fold_dn(principal.dn)


class RuleNames:
    """Resolves the names of one rule, noting what does not resolve."""

    def __init__(
        self,
        rule: RuleBase,
        estate: Estate,
        problems: list[NameProblem],
        day: date = date.min,
        *,
        bare_allowed: bool = False,
        memory: NameMemory | None = None,
    ) -> None:
        """`day` is the one on which the rule is looked at: what ends is over after its last day.

        `bare_allowed` lets a name stand without its domain where nothing else in the directory is called like it.
        """
        self.estate = estate
        self.day = day
        self._bare_allowed = bare_allowed
        self._rule = rule
        self._problems = problems
        self._memory = memory if memory is not None else NameMemory()
        self.failed = False

    def of_rule(self, rule: RuleBase) -> "RuleNames":
        """Return the same for another rule, one that a roster comes to: lists of people write bare names."""
        return RuleNames(rule, self.estate, self._problems, self.day, bare_allowed=True, memory=self._memory)

    def fail(self, path: tuple[str | int, ...], name: str, message: str) -> None:
        """Note that a name cannot be used, and where it stands; the rule is then not followed."""
        self.failed = True
        self._problems.append(NameProblem(self._rule, self._rule.place.at(*path), name, message))

    def references(self, key: str, names: Iterable[str] | None, *, local_allowed: bool) -> tuple[Reference, ...] | None:
        """Resolve the names of one key; None if the key is not given. Those that cannot be used are left out."""
        if names is None:
            return None
        bearers = (self._reference((key, i), name, local_allowed=local_allowed) for i, name in enumerate(names))
        return tuple(reference for reference in bearers if reference is not None)

    def of_kind(self, path: tuple[str | int, ...], names: Iterable[str], kind: Kind) -> list[Principal]:
        """Resolve names that must be objects of one kind. Those that cannot be used are left out."""
        found = []
        for i, name in enumerate(names):
            principal = self.principal((*path, i), name)
            if principal is not None and principal.kind != kind:
                self.fail((*path, i), name, f"'{name}' is {principal.kind.one}, and {kind.one} is wanted here")
            elif principal is not None:
                found.append(principal)
        return found

    def with_sids(self, path: tuple[str | int, ...], names: Iterable[str]) -> tuple[Reference, ...]:
        """Resolve names that must be accounts or groups of the directory, or of the host."""
        found = []
        for i, name in enumerate(names):
            reference = self._reference((*path, i), name, local_allowed=True)
            if isinstance(reference, Principal) and not reference.sid:
                self.fail((*path, i), name, f"'{name}' is {reference.kind.one}, and nobody can log on as one")
            elif reference is not None:
                found.append(reference)
        return tuple(found)

    def _reference(self, path: tuple[str | int, ...], name: str, *, local_allowed: bool) -> Reference | None:
        if name.casefold().startswith(LOCAL_PREFIX):
            if local_allowed:
                return LocalName(name[len(LOCAL_PREFIX) :])
            self.fail(
                path,
                name,
                f"'{name}' is of a host, and a directory group holds only what is in the directory",
            )
            return None
        return self.principal(path, name)

    def principal(self, path: tuple[str | int, ...], name: str) -> Principal | None:
        """Resolve one qualified name, or note why it cannot be used."""
        if not is_qualified(name):
            bearers = self.estate.catalogue.by_name(name) if self._bare_allowed else []
            if len(bearers) == 1:
                return self.estate.principal(bearers[0])
            self.fail(path, name, self._bare(name))
            return None
        try:
            qualified = lookup_qualified(self.estate, name)
        except InputError as error:
            self.fail(path, name, error.message)
            return None
        if len(qualified) == 1:
            return self._the_same(path, name, qualified[0])
        if not qualified and (renamed := self._called_otherwise(path, name)) is not None:
            return renamed
        if qualified:
            self.fail(path, name, f"'{name}' stands for {len(qualified)} objects:\n{candidate_lines(qualified)}")
        else:
            near = suggestions(self.estate, name.rpartition("\\")[2].partition("@")[0])
            hint = f", did you mean '{near[0].qualified_name}'?" if near else ""
            self.fail(path, name, f"nothing is called '{name}'{hint}")
        return None

    def _the_same(self, path: tuple[str | int, ...], name: str, found: Principal) -> Principal | None:
        """Return what a name stands for, unless that took the name of another object."""
        stood_for = self._memory.stood_for.get(name.casefold(), "")
        if stood_for and found.sid != stood_for:
            # Whoever may rename groups, or make them, could put one of their own in the place of one that a rule means.
            before = self.estate.id_of_sid(stood_for)
            became = f"is called '{self.estate.principal(before).qualified_name}'" if before is not None else "is gone"
            way_out = "if this one is meant, adzeguard charter lint --take-names"
            self.fail(path, name, f"'{name}' was another object until now, which {became}: {way_out}")
            return None
        if found.sid:
            self._memory.stands_for[name.casefold()] = found.sid
        return found

    def _called_otherwise(self, path: tuple[str | int, ...], name: str) -> Principal | None:
        """Return the object that a name stood for and that was renamed; None if there is none."""
        stood_for = self._memory.stood_for.get(name.casefold(), "")
        renamed = self.estate.id_of_sid(stood_for) if stood_for else None
        if renamed is None:
            return None
        found = self.estate.principal(renamed)
        place = self._rule.place.at(*path)
        self._memory.renamed.append(Renaming(self._rule, place, name, found.qualified_name))
        return found

    def _bare(self, name: str) -> str:
        """A bare name can stand in the directory and on every host and mean different things."""
        bearers = self.estate.catalogue.principals(self.estate.catalogue.by_name(name)).values()
        called = [(p.qualified_name if "\\" in p.qualified_name else p.dn, p.kind.label) for p in bearers]
        candidates = [f"{name} ({label} of the directory)" for name, label in called]
        twins = hosts_with_local_group(self.estate, name)
        if twins:
            candidates.append(rf"local\{name} (local group on {len(twins)} hosts)")
        meant = ", or ".join(candidates) if candidates else rf"DOMAIN\{name} or local\{name}"
        return f"'{name}' does not say where it stands: write {meant}"

    def principals(self, key: str, names: Iterable[str]) -> tuple[Principal, ...]:
        """Resolve names that must stand in the directory."""
        bearers = self.references(key, names, local_allowed=False) or ()
        return tuple(reference for reference in bearers if isinstance(reference, Principal))

    def container(self, path: tuple[str | int, ...], dn: str) -> str | None:
        """Return the folded name of an OU, or note that there is none."""
        bearers = self.container_object(path, dn)
        return fold_dn(bearers.dn) if bearers is not None else None

    def container_object(self, path: tuple[str | int, ...], dn: str) -> Principal | None:
        """Return the OU of this name, or note that there is none."""
        full = self.estate.domain.full_dn(dn)
        object_id = self.estate.catalogue.by_dn(full)
        if object_id is not None:
            return self.estate.principal(object_id)
        everything = self.estate.catalogue.principals(self.estate.catalogue.of_kind(Kind.OU).tolist()).values()
        near = did_you_mean(full, (p.dn for p in everything), cutoff=0.6, shown=lambda name: f"'{name}'")
        self.fail(path, dn, f"there is no '{full}'{near}")
        return None
