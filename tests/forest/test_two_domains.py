"""Somebody of another domain, judged by the servers: their tokens, what they could do, what plain clients see."""

from collections.abc import Iterator
from contextlib import contextmanager

import pytest

from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.foreign import may_hold_others
from adzeguard.core.rights.answers import Tokens
from adzeguard.store.estate_store import EstateStore
from adzeguard.store.sqlite import SqliteDatabase
from tests.forest.two_domains import TwoDomains
from tests.program import Json, Program

pytestmark = pytest.mark.server
BY_NTLM = "S-1-5-64-10"
PEOPLE = range(20)


def estate_of(program: Program) -> Estate:
    """What was collected."""
    folder = program.folder / ".adzeguard"
    return EstateStore(SqliteDatabase(folder / "store.db", folder / "lock")).load()


def rows(program: Program, *words: str) -> list[Json]:
    """What a listing has."""
    ran = program(*words, "--format", "json")
    assert ran.code in (0, 3), ran.err
    return ran.json


@contextmanager
def granted(program: Program, who: str, right: str, over: str) -> Iterator[None]:
    """Somebody has a right for a while."""
    given = program("grant", "give", who, right, "--over", over, "--yes")
    assert given.code == 0, given.err
    try:
        yield
    finally:
        assert program("undo", "--last", "--yes").code == 0


def test_tokens_of_both_domains_equal_the_servers_own(domains: TwoDomains, lowmere: Program) -> None:
    """For forty people: of the own domain exactly; of the other all that is known, and no more is possible.

    What more the server puts into the token of somebody of ISLE comes from a group of ISLE, of which the tool says that
    it does not know who is inside.
    """
    estate = estate_of(lowmere)
    tokens = Tokens(estate)
    for n in PEOPLE:
        person = estate.principal(estate.id_of_sid(domains.low.sids[f"lp{n}"]) or 0)
        assert tokens.of(person) | {BY_NTLM} == set(domains.as_somebody(domains.low, f"lp{n}")), person
    through_groups = directly = 0
    for n in PEOPLE:
        token = set(domains.as_somebody(domains.isle, f"ip{n}"))
        theirs = {sid for sid in token if sid.startswith(domains.isle.sids["ip0"].rpartition("-")[0])}
        standing = {sid: i for sid in theirs if (i := estate.id_of_sid(sid)) is not None}
        known = {sid: tokens.of(estate.principal(i)) for sid, i in standing.items()}
        assert set().union(tokens.of_everybody, theirs, *known.values()) | {BY_NTLM} == token, n
        own = known.get(domains.isle.sids[f"ip{n}"], frozenset())
        others = [sid for sid in standing if sid != domains.isle.sids[f"ip{n}"]]
        assert all(may_hold_others(estate.principal(standing[sid])) for sid in others)
        directly += len(own - tokens.of_everybody) > 1
        through_groups += bool(token - theirs - own - tokens.of_everybody - {BY_NTLM})
    assert directly > 3
    assert through_groups > 3


def test_those_of_isle_are_known_by_name_and_kind(domains: TwoDomains, lowmere: Program) -> None:
    """Whoever stands in a group: by who, find and show; why tells their way; groups are told as of unknown size."""
    listed = domains.low.client.ask("(cn=lg2)", "member")[0]["member"]
    foreign = {dn.partition(",")[0].removeprefix("CN=") for dn in listed if "ForeignSecurityPrincipals" in dn}
    by_sid = {sid: name for name, sid in domains.isle.sids.items()}
    told = {row["sid"]: row for row in rows(lowmere, "who", "lg2") if row["direct"]}
    assert len(foreign) == 4
    for sid in foreign:
        name = by_sid[sid]
        kind = "foreign user" if name.startswith("ip") else "foreign group"
        assert (told[sid]["qualified_name"], told[sid]["kind"]) == (rf"ISLE\{name}", kind)
        assert rows(lowmere, "find", name)[0]["sid"] == sid
        assert lowmere("show", rf"ISLE\{name}", "--format", "json").json["sid"] == sid
        assert lowmere("why", rf"ISLE\{name}", "lg2").code == 0
    groups = [by_sid[sid] for sid in foreign if by_sid[sid].startswith("ig")]
    note = lowmere("who", "lg2").out.partition("only their own domain knows: ")[2]
    assert all(rf"ISLE\{name}" in note for name in groups)


def test_who_has_a_right_alone_is_named_and_gets_in(domains: TwoDomains, lowmere: Program) -> None:
    """By an entry over an OU and no object: in reach and may --who; tried at the server, she did it."""
    name, sid = r"ISLE\ip0", domains.isle.sids["ip0"]
    group = f"CN=lg0,OU=Lot,{domains.low.base}"
    assert domains.as_somebody(domains.isle, "ip0", group, "info", "no") is not True
    with granted(lowmere, sid, "everything", "OU=Lot"):
        lowmere("collect")
        assert name in {row["qualified_name"] for row in rows(lowmere, "may", "--who", "group-membership", "lg0")}
        reaching = {row["qualified_name"]: row for row in rows(lowmere, "reach", "lg0")}
        assert reaching[name]["is_member"] is False
        assert domains.as_somebody(domains.isle, "ip0", group, "info", "was here") is True
        [found] = rows(lowmere, "check", "--where", "check=foreign-rights")
        assert (name in found["message"], "of ISLE" in found["message"]) == (True, True)
        assert not [row for row in rows(lowmere, "check") if row["check"] == "stale-grant" and sid in str(row)]
        shown = lowmere("trusts", "show", "ISLE", "--format", "json").json
        assert any(name in line for line in shown["rights_here"])
    assert domains.as_somebody(domains.isle, "ip0", group, "info", "again") is not True


