"""A real member host by its account database: the program from end to end."""

import json
import socket
import threading
from collections.abc import Iterator
from contextlib import contextmanager

import pytest
from impacket import smbconnection

from adzeguard.hosts.remote_sam import pipes
from adzeguard.hosts.remote_sam.session import RemoteSamSession
from tests.program import Program, enacted
from tests.server.member import HOST, Member, charter
from tests.server.planting import planting
from tests.server.server import PASSWORD, Server

pytestmark = pytest.mark.server
UNKNOWN = "S-1-5-21-1-2-3-4567"


def test_administrators_are_exactly_those_of_the_rule(harbour: Program, server: Server, member: Member) -> None:
    """An unknown SID goes when the rule says `only`, stays when it says `include`; undo puts it in again."""
    before = member.administrators()
    member.administrators(add=UNKNOWN)
    harbour("collect")
    found = {(f["check"], f["evidence"].get("member_sid")) for f in harbour("check", "--format", "json").json}
    assert ("foreign-member", UNKNOWN) in found
    charter(harbour, "local-group: administrators\n  include: [LOWMERE\\Console Wardens]")
    assert [(r["kind"], r["member"]) for r in enacted(harbour)] == [("add-local-member", r"LOWMERE\Console Wardens")]
    wardens = server.sids["Console Wardens"]
    assert member.administrators() == before | {UNKNOWN, wardens}
    charter(harbour, "local-group: administrators\n  only: [LOWMERE\\Domain Admins, LOWMERE\\orla.fenn]")
    assert len(enacted(harbour)) == 3
    assert member.administrators() == before | {server.sids["orla.fenn"]}
    assert harbour("undo", "--last", "--yes").code == 0
    assert member.administrators() == before | {UNKNOWN, wardens}
    charter(harbour, "local-group: administrators\n  only: [LOWMERE\\Domain Admins]")
    enacted(harbour)
    assert member.administrators() == before


def test_a_notice_stands_in_the_host_and_goes_with_its_rule(harbour: Program, member: Member) -> None:
    """Both values, lines among them; what the host cannot do is unsupported, with its own reason."""
    charter(
        harbour,
        'notice: {title: "Harbour only", text: "First ü line.\\nSecond $(id) line."}\n'
        "  refuse-logon: {remote: [LOWMERE\\Domain Users]}",
        f"elevate: {{program: 'C:\\Charts\\update.exe', sha256: {'9f' * 32}, for: [LOWMERE\\orla.fenn]}}",
    )
    reasons = {left["reason"] for left in harbour("propose", "--format", "json").json["left_out"]}
    assert reasons == {
        f"unsupported: {HOST} has no logon-refusal: the host knows no such rights",
        (
            f"unsupported: {HOST} has no elevation: a host reached by its account database has no such thing as one"
            " elevated program"
        ),
    }
    assert [r["kind"] for r in enacted(harbour)] == ["set-notice"]
    assert member.notice("legalnoticecaption") == "Harbour only"
    assert member.notice("legalnoticetext").replace("\r\n", "\n") == "First ü line.\nSecond $(id) line."
    assert "0 hosts." in harbour("collect", "--full").out
    charter(harbour)
    enacted(harbour)
    assert (member.notice("legalnoticecaption"), member.notice("legalnoticetext")) == ("", "")


