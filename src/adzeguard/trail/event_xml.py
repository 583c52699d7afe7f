"""Events of an event log exported as XML, by the open event schema: <Events><Event>…</Event>…</Events>.

The numbers are those of the audit of group members, of directory changes, of logons and of the log itself.
"""

from collections.abc import Iterator, Mapping
from datetime import datetime
from typing import Any, BinaryIO, Final
from xml.etree.ElementTree import Element, ParseError, XMLPullParser, tostring

from adzeguard.core.trail.event import LOGON_WAYS, NOBODY, Event, Verb
from adzeguard.trail.port import NotReadError, PassedOverError, Record
from adzeguard.trail.values import address_of, host_of, qualified, sid_of, text_of, time_of

_VERBS: Final[Mapping[int, Verb]] = {
    **dict.fromkeys((4728, 4732, 4746, 4751, 4756, 4761), "added"),
    **dict.fromkeys((4729, 4733, 4747, 4752, 4757, 4762), "removed"),
    **dict.fromkeys((4727, 4731, 4744, 4749, 4754, 4759, 5137, 5138), "created"),
    **dict.fromkeys((4735, 4737, 4745, 4750, 4755, 4760, 5136), "changed"),
    **dict.fromkeys((4730, 4734, 4748, 4753, 4758, 4763, 5141), "deleted"),
    5139: "moved",
    **dict.fromkeys((4624, 4769), "logon"),
    4625: "refused",
    **dict.fromkeys((4768, 4771, 4776), "refused"),
    1102: "cleared",
}
_TICKETS: Final = (4768, 4771)
_OF_DIRECTORY: Final = (*_TICKETS, 4776)
"""What a directory server logs of tickets and of passwords that it checks for others: its refusals alone are read.

What it granted is logged again where somebody logs on with it.
"""
_OF_BOTH: Final = (4768, 4776)
"""Logged under one number whether it was granted or not; the other is logged of refusals alone."""
_SERVICE_TICKET: Final = 4769
"""A directory server gave somebody a ticket for a service: of a host without a log of its own it is all there is."""
_LOGONS: Final = (4624, 4625, *_OF_DIRECTORY)
_CHUNK: Final = 1 << 16
_LARGEST: Final = 1 << 20
_LONGEST_NUMBER: Final = 9


def read_event_xml(file: BinaryIO) -> Iterator[Record]:
    """Yield each event of a file, read piece by piece. A broken end is one record with its trouble."""
    parser: Any = XMLPullParser(["start", "end"])
    depth, since = 0, 0
    roots: list[Element] = []
    try:
        while chunk := file.read(_CHUNK):
            # An entity could stand for a billion others; nothing that a log exports declares any.
            if b"<!DOCTYPE" in chunk or b"<!ENTITY" in chunk:
                yield Record("", trouble="it declares entities, which an exported log never does")
                return
            since += len(chunk)
            parser.feed(chunk)
            for what, element in parser.read_events():
                name = _bare(element.tag)
                if what == "start":
                    depth += 1
                    roots += [element] if depth == 1 else []
                    continue
                depth -= 1
                if name == "Event":
                    since = 0
                    yield _record(element)
                    for root in roots:
                        root.clear()  # what was read is let go: a log is larger than memory
            if since > _LARGEST:
                yield Record("", trouble="one event is larger than any event is")
                return
        parser.close()
    except ParseError as error:
        yield Record("", trouble=f"it is no whole XML: {error}")


def _record(element: Element) -> Record:
    text = tostring(element, "unicode").strip()
    try:
        event = _event(element)
    except NotReadError as error:
        return Record(text, trouble=str(error))
    except PassedOverError as error:
        return Record(text, passed_over=str(error))
    return Record(text, (event,))


def _event(element: Element) -> Event:
    parts = {_bare(child.tag): child for child in element}
    system = {_bare(child.tag): child for child in parts.get("System", ())}
    number = (system["EventID"].text or "").strip() if "EventID" in system else ""
    if not number.isdecimal() or len(number) > _LONGEST_NUMBER:
        raise NotReadError("it has no event number")
    verb = _VERBS.get(int(number))
    if verb is None:
        raise PassedOverError(f"event {int(number)}")
    created = system.get("TimeCreated")
    at = time_of(created.get("SystemTime") if created is not None else None)
    said = {
        str(data.get("Name")): (data.text or "").strip()
        for part in ("EventData", "UserData")
        for data in parts.get(part, ())
    }
    if int(number) == _SERVICE_TICKET:
        return _ticket_for_host(at, verb, said)
    if int(number) in _LOGONS:
        return _logon(at, int(number), verb, said, system["Computer"].text if "Computer" in system else "")
    by = qualified(said.get("SubjectDomainName"), said.get("SubjectUserName"))
    group = said.get("ObjectDN") or qualified(said.get("TargetDomainName"), said.get("TargetUserName"))
    return Event(
        at,
        verb,
        by,
        sid_of(said.get("SubjectUserSid")),
        text_of(group),
        sid_of(said.get("TargetSid")),
        text_of(said.get("MemberName")),
        sid_of(said.get("MemberSid")),
        "",
        int(number),
    )


def _logon(at: datetime, number: int, verb: Verb, said: Mapping[str, str], computer: str | None) -> Event:
    of_directory = number in _OF_DIRECTORY
    if number in _OF_BOTH and _number(said.get("Status", "")) == 0:
        raise PassedOverError(f"event {number} of success")
    kind, sid = _number(said.get("LogonType", "")), sid_of(said.get("TargetUserSid") or said.get("TargetSid"))
    return Event(
        at,
        verb,
        # A directory server logs there that it was asked, and not where somebody logs on.
        group="" if of_directory else host_of(computer),
        member=qualified(said.get("TargetDomainName"), said.get("TargetUserName")),
        member_sid="" if sid == NOBODY else sid,
        origin=address_of(said.get("IpAddress")),
        number=number,
        claimed=host_of(said.get("WorkstationName") or said.get("Workstation")),
        way="ticket" if number in _TICKETS else LOGON_WAYS.get(kind, ""),
    )


def _ticket_for_host(at: datetime, verb: Verb, said: Mapping[str, str]) -> Event:
    """Return a ticket for a host as a logon there over the network: whether it came to more is told by the host alone.

    The host is the account whose ticket it is; its services are all called by that. Hosts ask for each other's tickets
    all day long, which tells of nobody.
    """
    service, name = text_of(said.get("ServiceName")), text_of(said.get("TargetUserName")).partition("@")[0]
    if _number(said.get("Status", "0x0")) or not service.endswith("$") or name.endswith("$") or not name:
        raise PassedOverError(f"event {_SERVICE_TICKET} of no host")
    return Event(
        at,
        verb,
        group=host_of(service.removesuffix("$")),
        member=qualified(said.get("TargetDomainName"), name),
        origin=address_of(said.get("IpAddress")),
        number=_SERVICE_TICKET,
        way="network",
    )


def _number(text: str) -> int:
    try:
        return int(text, 0)
    except ValueError:
        return 0


def _bare(tag: str) -> str:
    return tag.rpartition("}")[2]
