"""Logs of every form, plain and compressed, whole and damaged."""

import gzip
import io
import json
import sqlite3
from contextlib import closing
from datetime import UTC, datetime

import pytest
from hypothesis import given
from hypothesis import strategies as st

from adzeguard.core.trail.event import Event
from adzeguard.trail.port import Record
from adzeguard.trail.reading import LONGEST_LINE, records
from adzeguard.workflows.trail import part_of_lines

ADMIN, MEMBER, GROUP = "S-1-5-21-1-2-3-500", "S-1-5-21-1-2-3-1104", "S-1-5-21-1-2-3-512"
WHEN = datetime(2026, 11, 22, 2, 40, 0, 123456, tzinfo=UTC)
SAMBA = {
    "timestamp": "2026-11-22T02:40:00.123456+0000",
    "type": "groupChange",
    "groupChange": {
        "version": {"major": 1, "minor": 1},
        "eventId": 4728,
        "status": "Success",
        "action": "Added",
        "remoteAddress": "ipv4:192.0.2.7:49153",
        "userSid": ADMIN,
        "group": "CN=Night Watch,DC=x",
        "user": "CN=Ada,DC=x",
    },
}
XML = f"""<?xml version="1.0" encoding="utf-8"?>
<Events><Event xmlns="http://schemas.microsoft.com/win/2004/08/events/event"><System><EventID>4728</EventID>
<TimeCreated SystemTime="2026-11-22T02:40:00.1234567Z"/><EventRecordID>7</EventRecordID></System><EventData>
<Data Name="MemberName">CN=Ada,DC=x</Data><Data Name="MemberSid">{MEMBER}</Data>
<Data Name="TargetUserName">Domain Admins</Data><Data Name="TargetDomainName">LOWMERE</Data>
<Data Name="TargetSid">{GROUP}</Data><Data Name="SubjectUserSid">{ADMIN}</Data>
<Data Name="SubjectUserName">Administrator</Data><Data Name="SubjectDomainName">LOWMERE</Data></EventData></Event>
"""
FROM_XML = Event(
    WHEN, "added", "LOWMERE\\Administrator", ADMIN, "LOWMERE\\Domain Admins", GROUP, "CN=Ada,DC=x", MEMBER, "", 4728
)
FROM_SAMBA = Event(
    WHEN, "added", by_sid=ADMIN, group="CN=Night Watch,DC=x", member="CN=Ada,DC=x", origin="192.0.2.7", number=4728
)


def read(data: bytes | str) -> list[Record]:
    """What a log of these bytes tells."""
    raw = data.encode() if isinstance(data, str) else data
    return list(records(io.BufferedReader(io.BytesIO(raw))))  # type: ignore[arg-type]


def events(data: bytes | str) -> list[Event]:
    """The events alone; nothing of it may be set aside."""
    found = read(data)
    assert [record.trouble for record in found if record.trouble] == []
    return [event for record in found for event in record.events]


@pytest.mark.parametrize(
    "wrap",
    [
        lambda line: line,
        lambda line: f"[2026/11/22 02:40:00.12,  5] ../../lib/audit_logging.c(95)\n  {line}\n",
        lambda line: f"\ufeff{line}\r\n\r\n{line}",
        lambda line: f"<13>1 2026-11-22T02:40:00.12Z dc1 samba 71 - - {line}",
        lambda line: f'<13>1 2026-11-22T02:40:00.12Z dc1 samba 71 ID [a b="x \\] y"] \ufeff{line}',
    ],
)
def test_a_record_of_a_samba_server_is_read_wherever_it_stands(wrap) -> None:
    """By itself, below a header of the server's log, in a syslog line; and compressed."""
    text = wrap(json.dumps(SAMBA))
    assert set(events(text)) == {FROM_SAMBA}
    assert set(events(gzip.compress(text.encode()))) == {FROM_SAMBA}


