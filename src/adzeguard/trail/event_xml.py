"""Events of an event log exported as XML, by the open event schema: <Events><Event>…</Event>…</Events>.

The numbers are those of the audit of group members, of directory changes, of logons and of the log itself.
"""

from collections.abc import Iterator, Mapping
from typing import Any, BinaryIO, Final
from xml.etree.ElementTree import Element, ParseError, XMLPullParser, tostring

from adzeguard.core.trail.event import Event, Verb
from adzeguard.trail.port import NotReadError, Record
from adzeguard.trail.values import address_of, host_of, sid_of, text_of, time_of

_VERBS: Final[Mapping[int, Verb]] = {
    **dict.fromkeys((4728, 4732, 4746, 4751, 4756, 4761), "added"),
    **dict.fromkeys((4729, 4733, 4747, 4752, 4757, 4762), "removed"),
    **dict.fromkeys((4727, 4731, 4744, 4749, 4754, 4759, 5137, 5138), "created"),
    **dict.fromkeys((4735, 4737, 4745, 4750, 4755, 4760, 5136), "changed"),
    **dict.fromkeys((4730, 4734, 4748, 4753, 4758, 4763, 5141), "deleted"),
    5139: "moved",
    4624: "logon",
    4625: "refused",
    1102: "cleared",
}
_LOGONS: Final = (4624, 4625)
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
    return Record(text, (event,) if event is not None else ())


def _event(element: Element) -> Event | None:
    parts = {_bare(child.tag): child for child in element}
    system = {_bare(child.tag): child for child in parts.get("System", ())}
    number = (system["EventID"].text or "").strip() if "EventID" in system else ""
    if not number.isdecimal() or len(number) > _LONGEST_NUMBER:
        raise NotReadError("it has no event number")
    verb = _VERBS.get(int(number))
    if verb is None:
        return None
    created = system.get("TimeCreated")
    at = time_of(created.get("SystemTime") if created is not None else None)
    said = {
        str(data.get("Name")): (data.text or "").strip()
        for part in ("EventData", "UserData")
        for data in parts.get(part, ())
    }
    if int(number) in _LOGONS:
        name = _qualified(said.get("TargetDomainName", ""), said.get("TargetUserName", ""))
        sid = sid_of(said.get("TargetUserSid"))
        return Event(
            at,
            verb,
            group=host_of(system["Computer"].text if "Computer" in system else ""),
            member=name,
            member_sid=sid,
            origin=address_of(said.get("IpAddress")),
            number=int(number),
        )
    by = _qualified(said.get("SubjectDomainName", ""), said.get("SubjectUserName", ""))
    group = said.get("ObjectDN") or _qualified(said.get("TargetDomainName", ""), said.get("TargetUserName", ""))
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


def _qualified(domain: str, name: str) -> str:
    domain, name = text_of(domain), text_of(name)
    return rf"{domain}\{name}" if domain and name else name


def _bare(tag: str) -> str:
    return tag.rpartition("}")[2]