def test_its_own_groups_and_accounts_are_made_filled_disabled_and_undone(harbour: Program, member: Member) -> None:
    """A group made, filled and deleted by name, an account disabled: seen by the host's own tools, and undone."""
    config = ("-s", "/srv/member/smb.conf")
    words = "printf 'Tide9-Rope-Anchor\\nTide9-Rope-Anchor\\n'"
    add = f"useradd -M till && {words} | pdbedit -s {config[1]} -a -t till"
    assert member.run("sh", "-c", add).returncode == 0
    harbour("collect")

    def groups() -> str:
        return member.run("net", *config, "sam", "list", "localgroups").stdout

    def marks() -> str:
        lines = member.run("pdbedit", *config, "-L", "-w").stdout.splitlines()
        return next(line for line in lines if line.startswith("till:")).split(":")[4]

    assert harbour("group", "create", "--on", HOST, "Till Repair", "--yes").code == 0
    assert "Till Repair" in groups()
    assert harbour("group", "add", "--on", HOST, "till repair", r"LOWMERE\orla.fenn", "--yes").code == 0
    deleted = harbour("group", "delete", "--on", HOST, "Till Repair", "--yes", "--format", "json")
    assert [row["status"] for row in deleted.json] == ["verified"], deleted.out
    assert "Till Repair" not in groups()
    assert harbour("undo", "--last", "--yes").code == 0
    assert "Till Repair" in groups()
    shown = harbour("show", HOST, "--format", "json").json
    assert r"LOWMERE\orla.fenn" in json.dumps(shown).replace("\\\\", "\\")
    assert harbour("group", "delete", "--on", HOST, "Till Repair", "--yes").code == 0
    assert "D" not in marks()
    charter(harbour, "local-accounts: {disabled: 'local\\till'}")
    assert [row["kind"] for row in enacted(harbour)] == ["disable-own-account"]
    assert "D" in marks()
    charter(harbour)
    assert [row["kind"] for row in enacted(harbour)] == ["enable-own-account"]
    assert "D" not in marks()
    refused = harbour("group", "create", "--on", HOST, "till", "--yes")
    assert refused.code == 1


def test_a_host_that_is_off_is_done_when_it_is_back(harbour: Program, server: Server, member: Member) -> None:
    """Switched off between the proposal and its enactment, it is told as not reached; the next enactment does it."""
    charter(harbour, "local-group: administrators\n  include: [LOWMERE\\Console Wardens]")
    harbour("propose", "--output", "p.json")
    member.switch(on=False)
    try:
        off = harbour("enact", "--yes", "--format", "json")
        assert (off.code, {row["status"] for row in off.json}) == (1, {"unreachable"})
        assert "cannot be reached" in harbour("hosts", "test", HOST).out
    finally:
        member.switch(on=True)
    assert [row["status"] for row in enacted(harbour)] == ["verified"]
    assert server.sids["Console Wardens"] in member.administrators()
    charter(harbour, "local-group: administrators\n  only: [LOWMERE\\Domain Admins]")
    enacted(harbour)


@contextmanager
def meddling(address: str, after: int) -> Iterator[int]:
    """Somebody between who changes one byte of what the host says, after so many messages; yields the port."""
    listening = socket.create_server(("127.0.0.1", 0))

    def pump(source: socket.socket, sink: socket.socket, count: int) -> None:
        try:
            while data := source.recv(65536):
                count -= 1
                changed = bytearray(data)
                if count == 0:
                    changed[-5] ^= 1
                sink.sendall(bytes(changed))
        except OSError:
            pass
        finally:
            for end in (source, sink):
                end.close()

    def serve() -> None:
        while True:
            try:
                client, _ = listening.accept()
            except OSError:
                return
            host = socket.create_connection((address, 445))
            threading.Thread(target=pump, args=(client, host, -1), daemon=True).start()
            threading.Thread(target=pump, args=(host, client, after), daemon=True).start()

    threading.Thread(target=serve, daemon=True).start()
    yield listening.getsockname()[1]
    listening.close()


@pytest.mark.parametrize("after", [5, 9, 14])
def test_an_answer_that_somebody_meddled_with_is_no_answer(
    harbour: Program, server: Server, member: Member, after: int
) -> None:
    """One byte changed on the way, and nothing of it is believed: the last state stays, with the trouble."""
    known = harbour("who", "--on", HOST, "--format", "json").json
    with meddling(member.address, after) as port:
        settings = harbour.folder / "adzeguard.toml"
        text = settings.read_text()
        settings.write_text(text.replace("'127.0.0.2'\nport = 445", f"'127.0.0.1'\nport = {port}"))
        collected = harbour("collect")
        assert collected.code == 4
        assert "somebody meddles with" in collected.err
    assert harbour("who", "--on", HOST, "--format", "json").json == known


