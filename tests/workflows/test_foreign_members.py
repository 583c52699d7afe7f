"""Who is inside groups of other domains, as directories tell that are odd, or lie."""

from collections.abc import Iterable, Mapping

from hypothesis import given, settings
from hypothesis import strategies as st

from adzeguard.core.descriptors.outsiders import row_of_outsider
from adzeguard.core.estate.assembly import assemble
from adzeguard.core.estate.catalogue import Domain
from adzeguard.core.estate.principal import Flag, Kind
from adzeguard.core.estate.rows import ObjectRow, Observed
from adzeguard.core.identity import Sid, dn_of_sid
from adzeguard.directory.port import DirectoryFacts, Entry, Inside
from adzeguard.workflows.foreign_members import OtherDomain, Told, told_by

LOW = Domain("DC=lowmere,DC=example", "lowmere.example", "LOWMERE", Sid("S-1-5-21-1-2-3"))
ISLE = Domain("DC=isle,DC=example", "isle.example", "ISLE", Sid("S-1-5-21-4-5-6"))
GROUPS, PEOPLE = range(1100, 1106), range(1200, 1206)
NOW = 1_800_000_000


class Isle:
    """The directory of ISLE: groups by number, with the numbers, or whole SIDs, of those inside."""

    def __init__(
        self, groups: Mapping[int, Iterable[int | str]], domain: Domain = ISLE, *, all_told: bool = True
    ) -> None:
        self._groups, self._domain, self._all_told = groups, domain, all_told

    def facts(self) -> DirectoryFacts:
        return DirectoryFacts(self._domain)

    def inside(self, sid: Sid) -> Inside | None:
        members = self._groups.get(int(sid.rpartition("-")[2]))
        if members is None:
            return None
        found = [self._entry(one if isinstance(one, str) else f"{ISLE.sid}-{one}") for one in members]
        return Inside(self._entry(str(sid)), found, self._all_told)

    def _entry(self, sid: str) -> Entry:
        is_group = int(sid.rpartition("-")[2]) in self._groups
        kind = {"objectclass": [b"group"], "grouptype": [b"-2147483640"]} if is_group else {"objectclass": [b"user"]}
        name = sid.rpartition("-")[2]
        told = {**kind, "objectsid": [Sid(sid).to_bytes()], "samaccountname": [name.encode()]}
        return Entry(f"CN={name},{ISLE.base_dn}", told)


def asked(directory: object, *standing: int, people: Iterable[str] = ()) -> Told:
    """What ISLE says of these, who stand in LOWMERE."""
    rows = {f"{ISLE.sid}-{rid}": row_of_outsider(f"{ISLE.sid}-{rid}") for rid in standing}
    return told_by([OtherDomain("isle", directory)], rows, set(people), LOW.sid, NOW)  # type: ignore[arg-type]


def effective(told: Told, standing: Iterable[int]) -> set[int]:
    """The numbers of those of ISLE who are inside a group of LOWMERE that lists these, groups among them."""
    rows = {f"{ISLE.sid}-{rid}": row_of_outsider(f"{ISLE.sid}-{rid}") for rid in standing} | dict(told.rows)
    flags = int(Flag.SECURITY_GROUP | Flag.DOMAIN_LOCAL)
    own = ObjectRow(b"g", Kind.GROUP, flags, f"{LOW.sid}-1000", 0, "g", f"CN=g,{LOW.base_dn}", 0, 0, 0, 0, b"", "")
    listed = [dn_of_sid(f"{ISLE.sid}-{rid}") for rid in standing]
    observed = [Observed(own, listed), *rows.values()]
    graph = assemble(LOW, observed, range(len(observed))).graph
    return {
        int(one.row.sid.rpartition("-")[2])
        for i, one in enumerate(observed)
        if i and 0 in graph.effective_groups(i).tolist()
    }


@given(
    st.dictionaries(st.sampled_from(GROUPS), st.lists(st.sampled_from([*GROUPS, *PEOPLE]), max_size=5)),
    st.sets(st.sampled_from([*GROUPS, *PEOPLE]), max_size=4),
)
@settings(max_examples=150, deadline=None)
def test_everybody_inside_is_found_to_the_last(groups: dict[int, list[int]], standing: set[int]) -> None:
    """Rings, groups in themselves, groups that stand here and lie in others: as a plain search finds them."""
    expected, waiting = set(standing), list(standing)
    while waiting:
        for inner in groups.get(waiting.pop(), ()):
            if inner not in expected:
                expected.add(inner)
                waiting.append(inner)
    assert effective(asked(Isle(groups), *standing), standing) == expected


def test_another_domain_says_nothing_of_those_of_this_one() -> None:
    """An administrator of ours, a built-in group, one of a third domain: the group is of unknown size."""
    lies = [f"{LOW.sid}-500", "S-1-5-32-544", "S-1-5-21-7-8-9-500", 1200]
    told = asked(Isle({1100: lies}), 1100)
    assert set(told.rows) == {f"{ISLE.sid}-1100", f"{ISLE.sid}-1200"}
    assert "members_read" not in told.rows[f"{ISLE.sid}-1100"].row.details
    assert {one.sid for one in told.names} == set(told.rows)


def test_one_that_is_no_other_domain_or_tells_nothing_is_silent() -> None:
    """This domain's own directory, and a driver that does not know: nothing is taken, and both are said."""
    own = asked(Isle({1100: [1200]}, LOW), 1100)
    assert (own.rows, "this domain itself" in own.silent[0]) == ({}, True)

    class Mute:
        facts = Isle({}).facts

    mute = asked(Mute(), 1100)
    assert (mute.rows, "does not tell" in mute.silent[0]) == ({}, True)


def test_a_group_of_which_not_all_is_told_stays_of_unknown_size() -> None:
    """Those who are told of are inside; that there may be more is not forgotten."""
    told = asked(Isle({1100: [1200]}, all_told=False), 1100)
    assert effective(told, {1100}) == {1100, 1200}
    assert "members_read" not in told.rows[f"{ISLE.sid}-1100"].row.details
