"""What is wrong with hosts, regardless of the charter."""

from itertools import permutations

import pytest

from adzeguard.core.access.keepers import default_keepers
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.checks.check_input import CheckInput
from adzeguard.core.checks.hosts import check_hosts
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.hosts import GROUPS_IN_GROUPS, Host, HostState, LocalAccount, LocalGroup
from adzeguard.core.identity import Sid
from adzeguard.core.wellknown import ADMINISTRATORS
from tests.estates import DOMAIN, NOON, directory, rights_of


def nav(number: int, *, enabled: bool) -> Host:
    """A host whose groups hold accounts alone, with one administrator of its own."""
    root = LocalAccount("root", Sid(f"S-1-5-21-7-7-{number}-1000"), enabled=enabled)
    groups = (LocalGroup("administrators", ADMINISTRATORS, frozenset({root.sid})),)
    state = HostState(Sid(f"S-1-5-21-7-7-{number}"), (root,), groups, lacks={GROUPS_IN_GROUPS: "as on Linux"})
    return Host(-number, f"NAV-{number}", f"CN=NAV-{number},DC=lowmere", state)


@pytest.mark.parametrize("hosts", list(permutations([nav(1, enabled=True), nav(2, enabled=False)])))
def test_a_host_that_nobody_can_enter_is_told_among_those_kept_by_themselves(hosts: tuple[Host, ...]) -> None:
    """That another host has a way in of its own says nothing of this one, in whatever order they come."""
    whole = directory(["ada"], {"Crew": ["ada"]})
    estate = Estate(NOON, DOMAIN, whole.objects, whole.graph, hosts)
    charter = ResolvedCharter((), (), tuple(default_keepers(estate)))
    found = [(one.check, one.host.name) for one in check_hosts(CheckInput(rights_of(estate), charter)) if one.host]
    assert found == [("keeper-missing", "NAV-2")]
