"""What a directory keeps of its links, as it is read."""

from datetime import UTC, datetime

from hypothesis import given
from hypothesis import strategies as st

from adzeguard.directory.ldap_link_times import read_link_times
from adzeguard.directory.port import LinkTime

PIECE = (
    "<DS_REPL_VALUE_META_DATA>\n\t<pszAttributeName>Member</pszAttributeName>\n"
    "\t<pszObjectDn>CN=Holt &amp; &lt;Sons&gt;,OU=People</pszObjectDn>\n\t<cbData>0</cbData>\n\t<pbData></pbData>\n"
    "\t<ftimeDeleted>{}</ftimeDeleted>\n\t<ftimeCreated>2026-01-01T00:00:00Z</ftimeCreated>\n"
    "\t<ftimeLastOriginatingChange>{}</ftimeLastOriginatingChange>\n</DS_REPL_VALUE_META_DATA>\n"
)
NEVER = "1601-01-01T00:00:00Z"
AT = "2026-11-22T02:40:07Z"


def test_the_last_change_of_each_link_is_read() -> None:
    """Whom it names, when, and whether it was taken out; those of other attributes and of no time are passed over."""
    moment = datetime(2026, 11, 22, 2, 40, 7, tzinfo=UTC)
    pieces = [PIECE.format(NEVER, AT), PIECE.format(AT, AT), PIECE.format(NEVER, "soon"), "", "<a>"]
    name = "CN=Holt & <Sons>,OU=People"
    assert list(read_link_times([one.encode() for one in pieces], "member")) == [
        LinkTime(name, moment, deleted=False),
        LinkTime(name, moment, deleted=True),
    ]
    assert list(read_link_times([PIECE.format(NEVER, AT).encode()], "managedBy")) == []
    assert list(read_link_times([PIECE.format(NEVER, AT).encode() + b" " * 70_000], "member")) == []


@given(st.lists(st.binary(max_size=300) | st.text(max_size=60).map(lambda t: PIECE.format(t, t).encode())))
def test_anything_else_is_passed_over(pieces: list[bytes]) -> None:
    """Whatever a server sends, it is a time with its zone or nothing."""
    assert all(one.changed.tzinfo is not None for one in read_link_times(pieces, "member"))
