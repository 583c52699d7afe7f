"""What mail says: nothing from directory or hosts can be more than a text in it."""

from datetime import UTC, datetime
from email import message_from_bytes
from email.policy import default
from html.parser import HTMLParser

import pytest
from hypothesis import given
from hypothesis import strategies as st

from adzeguard.core.errors import AdzeguardError
from adzeguard.tellers.mail import Mail, is_address
from adzeguard.tellers.port import Letter

NOW = datetime(2026, 11, 22, 2, 40, tzinfo=UTC)
ODD = st.text(max_size=40) | st.sampled_from(
    [
        "</td><script>alert(1)</script>",
        "a\r\nBcc: everybody@lowmere.example",
        "{{ 7 * 7 }}",
        "\u202eevil",
        "=?utf-8?q?x?=",
    ]
)


def letter(number: int, **texts: str) -> Letter:
    """Return a letter with a question."""
    usual = {"id": "Q1", "rule": "r", "where": "w", "message": "m", "why": "y", "says": "s", "since": "t"}
    body = {
        **usual,
        "mend": "adzeguard questions answer Q1 --mend",
        "leave": "adzeguard questions answer Q1 --leave-until D",
        **texts,
    }
    return Letter(number, "question", "charts@lowmere.example", NOW, body)


def mail(**more: str) -> Mail:
    """Return a way by mail that is never connected."""
    return Mail({"server": "mail.lowmere.example", "from": "adzeguard@lowmere.example", **more}, lambda: "secret")


class _Tags(HTMLParser):
    def __init__(self) -> None:
        super().__init__()
        self.tags: set[str] = set()
        self.text = ""

    def handle_starttag(self, tag: str, _attrs: object) -> None:
        self.tags.add(tag)

    def handle_data(self, data: str) -> None:
        self.text += data


@given(ODD, ODD, ODD, ODD)
def test_values_stay_texts(rule: str, where: str, message: str, since: str) -> None:
    """Whatever they hold: no further header, no tag of theirs, nothing that turns the direction of a line."""
    written = mail().message([letter(1, rule=rule, where=where, message=message, since=since)])
    read = message_from_bytes(written.as_bytes(), policy=default)
    assert set(read.keys()) == set(mail().message([letter(1)]).keys())
    assert (read["To"], "\n" in read["Subject"]) == ("charts@lowmere.example", False)
    html = read.get_body(("html",))
    assert html is not None
    tags = _Tags()
    tags.feed(html.get_content())
    assert tags.tags <= {"html", "head", "meta", "title", "body", "p", "table", "tr", "th", "td", "pre", "code"}
    text = read.get_body(("plain",))
    assert text is not None
    for shown in (tags.text.replace("\r\n", "\n"), text.get_content().replace("\r\n", "\n")):
        assert all(c.isprintable() or c == "\n" for c in shown)
    assert "secret" not in written.as_string()


def test_the_same_mail_has_the_same_id() -> None:
    """At every try; another letter has another one, and so has another bundle."""
    ids = [
        mail().message(letters)["Message-ID"]
        for letters in ([letter(1)], [letter(1)], [letter(2)], [letter(1), letter(2)])
    ]
    assert ids[0] == ids[1]
    assert len(set(ids)) == 3


def test_bundles() -> None:
    """One mail a question up to five; beyond, and with digest, one a person; what is no question comes by itself."""
    few, many = [letter(n) for n in range(5)], [letter(n) for n in range(60)]
    alarm = Letter(99, "alarm", "charts@lowmere.example", NOW, {"subject": "a", "text": "b"})
    assert [len(b) for b in mail().bundles(few)] == [1] * 5
    assert [len(b) for b in mail().bundles([*many, alarm])] == [60, 1]
    assert [len(b) for b in mail(digest="true").bundles(few)] == [5]
    text = mail().message(many).get_body(("plain",))
    assert text is not None
    assert "And 10 more: adzeguard questions" in text.get_content()


@pytest.mark.parametrize(
    "text", ["", "a", "a@b", "a b@c.d", "a@c.d,b@c.d", "A <a@c.d>", "a@c.d\r\nBcc: x@y.z", "é@c.d", "a" * 300 + "@c.d"]
)
def test_what_is_no_single_address(text: str) -> None:
    """Gets no mail, and cannot be what mail comes from."""
    assert not is_address(text)
    with pytest.raises(AdzeguardError):
        mail(**{"from": text})


@pytest.mark.parametrize("wrong", [{"port": "0"}, {"port": "smtp"}, {"security": "maybe"}, {"security": "none"}])
def test_wrong_settings(wrong: dict[str, str]) -> None:
    """Are one clear error before anything is sent; in the open mail goes to this machine alone."""
    with pytest.raises(AdzeguardError):
        mail(**wrong)
    assert mail(server="127.0.0.1", security="none").takes("question", "a@b.example")