def test_a_wrong_password_is_one_line(harbour: Program, server: Server) -> None:
    """Said with the way out; the password stands in no output."""
    wrong = harbour.folder / "wrong"
    wrong.touch(0o600)
    wrong.write_text("Wrong-pass-1")
    settings = harbour.folder / "adzeguard.toml"
    settings.write_text(settings.read_text().replace(str(server.password_file), str(wrong), 2))
    text = settings.read_text()
    at = text.index("[hosts.sam]")
    settings.write_text(text[:at].replace(str(wrong), str(server.password_file)) + text[at:])
    tried = harbour("hosts", "test", HOST, "--format", "json")
    assert tried.code == 3
    assert "STATUS_LOGON_FAILURE" in tried.json[-1]["said"]
    assert "Wrong-pass-1" not in tried.out + tried.err


def test_the_tickets_of_a_cache_are_used_instead_of_a_password(harbour: Program, member: Member) -> None:
    """With a ticket in the cache no password is asked for; without one the way to get it is said."""
    file = harbour.folder / "tickets"
    settings = harbour.folder / "adzeguard.toml"
    lines = [line for line in settings.read_text().split("\n") if not line.startswith("account = ")]
    text = "\n".join(lines).replace(
        "[hosts.sam]", "[hosts.sam]\naccount = 'LOWMERE.EXAMPLE\\Administrator'\nkerberos = 'true'\nkdc = '127.0.0.1'"
    )
    at = text.index("[hosts.sam]")
    kept = [line for line in text[at:].split("\n") if not line.startswith("password_file = ")]
    settings.write_text(text[:at] + "\n".join(kept))
    harbour.environment["KRB5CCNAME"] = str(file)
    without = harbour("hosts", "test", HOST, "--format", "json")
    assert without.code == 3
    file.write_bytes(member.tickets(PASSWORD))
    tried = harbour("hosts", "test", HOST, "--format", "json")
    assert tried.code == 0, tried.out
    charter(harbour, "local-group: administrators\n  include: [LOWMERE\\Console Wardens]")
    enacted(harbour)
    charter(harbour)
    enacted(harbour)
    assert "no ticket" in without.json[-1]["said"]


def test_a_host_without_one_of_its_services_is_read_all_the_same(
    harbour: Program, member: Member, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Its registry is switched off, as many are: it lacks a notice, with the reason, and its members are known."""
    monkeypatch.setitem(pipes._SERVICES, "switched-off", pipes._SERVICES["winreg"])
    monkeypatch.setattr(RemoteSamSession, "_notice", lambda session: session._pipes.service("switched-off"))
    assert member.administrators()
    harbour("collect")
    shown = harbour("show", HOST, "--format", "json").json
    assert any(group["members"] for group in shown["local_groups"] if group["name"] == "administrators")
    assert "notice" not in shown["capabilities"]
    assert "offers no service switched-off" in json.dumps(shown)


def test_who_is_logged_on_to_the_host_is_seen(server: Server, harbour: Program, member: Member) -> None:
    """Whom the host has in its list of sessions, or over the network, and nobody any more when these are over."""

    def seen() -> list[tuple[str, str]]:
        harbour("collect")
        return [(row["account"], row["way"]) for row in harbour("logons", "--on", HOST, "--format", "json").json]

    assert seen() == []
    try:
        member.session(r"LOWMERE\orla.fenn")
        assert seen() == [(r"LOWMERE\orla.fenn", "session")]
        member.session("root")
        assert seen() == []
    finally:
        member.session("")
    assert seen() == []
    with planting(server, "Seen") as place:
        place.person("seen.afar")
        connection = smbconnection.SMBConnection("member", member.address)
        connection.login("seen.afar", PASSWORD, "LOWMERE")
        assert seen() == [(r"LOWMERE\seen.afar", "network")]
        assert member.is_administered_by("seen.afar") is False
        connection.close()
    assert seen() == []
