"""A second domain beside the demo's: the same people, under another name, another SID and other identities."""

from hashlib import md5
from pathlib import Path

from adzeguard.directory.ldif import read_records, render_record

_SID_AT = 12
"""Where in a packed SID of a domain the first number of its own stands."""


def second_domain(first: Path, to: Path) -> None:
    """Write ISLE out of LOWMERE."""
    records, _ = read_records(first.read_bytes(), first.name)
    top = next(record for record in records if record.dn == "DC=lowmere,DC=example")
    own = next(bytes(value) for name, value in top.values if name == "objectSid")
    other = own[:_SID_AT] + b"\x09\0\0\0" + own[_SID_AT + 4 :]

    def of_isle(name: str, value: bytes) -> bytes:
        if name == "objectGUID":
            return md5(value, usedforsecurity=False).digest()
        value = value.replace(own[2:], other[2:])
        for was, now in ((b"DC=lowmere", b"DC=isle"), (b"LOWMERE", b"ISLE"), (b"lowmere.example", b"isle.example")):
            value = value.replace(was, now)
        return value

    with to.open("wb") as file:
        file.write(b"version: 1\n\n")
        for record in records:
            left_out = ("dc", "name") if record is top else ()
            values = [(name, of_isle(name, bytes(value))) for name, value in record.values if name not in left_out]
            file.write(render_record(record.dn.replace("DC=lowmere", "DC=isle"), values) + b"\n")