@pytest.mark.parametrize(
    ("change", "count"),
    [
        ({"action": "PrimaryGroup"}, 0),
        ({"action": "Failure"}, 0),
        ({"status": "Insufficient access rights"}, 0),
        ({"user": "CN=Night Watch,DC=x"}, 0),
        ({"action": "Removed"}, 1),
    ],
)
def test_what_was_not_done_to_a_membership_is_none(change: dict, count: int) -> None:
    """Refused, a new account's own first group, and what follows a deletion."""
    assert len(events(json.dumps(SAMBA | {"groupChange": SAMBA["groupChange"] | change}))) == count


def test_an_exported_event_log_is_read() -> None:
    """With names and SIDs as it tells them; numbers of other things are passed over."""
    other = XML[XML.index("<Event ") :].replace("4728", "4672")
    assert events(f"{XML}{other}</Events>") == [FROM_XML]
    logon = XML[XML.index("<Event ") :].replace("4728", "4625").replace("TargetSid", "TargetUserSid")
    [refused] = events(f"<Events>{logon}</Events>")
    assert (refused.verb, refused.member, refused.member_sid) == ("refused", "LOWMERE\\Domain Admins", GROUP)


def logon_of(number: int, **data: str) -> list[Record]:
    """What an exported event log of one logon tells."""
    event = XML[XML.index("<Event ") :].replace("4728", str(number))
    values = "".join(f'<Data Name="{name}">{value}</Data>' for name, value in data.items())
    head, tail = event.split("<EventData>")
    head = head.replace("</System>", "<Computer>DC1.lowmere.example</Computer></System>")
    return read(f"<Events>{head}<EventData>{values}{tail[tail.index('</EventData>') :]}</Events>")


@pytest.mark.parametrize(
    ("number", "data", "told"),
    [
        (4624, {"LogonType": "2", "WorkstationName": "KIOSK-07"}, ("logon", "DC1", "KIOSK-07", "console")),
        (4624, {"LogonType": "3", "WorkstationName": "FORGED"}, ("logon", "DC1", "FORGED", "network")),
        (4624, {"LogonType": "10"}, ("logon", "DC1", "", "remote")),
        (4625, {"LogonType": "8", "TargetUserSid": "S-1-0-0"}, ("refused", "DC1", "", "password")),
        (4771, {"Status": "0x18", "TargetSid": MEMBER}, ("refused", "", "", "ticket")),
        (4776, {"Status": "0xc000006a", "Workstation": "FORGED"}, ("refused", "", "FORGED", "")),
    ],
)
def test_a_logon_is_told_with_how_it_was_and_what_the_client_claims(number: int, data: dict, told: tuple) -> None:
    """The host is the one that logs; a directory server, which checks passwords for others, is none."""
    [record] = logon_of(number, TargetUserName="ada", TargetDomainName="LOWMERE", **data)
    [event] = record.events
    assert (event.verb, event.group, event.claimed, event.way) == told
    assert (event.member, event.member_sid) == (r"LOWMERE\ada", data.get("TargetSid", ""))


@pytest.mark.parametrize(
    ("data", "told"),
    [
        ({"ServiceName": "KIOSK-07$", "Status": "0x0"}, ("KIOSK-07", r"LOWMERE.EXAMPLE\ada", "network", "192.0.2.7")),
        ({"ServiceName": "KIOSK-07$", "Status": "0x7"}, None),
        ({"ServiceName": "krbtgt", "Status": "0x0"}, None),
        ({"ServiceName": "svc.tickets", "Status": "0x0"}, None),
        ({"ServiceName": "KIOSK-07$", "TargetUserName": "QUAY-01$@LOWMERE.EXAMPLE"}, None),
    ],
)
def test_a_ticket_for_a_host_is_a_logon_over_the_network(data: dict, told: tuple | None) -> None:
    """Of whom it was given to, at the host whose account it is for; of other services and between hosts it is none."""
    about = {
        "TargetUserName": "ada@LOWMERE.EXAMPLE",
        "TargetDomainName": "LOWMERE.EXAMPLE",
        "IpAddress": "::ffff:192.0.2.7",
    }
    [record] = logon_of(4769, **{**about, **data})
    assert [(e.group, e.member, e.way, e.origin) for e in record.events or ()] == ([told] if told else [])


