"""A server that lies, drips or says nothing: always an error of ours, and soon."""

from collections.abc import Callable, Iterator
from itertools import count

import pytest

from adzeguard.core.errors import AdzeguardError
from adzeguard.directory.decode import observe
from adzeguard.directory.ldap import LdapDirectory
from adzeguard.directory.ldap_address import Address
from adzeguard.directory.ldap_native import NativeWire, Password, is_there
from adzeguard.directory.ldap_port import LdapWire
from adzeguard.directory.ldap_servers import Server, Servers
from adzeguard.directory.ldap_wire import Wire
from tests.alone import needed
from tests.directory.lying import BASE, SID, Lie, Lying, bound, done, entry, honest, reference, seconds

Make = Callable[[Lying, int], Iterator[bytes]]
"""Answers with the number of a question."""
Collect = Callable[[Lying], int]
TIMEOUT = 1
SOON = 10
"""Seconds within which it must end, with a timeout of one second for an answer."""


@pytest.fixture(params=["pure", "native"])
def collecting(request: pytest.FixtureRequest) -> Collect:
    """Read all that the server has, as a collection does, by each of the connections; how many objects came."""
    native = request.param == "native"
    needed("" if is_there() or not native else "as root: make native", "both connections")

    def connect(address: Address) -> LdapWire:
        return NativeWire(address, Password("somebody", "secret")) if native else Wire(address, "somebody", "secret")

    def collect(server: Lying) -> int:
        address = Address(server.url, plain=True, timeout=TIMEOUT)
        driver = LdapDirectory(Servers([Server(server.url, lambda: connect(address))]), lambda _seconds: None)
        try:
            driver.facts()
            return sum(observe(found) is not None for found in driver.entries())
        finally:
            driver.close()

    return collect


def in_the_domain(make: Make) -> Lie:
    """A lie told when the domain is searched; the first question about it, for its SID, is answered honestly."""
    asked = count()

    def lie(server: Lying, number: int, base: str) -> Iterator[bytes] | None:
        return None if base != BASE or next(asked) == 0 else make(server, number)

    return lie


def endless(answer: Callable[[int], bytes]) -> Make:
    """The same answer again and again."""
    return lambda _server, number: (answer(number) for _ in count())


def once(*answers: Callable[[int], bytes]) -> Make:
    """These answers."""
    return lambda _server, number: (answer(number) for answer in answers)


def a_group(number: int, **attributes: list[bytes]) -> bytes:
    """An entry as it should be."""
    return entry(number, f"CN=a,{BASE}", {"objectClass": [b"group"], **attributes})


WITHOUT_END = {
    "referrals": endless(reference),
    "entries": endless(a_group),
    "cookies": once(lambda number: done(number, b"more")),
    "silence": lambda server, _number: server.waiting(),
    "a range of nothing": once(
        lambda n: entry(n, f"CN=a,{BASE}", {"objectClass": [b"group"], "member;range=0-abc": [b"CN=b"]}), done
    ),
    "another number": once(lambda number: a_group(number + 1)),
    "another protocol": once(lambda _number: b"HTTP/1.1 200 OK\r\n\r\n"),
    "a length that is a lie": once(
        lambda number: a_group(number)[:8] + b"\x84\xff\xff\xff\xff" + a_group(number)[9:], done
    ),
}


@pytest.mark.parametrize("make", WITHOUT_END.values(), ids=WITHOUT_END)
def test_a_search_that_does_not_end_as_it_should_is_ended(make: Make, collecting: Collect) -> None:
    """Without end, without a word, out of order or no LDAP at all: an error of ours within seconds."""
    began = seconds()
    with Lying(in_the_domain(make)) as server, pytest.raises(AdzeguardError):
        collecting(server)
    assert seconds() - began < SOON


def test_answers_that_drip_are_waited_for_no_longer_than_silence(collecting: Collect) -> None:
    """A byte now and then does not keep the program waiting, neither for a bind nor for a search."""
    began = seconds()
    with Lying(lambda *_: None, drip=0.4) as server, pytest.raises(AdzeguardError):
        collecting(server)
    assert seconds() - began < SOON


@pytest.mark.parametrize(
    "bind",
    [b"\x30\x00", b"\x30\x84\xff\xff\xff\xff", bound(2**31 - 1), bound(1, 10), b"\x30\x0c\x02\x01\xff", b"SSH-2.0"],
)
def test_an_answer_to_a_bind_that_is_none_is_an_error_of_ours(bind: bytes, collecting: Collect) -> None:
    """Junk, a referral, another number, or a message without end in answer to a bind."""
    began = seconds()
    with Lying(lambda *_: None, bind=bind) as server, pytest.raises(AdzeguardError):
        collecting(server)
    assert seconds() - began < SOON


@pytest.mark.parametrize(
    ("base", "other"),
    [
        ("CN=NTDS", {"invocationId": [b"\2" * 3]}),
        ("CN=NTDS", {"invocationId": []}),
        ("", {"highestCommittedUSN": [b"9" * 400]}),
        ("", {"highestCommittedUSN": [b"x"]}),
        ("", {"defaultNamingContext": [b"DC=\xff\xfe"]}),
        ("", {"configurationNamingContext": [b"\xff"]}),
        ("", {"dsServiceName": [b"\xff\xfe"]}),
        (BASE, {"objectGUID": []}),
        (BASE, {"objectSid": [SID[:-1]]}),
        (BASE, {"objectSid": []}),
    ],
)
def test_odd_facts_of_a_server_are_taken_or_are_an_error_of_ours(base: str, other: dict, collecting: Collect) -> None:
    """Values that are missing, too short, no numbers or no text end nothing in another way."""

    def lie(_server: Lying, number: int, asked: str) -> Iterator[bytes] | None:
        return honest(number, asked, **other) if asked == base else None

    with Lying(lie) as server:
        try:
            assert collecting(server) == 1
        except AdzeguardError:
            return
