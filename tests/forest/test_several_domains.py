"""Two real domains in one workspace: looked at, changed and undone, judged by the servers and plain clients."""

import json
import random
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from adzeguard.core.rights.answers import Tokens
from tests.forest.test_two_domains import BY_NTLM, PEOPLE, estate_of, rows
from tests.forest.two_domains import Controller, TwoDomains
from tests.program import Program
from tests.server.server import PASSWORD

pytestmark = pytest.mark.server
AS_SOMEBODY = Path(__file__).parent / "as_somebody.py"
BUILT_IN = "S-1-5-32-"


@pytest.fixture
def both(domains: TwoDomains, lowmere: Program) -> Iterator[Program]:
    """The workspace of LOWMERE, and ISLE beside it."""
    isle = domains.isle.client
    table = {
        "kind": "ldap",
        "url": isle.url,
        "bind_as": isle.bind_as,
        "password_file": isle.password_file,
        "ca_file": isle.ca_file,
        "tls_name": f"{domains.isle.host}.{domains.isle.realm}",
        "timeout": "5",
    }
    lines = "".join(f"{key} = '{value}'\n" for key, value in table.items())
    settings = lowmere.folder / "adzeguard.toml"
    settings.write_text(f"{settings.read_text()}\n[directory.isle]\n{lines}")
    done = lowmere("collect")
    assert done.code == 0, done.err
    yield lowmere
    if not domains.isle.runs:
        domains.start(domains.isle)


def token_at(server: Controller, domain: Controller, name: str) -> set[str]:
    """What a server puts into the token of somebody."""
    run = ["/usr/bin/python3", str(AS_SOMEBODY), server.conf, server.address, domain.short, name]
    done = server.inside(*run, given=f"{PASSWORD}\n")
    assert done.returncode == 0, done.stderr
    return set(json.loads(done.stdout))


def done(program: Program, *words: str) -> Any:
    """Run something that must succeed."""
    ran = program(*words)
    assert ran.code == 0, (words, ran.out, ran.err)
    return ran


def test_tokens_at_both_servers_equal_the_tools(domains: TwoDomains, both: Program) -> None:
    """For forty people at their own server, and for those of ISLE at LOWMERE's too: exactly the same groups."""
    place = f"OU=Lot,{domains.isle.base}"
    done(both, "group", "create", "Isle Locals", "--scope", "domain-local", "--in", place, "--yes")
    local = r"ISLE\Isle Locals"
    for member in (r"LOWMERE\lp1", r"LOWMERE\lg4", r"ISLE\ig1", r"ISLE\ip2"):
        done(both, "group", "add", local, member, "--yes")
    estate = estate_of(both)
    tokens, isle = Tokens(estate), estate.domain.others[0]
    tops = {domain.sid: estate.principal(estate.catalogue.by_dn(domain.base_dn) or 0) for domain in estate.domain.all}

    def known(sid: str, at: str) -> set[str]:
        person = estate.principal(estate.id_of_sid(sid) or 0)
        found = tokens.at(person, tops[at])
        return {sid.replace(f"{isle.builtin}-", BUILT_IN) for sid in found} | {BY_NTLM}

    servers = ((domains.low, estate.domain.sid), (domains.isle, isle.sid))
    for server, own in servers:
        for letter, of in (("l", domains.low), ("i", domains.isle)):
            for n in PEOPLE:
                name = f"{letter}p{n}"
                assert known(of.sids[name], own) == token_at(server, of, name), (server.short, name)
    inside = {row["qualified_name"]: row for row in rows(both, "who", local)}
    assert {r"LOWMERE\lp1", r"ISLE\ip2"} < inside.keys()
    nested = next(name for name, row in inside.items() if name.startswith(r"LOWMERE\lp") and not row["direct"])
    assert r"LOWMERE\lg4" in both("why", nested, local).out
    done(both, "group", "delete", local, "--yes")


def standing(domains: TwoDomains) -> dict[str, set[str]]:
    """By group whom it lists, as plain clients of both domains say; those of the other domain by their SIDs."""
    listed = ((one, name) for one in (domains.low, domains.isle) for name in one.sids if name[1] == "g")
    return {name: one.client.members_of(name) for one, name in listed}