TICKET = "  Kerberos: TGS-REQ SUCCESS ipv4:192.0.2.7:51320 {} {} etype=18/18 pac_attributes=1 end=1796114657{}"


@pytest.mark.parametrize(
    ("client", "service", "more", "told"),
    [
        ("ada@L.EXAMPLE", "HARBOUR-01$@L.EXAMPLE", " start=1796078658", (r"L.EXAMPLE\ada", "HARBOUR-01")),
        ("ada@L.EXAMPLE", "cifs/quay-72.l.example@L.EXAMPLE", " start=1796078658 a=b", (r"L.EXAMPLE\ada", "quay-72")),
        (r"ada\@L@L.EXAMPLE", "HTTP/quay-72/L@L.EXAMPLE", " start=1796078658", ("ada@L", "quay-72")),
        ("QUAY-72$@L.EXAMPLE", "cifs/harbour-01@L.EXAMPLE", " start=1796078658", "a ticket of no host"),
        ("ada@L.EXAMPLE", "krbtgt/L.EXAMPLE@L.EXAMPLE", " start=1796078658", "a ticket of no host"),
        ("ada@L.EXAMPLE", "svc.web@L.EXAMPLE", " start=1796078658", "a ticket of no host"),
        ("ada@L.EXAMPLE", "HARBOUR-01$@L.EXAMPLE", "", "a ticket was given, and the line is of another form"),
        ("ada", "HARBOUR-01$", " start=1", "a ticket was given, and the line is of another form"),
        (
            "ada@L.EXAMPLE",
            "HARBOUR-01$@L.EXAMPLE",
            " start=99999999999",
            "a ticket was given, and the line is of another form",
        ),
    ],
)
def test_a_line_about_a_ticket_for_a_host_is_a_logon_there(
    client: str, service: str, more: str, told: tuple[str, str] | str
) -> None:
    """As the KDC of a Samba server logs it, under a header of its own; one that is of no host is counted."""
    header = (
        "[2026/11/30 22:44:18.017192,  3] ../../source4/auth/kerberos/krb5_init_context.c:90(smb_krb5_debug_wrapper)"
    )
    asked = "  Kerberos: TGS-REQ ada@L.EXAMPLE from ipv4:192.0.2.7:51320 for HARBOUR-01$@L.EXAMPLE [renewable]"
    [record] = read("\n".join([header, asked, header, TICKET.format(client, service, more)]))
    if isinstance(told, str):
        assert (record.passed_over or record.trouble) == told
        return
    [event] = record.events or ()
    assert (event.member, event.group, event.way, event.origin) == (*told, "network", "192.0.2.7")
    assert event.at == datetime(2026, 11, 30, 22, 44, 18, tzinfo=UTC)


def test_what_tells_nothing_that_is_kept_is_counted_by_its_kind() -> None:
    """Nothing that was logged is passed over in silence."""
    other = {"timestamp": SAMBA["timestamp"], "type": "passwordChange", "passwordChange": {}}
    refused = SAMBA | {"groupChange": SAMBA["groupChange"] | {"status": "Insufficient access rights"}}
    found = [record for one in (other, refused) for record in read(json.dumps(one))]
    found += logon_of(4776, Status="0x0", TargetUserName="ada") + logon_of(4634, TargetUserName="ada")
    assert [record.passed_over for record in found] == [
        "passwordChange",
        "groupChange Added Insufficient access rights",
        "event 4776 of success",
        "event 4634",
    ]


def test_a_line_of_our_own_form_is_read() -> None:
    """For whatever has no reader here."""
    line = {"time": "2026-11-22T03:40:00.123456+01:00", "verb": "removed", "by": "ada", "group_sid": GROUP}
    [event] = events(json.dumps(line | {"member_sid": MEMBER, "from": "192.0.2.9"}))
    assert event == Event(WHEN, "removed", by="ada", group_sid=GROUP, member_sid=MEMBER, origin="192.0.2.9")


