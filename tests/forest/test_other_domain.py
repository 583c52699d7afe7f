"""The other domain's own directory says who is inside its groups: to the last, judged by the servers' tokens."""

import pytest

from adzeguard.core.rights.answers import Tokens
from tests.forest.test_two_domains import BY_NTLM, PEOPLE, estate_of, granted, rows
from tests.forest.two_domains import TwoDomains
from tests.program import Program

pytestmark = pytest.mark.server


@pytest.fixture
def both(domains: TwoDomains, lowmere: Program) -> Program:
    """The workspace of LOWMERE, which asks ISLE's directory too."""
    isle = domains.isle.client
    settings = lowmere.folder / "adzeguard.toml"
    table = {
        "url": isle.url,
        "bind_as": isle.bind_as,
        "password_file": isle.password_file,
        "ca_file": isle.ca_file,
        "tls_name": f"{domains.isle.host}.{domains.isle.realm}",
    }
    lines = "".join(f"{key} = '{value}'\n" for key, value in table.items())
    settings.write_text(f"{settings.read_text()}\n[other-domains.isle]\n{lines}")
    done = lowmere("collect", "--full")
    assert done.code == 0, done.err
    return lowmere


def test_tokens_of_those_of_isle_equal_the_servers_own(domains: TwoDomains, both: Program) -> None:
    """For twenty people: every group of this domain that the server puts into the token, and none besides."""
    estate = estate_of(both)
    tokens = Tokens(estate)
    isle = domains.isle.sids["ip0"].rpartition("-")[0]
    inside = 0
    for n in PEOPLE:
        token = set(domains.as_somebody(domains.isle, f"ip{n}"))
        found = estate.id_of_sid(domains.isle.sids[f"ip{n}"])
        known = tokens.of(estate.principal(found)) if found is not None else tokens.of_everybody
        here = {sid for sid in known if not sid.startswith(isle)} | {BY_NTLM}
        assert here == {sid for sid in token if not sid.startswith(isle)}, n
        assert known & {sid for sid in known if sid.startswith(isle)} <= token, n
        inside += found is not None
    assert inside > 10


def test_who_is_in_a_group_of_isle_is_known_by_name_and_way(domains: TwoDomains, both: Program) -> None:
    """Nothing is of unknown size any more; why tells the way through the group of the other domain."""
    told = {row["qualified_name"]: row for row in rows(both, "who", "lg2")}
    groups = [name for name, row in told.items() if row["kind"] == "foreign group"]
    assert groups
    assert "only their own domain knows" not in both("who", "lg2").out
    [group] = [row for row in rows(both, "who", "--groups") if row["name"] == "lg2"]
    assert group["foreign_group_count"] == 0
    inner = {f"ISLE\\{name}" for one in groups for name in domains.isle.client.members_of(one.rpartition("\\")[2])}
    assert inner <= told.keys()
    settings = both.folder / "adzeguard.toml"
    settings.write_text(settings.read_text().replace("[charter]", "[charter]\nprivileged = ['LOWMERE\\lg2']", 1))
    listed = {sid for name in domains.low.sids if name.startswith("lg") for sid in domains.low.client.members_of(name)}
    known_here = {f"ISLE\\{name}" for name, sid in domains.isle.sids.items() if sid in listed}
    found = {row["member"] for row in rows(both, "check", "--where", "check=foreign-privileged")}
    assert found
    assert found <= known_here
    shown = both("trusts", "show", "ISLE", "--format", "json").json
    assert {line.partition(" is in ")[0] for line in shown["members_here"]} <= known_here
    nested = next(name for name in sorted(inner) if not told[name]["direct"] and told[name]["kind"] == "foreign user")
    assert any(one in both("why", nested, "lg2").out for one in groups)


def test_may_is_yes_or_no_and_what_the_server_lets(domains: TwoDomains, both: Program) -> None:
    """By a group of ISLE: for twenty people, each tried at the server; never that it is not known."""
    group = f"CN=lg1,OU=Lot,{domains.low.base}"
    let = 0
    with granted(both, domains.isle.sids["ig0"], "write:info", "lg1"):
        both("collect")
        for n in PEOPLE:
            ran = both("may", domains.isle.sids[f"ip{n}"], "write:info", "lg1", "--format", "json")
            done = domains.as_somebody(domains.isle, f"ip{n}", group, "info", f"by {n}") is True
            assert ran.json[0]["allowed"] is done, (n, ran.out)
            let += done
    assert 0 < let < len(PEOPLE)


def test_what_changes_there_is_seen_and_what_is_silent_stays(domains: TwoDomains, both: Program) -> None:
    """Put in and taken out in ISLE: the next collection knows. While ISLE is off all is as it was, and that is said."""
    standing = next(row["name"] for row in rows(both, "who", "lg2") if row["kind"] == "foreign group")
    group = f"CN={standing},OU=Lot,{domains.isle.base}"
    outside = next(
        f"ip{n}" for n in PEOPLE if f"ISLE\\ip{n}" not in {r["qualified_name"] for r in rows(both, "who", "lg2")}
    )
    change = f"dn: {group}\nchangetype: modify\n{{}}: member\nmember: CN={outside},OU=Lot,{domains.isle.base}"

    def inside() -> bool:
        return rf"ISLE\{outside}" in {row["qualified_name"] for row in rows(both, "who", "lg2")}

    domains.isle.client.change(change.format("add"))
    try:
        assert both("collect").code == 0
        assert inside()
        domains.isle.stop()
        before = rows(both, "who", "lg2")
        for words in (("collect",), ("collect", "--full")):
            silent = both(*words)
            assert (silent.code, "is known as it was read before: isle" in silent.err) == (0, True), silent.err
            assert rows(both, "who", "lg2") == before
            assert "only their own domain knows" not in both("who", "lg2").out
        tried = {row["step"]: row for row in rows(both, "settings", "check")}
        assert tried["other-domains.isle"]["works"] is False
    finally:
        domains.start(domains.isle)
        domains.isle.client.change(change.format("delete"))
    assert both("collect").code == 0
    assert not inside()
    at = both("history", "lg2", "--format", "json")
    assert at.code == 0
    assert [row["verb"] for row in at.json if row["member"] == rf"ISLE\{outside}"].count("removed") <= 1
