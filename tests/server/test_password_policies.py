"""Which password policy applies to whom: the server's own answer is the judge."""

import random
from collections import Counter
from collections.abc import Iterator

import pytest

from adzeguard.core.estate.password_policies import PasswordPolicies
from adzeguard.core.identity import Sid
from adzeguard.store.estate_store import EstateStore
from adzeguard.store.sqlite import SqliteDatabase
from tests.program import Program
from tests.server.server import Server

pytestmark = pytest.mark.server
NEVER = "-9223372036854775808"


@pytest.fixture
def settings_objects(server: Server) -> Iterator[dict[str, int]]:
    """Eight of them with their precedences, over people and groups of every scope by a lot."""
    lot = random.Random(20261130)
    people = sorted(name for name in server.sids if name.startswith("rp"))
    groups = sorted(name for name in server.sids if name.startswith("rg"))
    place = f"CN=Password Settings Container,CN=System,{server.base}"
    made = {f"policy-{n}": 10 * (n % 5) + n + 1 for n in range(8)}
    try:
        for name, precedence in made.items():
            over = [*lot.sample(groups, 4), *lot.sample(people, 2)]
            applies = "".join(f"msDS-PSOAppliesTo: CN={one},OU=Random,{server.base}\n" for one in over)
            server.change(
                f"dn: CN={name},{place}\nchangetype: add\nobjectClass: msDS-PasswordSettings\n"
                f"msDS-PasswordSettingsPrecedence: {precedence}\nmsDS-PasswordReversibleEncryptionEnabled: FALSE\n"
                "msDS-PasswordHistoryLength: 24\nmsDS-PasswordComplexityEnabled: TRUE\n"
                f"msDS-MinimumPasswordLength: {precedence}\nmsDS-MinimumPasswordAge: 0\n"
                f"msDS-MaximumPasswordAge: {NEVER}\nmsDS-LockoutThreshold: {precedence % 3}\n"
                "msDS-LockoutObservationWindow: -18000000000\nmsDS-LockoutDuration: -18000000000\n" + applies
            )
        yield made
    finally:
        for name in made:
            server.try_change(f"dn: CN={name},{place}\nchangetype: delete\n")


def test_the_policy_of_everybody_is_the_servers(
    server: Server, workspace: Program, settings_objects: dict[str, int]
) -> None:
    """For all people among rings, scopes, distribution groups and odd primary groups: by name and by its numbers."""
    workspace("collect")
    folder = workspace.folder / ".adzeguard"
    estate = EstateStore(SqliteDatabase(folder / "store.db", folder / "lock")).load()
    policies = PasswordPolicies(estate)
    found = server.ask("(sAMAccountName=rp*)", "sAMAccountName", "msDS-ResultantPSO")
    told: Counter[str] = Counter()
    for entry in found:
        [name], resultant = entry["sAMAccountName"], entry.get("msDS-ResultantPSO")
        wanted = resultant[0].partition(",")[0].removeprefix("CN=") if resultant else "LOWMERE"
        policy = policies.of(estate.principal(estate.id_of_sid(Sid(server.sids[name])) or 0))
        assert policy is not None
        assert policy.name == wanted, name
        if resultant:
            precedence = settings_objects[wanted]
            assert (policy.min_length, policy.lock_after, policy.max_days) == (precedence, precedence % 3, 0)
        told[wanted] += 1
    assert len(found) >= 150
    assert told["LOWMERE"] > 10
    assert len(told) > 4


def test_the_policy_is_shown_and_a_weak_one_over_the_privileged_is_found(server: Server, workspace: Program) -> None:
    """The domain's own, as its plain client reads it."""
    workspace("collect")
    [top] = server.ask("(objectClass=domainDNS)", "minPwdLength", "lockoutThreshold")
    shown = workspace("show", r"LOWMERE\Administrator")
    assert f"Password policy: LOWMERE: {top['minPwdLength'][0]} characters" in shown.out
    assert top["lockoutThreshold"] == ["0"]
    [found] = [
        row for row in workspace("check", "--format", "json").json if row["check"] == "weak-policy-for-privileged"
    ]
    assert "nobody is locked out" in found["message"]
    assert found["evidence"]["policy"] == "LOWMERE"