def charter_of(domains: TwoDomains, wanted: dict[str, set[str]]) -> str:
    """A charter that lists for each group exactly these."""
    short = {name: rf"{one.short}\{name}" for one in (domains.low, domains.isle) for name in one.sids}
    called = short | {one.sids[name]: short[name] for one in (domains.low, domains.isle) for name in one.sids}
    rules = [
        {
            "id": f"as-written-{name}",
            "why": "As it is written.",
            "response": "mend",
            "group": short[name],
            "only": sorted(called[member] for member in members),
        }
        for name, members in wanted.items()
    ]
    return json.dumps({"charter": 1, "rules": rules})


def altered(domains: TwoDomains, before: dict[str, set[str]], lot: random.Random, count: int) -> dict[str, set[str]]:
    """So many memberships put in or taken out, each one that its scope lets."""
    wanted = {name: set(members) for name, members in before.items()}
    local = [name for name in before if name.startswith("l") and int(name[2:]) % 4 > 1]
    done: set[tuple[str, str]] = set()
    while len(done) < count:
        group = lot.choice(sorted(before))
        if group in local and lot.random() < 0.6:
            member = domains.isle.sids[lot.choice([f"ip{n}" for n in PEOPLE] + ["ig0", "ig1"])]
        else:
            member = f"{group[0]}p{lot.choice(PEOPLE)}"
        if (group, member) not in done:
            done.add((group, member))
            wanted[group] ^= {member}
    return wanted


def test_a_charter_over_both_domains_is_enacted_and_undone(domains: TwoDomains, both: Program) -> None:
    """Thirty random changes over both stand there as plain clients see it, and are gone again after undo.

    With ISLE off in the middle what is LOWMERE's is done, the rest is told, and the next run finishes it.
    """
    lot = random.Random(30)
    before = standing(domains)
    wanted = altered(domains, before, lot, 30)
    assert sum(len(before[name] ^ wanted[name]) for name in before) == 30
    settings = both.folder / "adzeguard.toml"
    settings.write_text(settings.read_text() + "\n[guards]\nremovals = 100\nshare = 1.0\n")
    (both.folder / "charter/charter.yaml").write_text(charter_of(domains, wanted))
    proposed = both("propose", "--format", "json").json
    assert len(proposed["changes"]) == 30
    done(both, "enact", "--yes")
    assert standing(domains) == wanted
    assert both("check", "--where", "rule~as-written", "--format", "json").json == []
    done(both, "undo", "--last", "--yes")
    assert standing(domains) == before
    domains.isle.stop()
    halfway = both("enact", "--yes")
    assert halfway.code == 4, halfway.err
    own = sum(m.startswith("lp") for name in before for m in before[name] ^ wanted[name])
    assert f"{own} verified" in halfway.out
    assert f"{30 - own} unreachable" in halfway.out
    for name in (name for name in before if name[0] == "l"):
        listed, of_isle = domains.low.client.members_of(name), before[name] & set(domains.isle.sids.values())
        assert listed == {m for m in wanted[name] if m[:1] == "l"} | of_isle, name
    domains.start(domains.isle)
    done(both, "collect")
    done(both, "enact", "--yes")
    assert standing(domains) == wanted
    (both.folder / "charter/charter.yaml").write_text(charter_of(domains, before))
    done(both, "enact", "--yes")
    assert standing(domains) == before


def test_a_silent_domain_keeps_its_last_state_and_that_is_said(domains: TwoDomains, both: Program) -> None:
    """Each domain is read by itself: only what changed, one alone where that is asked, and the other as it was."""
    again = done(both, "collect")
    assert "that changed" in again.out
    change = f"dn: CN=ip3,OU=Lot,{domains.isle.base}\nchangetype: modify\nreplace: description\ndescription: {{}}"
    domains.isle.client.change(change.format("first"))
    done(both, "collect", "--only", "LOWMERE")
    assert "first" not in both("show", r"ISLE\ip3").out
    done(both, "collect", "--only", "isle")
    assert "first" in both("show", r"ISLE\ip3").out
    before = rows(both, "who", "lg2")
    assert any(row["qualified_name"].startswith("ISLE\\") for row in before)
    domains.isle.stop()
    for words in (("collect",), ("collect", "--full")):
        silent = both(*words)
        assert (silent.code, "as it was read before: isle: " in silent.err) == (4, True), silent.err
        assert rows(both, "who", "lg2") == before
        assert "first" in both("show", r"ISLE\ip3").out
    domains.start(domains.isle)
    domains.isle.client.change(change.format("second"))
    done(both, "collect")
    assert "second" in both("show", r"ISLE\ip3").out
    assert both("collect", "--full").out.endswith("0 objects, 0 groups, 0 hosts.\n")