@pytest.mark.parametrize(("holder", "expected"), [("ip2", {True: 1, False: 19}), ("ig0", {None: 20})])
def test_may_is_what_the_server_lets(
    domains: TwoDomains, lowmere: Program, holder: str, expected: dict[bool | None, int]
) -> None:
    """For twenty people of ISLE: yes is let and no is refused, tried by each; by a group of theirs it is not known."""
    group = f"CN=lg1,OU=Lot,{domains.low.base}"
    said: dict[bool | None, int] = {}
    let = 0
    with granted(lowmere, domains.isle.sids[holder], "write:info", "lg1"):
        lowmere("collect")
        for n in PEOPLE:
            ran = lowmere("may", domains.isle.sids[f"ip{n}"], "write:info", "lg1", "--format", "json")
            allowed = ran.json[0]["allowed"]
            done = domains.as_somebody(domains.isle, f"ip{n}", group, "info", f"by {n}") is True
            assert ran.code == {True: 0, False: 3, None: 4}[allowed]
            assert allowed in (done, None), (n, ran.out)
            said[allowed] = said.get(allowed, 0) + 1
            let += done
    assert said == expected
    assert let >= 1


def test_somebody_of_isle_is_put_in_by_name_and_taken_out_again(domains: TwoDomains, lowmere: Program) -> None:
    """Whom nothing named here: foreseen, made, seen by a plain client and in the token, undone; others are refused."""
    sid = domains.isle.sids["ip19"]
    lowmere("group", "remove", "lg3", sid, "--yes")
    before = domains.low.client.members_of("lg3")
    asked = lowmere("group", "add", "lg3", r"ISLE\ip19", "--yes")
    assert asked.code == 0, asked.err
    assert r"Into LOWMERE\lg3 (1): ISLE\ip19" in asked.out
    assert domains.low.client.members_of("lg3") == before | {sid}
    assert domains.low.sids["lg3"] in domains.as_somebody(domains.isle, "ip19")
    assert r"ISLE\ip19" in {row["qualified_name"] for row in rows(lowmere, "who", "lg3")}
    assert lowmere("undo", "--last", "--yes").code == 0
    assert domains.low.client.members_of("lg3") == before
    for words, says in (
        (("lg0", r"ISLE\ip19"), "only a domain local group may hold it"),
        (("lg3", r"ISLE\nobody.there"), "the server cannot say who"),
        (("lg3", "S-1-5-21-7-7-7-1105"), "a domain that this directory does not let in"),
        (("lg3", domains.isle.sids["ip0"].rpartition("-")[0] + "-77777"), "its own domain does not know the SID"),
    ):
        refused = lowmere("group", "add", *words, "--yes")
        assert says in " ".join((refused.out + refused.err).split()), refused.err
    assert domains.low.client.members_of("lg3") == before


def test_nothing_alive_is_called_dead_when_the_other_domain_is_off(domains: TwoDomains, lowmere: Program) -> None:
    """They keep their names, what could not be asked is told, and no check or clean-up takes them for gone."""
    before = {row["sid"]: row["qualified_name"] for row in rows(lowmere, "who", "lg2")}
    estate = estate_of(lowmere)
    sid = next(one for n in PEOPLE if estate.id_of_sid(one := domains.isle.sids[f"ip{n}"]) is None)
    domains.isle.stop()
    try:
        added = lowmere("group", "add", "lg3", sid, "--yes")
        assert (added.code, "could not be asked for" in added.err) == (0, True), added.err
        assert sid in domains.low.client.members_of("lg3")
        assert "those of ISLE" in lowmere("collect", "--full").err
        now = {row["sid"]: row["qualified_name"] for row in rows(lowmere, "who", "lg2")}
        assert before.items() <= now.items()
        assert rows(lowmere, "uses", "--orphans") == []
        assert not [row for row in rows(lowmere, "check") if row["check"] in ("stale-grant", "dangling-member")]
    finally:
        domains.start(domains.isle)


def test_a_domain_that_has_begun_again_is_asked_once_more(domains: TwoDomains, lowmere: Program) -> None:
    """The server refuses the first question about it, since its connection is gone, and answers the next one."""
    estate = estate_of(lowmere)
    sid = next(one for n in PEOPLE if estate.id_of_sid(one := domains.isle.sids[f"ip{n}"]) is None)
    domains.isle.stop()
    domains.start_unmet(domains.isle)
    domains.isle.meet(domains.low)
    added = lowmere("group", "add", "lg3", sid, "--yes")
    assert (added.code, added.err) == (0, ""), added.err
    assert {row["sid"]: row["qualified_name"] for row in rows(lowmere, "who", "lg3")}[sid].startswith("ISLE\\")