@pytest.mark.parametrize(
    ("data", "said"),
    [
        ('{"timestamp": "2026-11-22T02:40:00+0000", "type": "groupChange", "groupChange": {', "no whole JSON"),
        (json.dumps(SAMBA | {"timestamp": "yesterday"}), "'yesterday' is no time"),
        (json.dumps(SAMBA | {"timestamp": "2026-11-22T02:40:00"}), "does not say in which zone"),
        (json.dumps(SAMBA | {"groupChange": SAMBA["groupChange"] | {"userSid": "S-1-x"}}), "is no SID"),
        ('{"verb": "added", "time": "2026-11-22T02:40:00Z"}', "names neither its group nor its member"),
        ('{"verb": "given", "time": "2026-11-22T02:40:00Z"}', "there is no verb 'given'"),
        ('{"verb": "added", "colour": 1}', "there is no key 'colour'"),
        ('{"some": "json"}', "of no form that is known"),
        (f"{XML}</Event", "no whole XML"),
        (XML.replace("<Events>", '<!DOCTYPE a [<!ENTITY b "c">]><Events>'), "declares entities"),
        (XML.replace("4728", "many") + "</Events>", "no event number"),
        ("{" + "x" * LONGEST_LINE + "\n", "longer than any record"),
        (gzip.compress(json.dumps(SAMBA).encode())[:-9], "the compressed file is damaged"),
    ],
)
def test_what_cannot_be_read_is_set_aside_with_its_reason(data: str | bytes, said: str) -> None:
    """And what stands around it is read all the same."""
    troubles = [record.trouble for record in read(data) if record.trouble]
    assert len(troubles) == 1
    assert said in troubles[0]


def test_a_broken_line_stops_nothing() -> None:
    """The lines before and after it are events."""
    good = json.dumps(SAMBA)
    found = read(f"{good}\n{good[:40]}\n{good}\n")
    assert [bool(record.trouble) for record in found] == [False, True, False]


JSON = st.recursive(
    st.none() | st.booleans() | st.integers() | st.text(max_size=8),
    lambda inner: (
        st.lists(inner, max_size=3)
        | st.dictionaries(st.sampled_from([*SAMBA, *SAMBA["groupChange"], "verb", "time"]), inner, max_size=5)
    ),
    max_leaves=8,
)


@given(
    st.binary(max_size=300)
    | JSON.map(lambda v: json.dumps(v).encode())
    | st.text(max_size=200).map(lambda t: (XML + t).encode("utf-8", "replace"))
)
def test_anything_may_stand_in_a_log(data: bytes) -> None:
    """Events, or a reason why there are none; never another error."""
    for record in read(data):
        assert record.events or record.trouble or record.text is not None


OWN = {"time": "2026-11-22T02:40:00Z", "verb": "added", "group": "Night Watch", "member": "ada", "from": "192.0.2.7"}
ODD = st.sampled_from(
    ["\ud800", "ada\udcff", "x" * 5000, 1 << 80, -1, 1e308, "9" * 5000, "%{S-1-5-9999999999999999999}"]
)


@given(st.sampled_from([*SAMBA["groupChange"], "timestamp", *OWN]), JSON | ODD, st.sampled_from(["", "\\ud800"]))
def test_whatever_a_record_tells_can_be_stored(key: str, value, behind: str) -> None:
    """A server of another version, or a hostile one, may tell anything: half a character, a number of eighty bits."""
    samba = SAMBA | {key: value, "groupChange": SAMBA["groupChange"] | {key: value}}
    typed = [json.dumps(told) for told in (samba, OWN | {key: value})]
    raw = "\n".join([*typed, *(line.replace("da", f"d{behind}a") for line in typed)]).encode() + b'\n{"verb": "\xff"}\n'
    told = part_of_lines(raw)
    assert told.read >= 1
    columns = [value for row in told.rows for value in row] + [word for pair in told.aside for word in pair]
    with closing(sqlite3.connect(":memory:")) as store:
        for column in columns:
            store.execute("SELECT ?", (column,))


def test_a_byte_that_is_no_character_hides_no_change() -> None:
    """The change is an event all the same, and its name tells the byte."""
    line = json.dumps(SAMBA).encode().replace(b"Ada", b"Ad\xff")
    [record] = read(line)
    assert [event.member for event in record.events] == ["CN=Ad\\udcff,DC=x"]
