"""Deviations that find their owner: asked once, answered, left until a date, asked again, and told."""

import hmac
import json
import sqlite3
import ssl
import threading
from collections.abc import Iterator
from contextlib import closing
from datetime import UTC, datetime, timedelta
from hashlib import sha256
from http.server import BaseHTTPRequestHandler, HTTPServer
from pathlib import Path

import pytest

from tests.mail_server import PASSWORD, MailServer
from tests.program import Json, Program
from tests.store_rows import write_as_told

CHARTER = r"""charter: 1
rules:
  - id: chart-editors
    why: Charts are drawn by two people.
    owner: charts@lowmere.example
    group: LOWMERE\Chart Editors
    only: [LOWMERE\idris.fell]
"""


@pytest.fixture
def asking(demo: Program) -> Program:
    """The demo with one rule that tells, which nothing deviates from yet."""
    names = ", ".join(rf"LOWMERE\{name}" for name in direct(demo))
    (demo.folder / "charter/charter.yaml").write_text(CHARTER.replace(r"LOWMERE\idris.fell", names))
    return demo


def direct(program: Program) -> list[str]:
    """Who stands in the group itself."""
    shown = program("show", r"LOWMERE\Chart Editors", "--format", "json").json
    return sorted(name.rpartition("\\")[2] for name in shown["members"])


def add_settings(program: Program, text: str) -> None:
    """Write a table at the end of the settings."""
    with (program.folder / "adzeguard.toml").open("a") as file:
        file.write(text)


def put_in(program: Program, person: str = "roan.pell") -> None:
    """Put somebody into the group whom the rule does not list."""
    assert program("group", "add", r"LOWMERE\Chart Editors", person, "--yes").code == 0


def rounds(program: Program, code: int = 0) -> Json:
    """Make one round."""
    made = program("round", "--format", "json")
    assert made.code == code, made.err
    return made.json


def questions(program: Program, *more: str) -> list[Json]:
    """What questions lists."""
    rows: list[Json] = program("questions", *more, "--format", "json").json
    return rows


def test_each_deviation_is_asked_once(asking: Program) -> None:
    """A round asks; the next one does not; what has gone is settled; what comes back is asked again."""
    assert (rounds(asking)["asked"], asking("questions").code) == ([], 0)
    put_in(asking)
    assert rounds(asking)["asked"] == ["Q1"]
    [one] = questions(asking)
    assert (one["rule"], one["owner"], one["member"], one["again"], one["state"]) == (
        "chart-editors",
        "charts@lowmere.example",
        r"LOWMERE\roan.pell",
        0,
        "open",
    )
    assert "by " in one["since"], "our own journal tells who put them in"
    assert asking("questions").code == 3
    assert rounds(asking)["asked"] == []
    assert asking("group", "remove", r"LOWMERE\Chart Editors", "roan.pell", "--yes").code == 0
    assert rounds(asking)["settled"] == ["Q1"]
    assert questions(asking) == []
    put_in(asking)
    assert rounds(asking)["asked"] == ["Q2"]
    assert [(q["id"], q["again"], q["state"]) for q in questions(asking, "--all")] == [
        ("Q1", 0, "settled"),
        ("Q2", 1, "open"),
    ]


def test_a_round_without_anything_new_asks_and_tells_nothing(asking: Program) -> None:
    """Questions, letters and what was told are as they were; only that it was collected is noted."""
    add_settings(asking, '\n[tell.lines]\nfile = "told.jsonl"\n')
    put_in(asking)
    rounds(asking)

    def kept() -> list[object]:
        with closing(sqlite3.connect(asking.folder / ".adzeguard/store.db")) as store:
            tables = ("question", "waiver", "letter", "letter_number", "journal")
            rows: list[object] = [store.execute(f"SELECT * FROM {table}").fetchall() for table in tables]
        return [*rows, (asking.folder / "told.jsonl").read_bytes()]

    before = kept()
    rounds(asking)
    assert kept() == before


def test_what_is_left_is_asked_again_on_its_date(asking: Program) -> None:
    """Until then it is a note, and no proposal touches it; renewed, the waiver says how often."""
    put_in(asking)
    rounds(asking)
    said = asking("questions", "answer", "Q1", "--leave-until", "2w", "--why", "storm week")
    assert (said.code, "W1" in said.err) == (0, True)
    [waiver] = asking("questions", "waivers", "--format", "json").json
    assert (waiver["why"], waiver["renewed"], waiver["member"]) == ("storm week", 0, r"LOWMERE\roan.pell")
    [finding] = asking("check", "--rule", "chart-editors", "--format", "json").json
    assert (finding["check"], finding["severity"], finding["evidence"]["waiver"]) == ("left-as-it-is", "note", "W1")
    assert "storm week" in finding["message"]
    left = asking("propose", "--also", "chart-editors", "--format", "json").json
    assert left["changes"] == []
    assert "storm week" in left["left_out"][0]["reason"]
    assert rounds(asking)["asked"] == []
    write_as_told(asking, "UPDATE waiver SET until_ = ?", (datetime.now(UTC).isoformat(),))
    assert rounds(asking)["asked"] == ["Q2"]
    assert asking("check", "--rule", "chart-editors", "--format", "json").json[0]["check"] == "unlisted-member"
    asking("questions", "answer", "Q2", "--leave-until", "2w", "--why", "still storm")
    assert asking("questions", "waivers", "--format", "json").json[0]["renewed"] == 1


def test_a_waiver_can_be_ended(asking: Program) -> None:
    """Then the next round asks again; a waiver that is over cannot be ended once more."""
    put_in(asking)
    rounds(asking)
    asking("questions", "answer", "q1", "--leave-until", "30d", "--why", "yard")
    assert asking("questions", "waivers", "end", "W1").code == 0
    assert rounds(asking)["asked"] == ["Q2"]
    assert asking("questions", "waivers", "end", "W1").code == 2
    assert asking("questions", "waivers", "--all", "--format", "json").json[0]["state"] == "ended"


def test_an_answer_mends(asking: Program) -> None:
    """Just that deviation, under its rule and with its reason in the journal; then nothing waits."""
    put_in(asking)
    put_in(asking, "hedda.morrow")
    assert len(rounds(asking)["asked"]) == 2
    [ours] = [q for q in questions(asking) if q["member"].endswith("roan.pell")]
    answered = asking("questions", "answer", ours["id"], "--mend", "--why", "left the chart room", "--yes")
    assert (answered.code, "put right" in answered.err) == (0, True)
    assert "roan.pell" not in direct(asking)
    assert "hedda.morrow" in direct(asking)
    assert [q["member"] for q in questions(asking)] == [r"LOWMERE\hedda.morrow"]
    rows = json.dumps(asking("journal", "--format", "json").json)
    assert f"left the chart room (answer to {ours['id']})" in rows
    assert asking("questions", "answer", ours["id"], "--mend", "--why", "again", "--yes").code == 2


def test_nobody_answers_about_their_own_account(asking: Program) -> None:
    """Neither way, unless the settings let them."""
    settings = asking.folder / "adzeguard.toml"
    as_made = settings.read_text()
    put_in(asking)
    rounds(asking)
    settings.write_text(as_made + '\n[guards]\noperator = "LOWMERE\\\\roan.pell"\n')
    for way in (("--mend", "--yes"), ("--leave-until", "2w")):
        refused = asking("questions", "answer", "Q1", *way, "--why", "mine")
        assert (refused.code, "your own account" in refused.err) == (2, True)
    settings.write_text(settings.read_text().replace("[questions]", "[questions]\nown = true"))
    assert asking("questions", "answer", "Q1", "--leave-until", "2w", "--why", "mine").code == 0


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        (("Q1", "--why", "x"), "--mend"),
        (("Q1", "--mend", "--leave-until", "2w", "--why", "x"), "--mend"),
        (("Q1", "--leave-until", "2020-01-01", "--why", "x"), "is over"),
        (("Q1", "--leave-until", "3000w", "--why", "x"), "365 days"),
        (("Q1", "--leave-until", "2w", "--why", " "), "--why"),
        (("Q9", "--leave-until", "2w", "--why", "x"), "no question 'Q9'"),
    ],
)
def test_answers_that_say_too_little(asking: Program, arguments: tuple[str, ...], says: str) -> None:
    """Are refused in one line, and the question waits as before."""
    put_in(asking)
    rounds(asking)
    refused = asking("questions", "answer", *arguments)
    assert (refused.code, says in refused.err) == (2, True), refused.err
    assert len(questions(asking)) == 1


def test_the_owner_gets_a_mail(asking: Program, mail_server: MailServer) -> None:
    """Rule and group in the subject; who, since when and by whom, what the charter says, and both answers, as text
    and as HTML; the password is nowhere.
    """
    add_settings(asking, mail_server.settings(asking.folder))
    put_in(asking)
    made = rounds(asking)
    assert (made["asked"], made["told"], made["untold"]) == (["Q1"], 1, [])
    [mail] = mail_server.mails
    assert (mail["To"], mail["Subject"]) == ("charts@lowmere.example", r"chart-editors: LOWMERE\Chart Editors")
    text, html = (mail.get_body((kind,)) for kind in ("plain", "html"))
    assert text is not None
    assert html is not None
    for part in (text.get_content(), html.get_content()):
        for word in (
            "roan.pell is inside",
            "Charts are drawn by two people.",
            "charter.yaml:3",
            "adzeguard questions answer Q1 --mend --why",
            "adzeguard questions answer Q1 --leave-until 20",
            ", by ",
        ):
            assert word in part, (word, part)
    assert rounds(asking)["told"] == 0
    assert len(mail_server.mails) == 1
    kept = b"".join(path.read_bytes() for path in (asking.folder / ".adzeguard").rglob("*") if path.is_file())
    assert PASSWORD.encode() not in kept


def test_mail_that_cannot_be_sent_is_kept(asking: Program, mail_server: MailServer) -> None:
    """A server that is away, an address that is refused: told, exit 4, tried again, and told once in the end."""
    add_settings(asking, mail_server.settings(asking.folder))
    put_in(asking)
    mail_server.stop()
    made = rounds(asking, code=4)
    assert (made["told"], len(made["untold"])) == (0, 1)
    shown = asking("questions", "show", "Q1")
    assert "tried 1 times" in shown.out
    mail_server.refuses.add("charts@lowmere.example")
    mail_server.start()
    assert "550 nobody of that name" in rounds(asking, code=4)["untold"][0]
    mail_server.refuses.clear()
    assert rounds(asking)["told"] == 1
    assert rounds(asking)["told"] == 0
    assert [mail["Subject"] for mail in mail_server.mails] == [r"chart-editors: LOWMERE\Chart Editors"]


def test_a_mail_server_that_is_not_trusted_gets_nothing(asking: Program, mail_server: MailServer) -> None:
    """Another certificate, no encryption to elsewhere, a wrong password: each is one clear line."""
    settings = asking.folder / "adzeguard.toml"
    as_made = settings.read_text()
    put_in(asking)
    settings.write_text(as_made + mail_server.settings(asking.folder, ca_file=""))
    assert "certificate is not trusted" in rounds(asking, code=4)["untold"][0]
    settings.write_text(as_made + mail_server.settings(asking.folder, security="none", server="mail.lowmere.example"))
    refused = asking("round")
    assert (refused.code, "this machine alone" in refused.err) == (1, True), refused.err
    settings.write_text(as_made + mail_server.settings(asking.folder))
    (asking.folder / "mail-password").write_text("wrong\n")
    assert "password is refused" in rounds(asking, code=4)["untold"][0]
    assert mail_server.mails == []


def test_many_questions_to_one_person_come_as_one_mail(asking: Program, mail_server: MailServer) -> None:
    """More than five at once, or with digest any number: nobody's mailbox is filled."""
    add_settings(asking, mail_server.settings(asking.folder))
    people = [row["name"] for row in asking("find", ".", "--kind", "user", "--format", "json").json]
    strangers = [name for name in people if name.rpartition("\\")[2] not in direct(asking)][:7]
    assert asking("group", "add", r"LOWMERE\Chart Editors", *strangers, "--yes").code == 0
    assert len(rounds(asking)["asked"]) == 7
    [mail] = mail_server.mails
    assert mail["Subject"] == "chart-editors: 7 questions"
    body = mail.get_body(("plain",))
    assert body is not None
    assert ["--mend" in line for line in body.get_content().splitlines()].count(True) == 7


def test_whom_a_rule_does_not_name_the_settings_name(asking: Program, mail_server: MailServer) -> None:
    """And `questions try` shows at once whether that arrives."""
    charter = asking.folder / "charter/charter.yaml"
    charter.write_text(charter.read_text().replace("    owner: charts@lowmere.example\n", ""))
    settings = asking.folder / "adzeguard.toml"
    owned = settings.read_text().replace("[questions]", '[questions]\nowner = "security@lowmere.example"')
    settings.write_text(owned + mail_server.settings(asking.folder))
    assert asking("questions", "try").code == 0
    put_in(asking)
    rounds(asking)
    assert [mail["To"] for mail in mail_server.mails] == ["security@lowmere.example"] * 2
    assert asking("questions", "try", "--to", "nobody at all").code == 1


class _Posted(HTTPServer):
    """A server that keeps what is posted, and answers as it is told."""

    answer = 200
    got: list[tuple[str, bytes]]


class _Handler(BaseHTTPRequestHandler):
    def do_POST(self) -> None:
        assert isinstance(self.server, _Posted)
        body = self.rfile.read(int(self.headers["Content-Length"]))
        self.server.got.append((self.headers["Adzeguard-Signature"], body))
        self.send_response(self.server.answer)
        self.send_header("Location", "https://127.0.0.1:1/")
        self.end_headers()

    def log_message(self, *_: object) -> None:
        """Say nothing."""


@pytest.fixture
def posted(certificates: Path) -> Iterator[_Posted]:
    """It, listening."""
    server = _Posted(("127.0.0.1", 0), _Handler)
    server.got = []
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    context.load_cert_chain(certificates / "cert.pem", certificates / "key.pem")
    server.socket = context.wrap_socket(server.socket, server_side=True)
    thread = threading.Thread(target=server.serve_forever, daemon=True)
    thread.start()
    yield server
    server.shutdown()
    server.server_close()


def test_a_webhook_is_posted_with_a_seal(asking: Program, posted: _Posted, certificates: Path) -> None:
    """Over the moment and the body, by a secret from a file; what is not taken is kept, and nobody is followed."""
    (asking.folder / "hook-secret").write_text("between us\n")
    (asking.folder / "hook-secret").chmod(0o600)
    url = f"https://127.0.0.1:{posted.server_address[1]}/in?from=adzeguard"
    keys = {"url": url, "password_file": "hook-secret", "ca_file": str(certificates / "cert.pem")}
    text = "\n[tell.webhook]\n" + "".join(f'{key} = "{value}"\n' for key, value in keys.items())
    add_settings(asking, text)
    put_in(asking)
    for answer in (500, 302):
        posted.answer = answer
        assert f"answers {answer}" in rounds(asking, code=4)["untold"][0]
    posted.answer = 204
    assert rounds(asking)["told"] == 1
    signature, body = posted.got[-1]
    moment, seal = (part.partition("=")[2] for part in signature.split(", "))
    assert seal == hmac.new(b"between us", moment.encode() + b"\n" + body, sha256).hexdigest()
    assert abs(int(moment) - datetime.now(UTC).timestamp()) < 60
    [letter] = json.loads(body)
    assert (letter["id"], letter["rule"], letter["kind"]) == ("Q1", "chart-editors", "question")
    settings = asking.folder / "adzeguard.toml"
    settings.write_text(settings.read_text().replace("https://", "http://"))
    refused = asking("round")
    assert (refused.code, "https://" in refused.err) == (1, True)


def test_letters_of_a_way_that_is_gone_are_dropped_and_told(asking: Program) -> None:
    """Once; the question waits as before."""
    settings = asking.folder / "adzeguard.toml"
    as_made = settings.read_text()
    add_settings(asking, '\n[tell.lines]\nfile = "/dev/full"\n')
    put_in(asking)
    rounds(asking, code=4)
    settings.write_text(as_made)
    assert "has no [tell.lines] any more" in rounds(asking, code=4)["untold"][0]
    assert rounds(asking)["untold"] == []
    assert len(questions(asking)) == 1


def test_lines_go_to_a_file(asking: Program) -> None:
    """One a question, of mode 0600; a full disk leaves no half a line, and it is told once there is room."""
    file = asking.folder / "told.jsonl"
    settings = asking.folder / "adzeguard.toml"
    as_made = settings.read_text()
    settings.write_text(as_made + '\n[tell.lines]\nfile = "/dev/full"\n')
    put_in(asking)
    assert "No space left" in rounds(asking, code=4)["untold"][0]
    settings.write_text(as_made + '\n[tell.lines]\nfile = "told.jsonl"\n')
    assert rounds(asking)["told"] == 1
    [line] = [json.loads(text) for text in file.read_text().splitlines()]
    assert (line["id"], line["to"], line["message"].endswith("not listed")) == ("Q1", "charts@lowmere.example", True)
    assert file.stat().st_mode & 0o777 == 0o600
    settings.write_text(as_made)


def test_a_rule_that_is_not_followed_is_no_silence(demo: Program) -> None:
    """A mistyped name, and two rules that contradict each other: each round says so, its owner is asked once.

    It is answered by mending the rule, and by nothing else; then it settles, and the hosts are as they should be.
    """
    charter = demo.folder / "charter/charter.yaml"
    scope = 'hosts: {under: "OU=Ticket Kiosks,OU=Hosts"}, response: mend'
    text = f"""charter: 1
rules:
  - {{id: stewards, {scope}, owner: mira@lowmere.example, local-group: administrators, include: ['LOWMERE\\Stewardz']}}
  - {{id: one-notice, {scope}, notice: {{title: One}}}}
  - {{id: two-notices, {scope}, notice: {{title: Two}}}}
"""
    charter.write_text(text)
    first = rounds(demo, 4)
    assert (first["mended"], len(first["not_followed"]), len(first["asked"])) == (0, 2, 2)
    assert "rule stewards is not followed: nothing is called 'LOWMERE\\Stewardz'" in first["not_followed"][0]
    assert "contradict each other: each wants another notice" in first["not_followed"][1]
    again = rounds(demo, 4)
    assert (again["not_followed"], again["asked"]) == (first["not_followed"], [])
    assert "one-notice, stewards not followed" in " ".join(demo("status").out.split())
    name = first["asked"][0]
    assert demo("questions", "show", name, "--format", "json").json["owner"] == "mira@lowmere.example"
    assert "--mend" not in demo("questions", "show", name).out
    refused = demo("questions", "answer", name, "--mend", "--why", "x")
    assert (refused.code, "the rule itself is to be mended" in refused.err) == (2, True), refused.err
    charter.write_text(text.replace("Stewardz", "Kiosk Stewards").replace("Two", "One"))
    mended = demo("round", "--format", "json").json
    assert (mended["not_followed"], set(mended["settled"])) == ([], set(first["asked"]))
    assert mended["mended"] > 20


def test_who_may_answer_and_who_hears_of_it(asking: Program) -> None:
    """The owner, or whom the settings name; waivers pass the same gate. What others decided the owner is told."""
    add_settings(asking, '\n[tell.lines]\nfile = "told.jsonl"\n')
    settings = asking.folder / "adzeguard.toml"
    as_made = settings.read_text()
    put_in(asking)
    rounds(asking)
    found = asking("check", "--rule", "chart-editors", "--format", "json").json[0]["fingerprint"]
    left = ("--leave-until", "2w", "--why", "w"), ("--until", "2w", "--why", "w")
    decide = (("questions", "answer", "Q1", *left[0]), ("questions", "leave", found, *left[1]))
    [line] = [line for line in as_made.splitlines() if line.startswith("answerers")]
    another = as_made.replace(line, 'answerers = ["mira.holt"]')
    own = as_made + '\n[guards]\noperator = "LOWMERE\\\\roan.pell"\n'
    for text, said in ((another, "is for charts@lowmere.example to decide on"), (own, "your own account")):
        settings.write_text(text)
        for command in decide:
            refused = asking(*command)
            assert (refused.code, said in refused.err) == (2, True), refused.err
    settings.write_text(as_made)
    assert asking(*decide[1]).code == 0
    rounds(asking)
    told = [json.loads(line) for line in (asking.folder / "told.jsonl").read_text().splitlines()]
    [decided] = [one for one in told if one["kind"] == "decision"]
    assert decided["to"] == "charts@lowmere.example"
    assert "roan.pell" in decided["text"]


def test_what_needs_somebody_elses_yes_is_not_left_without_it(asking: Program) -> None:
    """To leave a deviation of such a group is to widen it."""
    put_in(asking)
    rounds(asking)
    add_settings(asking, "\n[approval]\ngroups = ['LOWMERE\\Chart Editors']\nsigners = \"signers\"\n")
    (asking.folder / "signers").write_text("")
    refused = asking("questions", "answer", "Q1", "--leave-until", "2w", "--why", "w")
    assert (refused.code, "need somebody else's yes" in refused.err) == (1, True), refused.err


def told(program: Program) -> list[tuple[str, str]]:
    """Who was told of which question, in their order."""
    file = program.folder / "told.jsonl"
    lines = file.read_text().splitlines() if file.exists() else []
    return [(letter["id"], letter["to"]) for letter in map(json.loads, lines) if letter["kind"] == "question"]


def test_what_waits_is_told_once_there_is_a_way_and_again_after_a_while(asking: Program) -> None:
    """Asked before there was any way to tell; then the owner again, their deputy, and the workspace's owner."""
    put_in(asking)
    rounds(asking)
    add_settings(asking, '\n[tell.lines]\nfile = "told.jsonl"\n')
    settings = asking.folder / "adzeguard.toml"
    more = 'owner = "security@lowmere.example"\ndeputy = "deputy@lowmere.example"\nremind_days = 3'
    settings.write_text(settings.read_text().replace("[questions]", f"[questions]\n{more}"))
    whom = ["charts", "charts", "deputy", "security", "security"]
    for days in range(0, 15, 3):
        asking.ahead = timedelta(days=days, minutes=days)
        rounds(asking)
        rounds(asking)
    assert told(asking) == [("Q1", f"{one}@lowmere.example") for one in whom]


def test_an_owner_who_is_no_address_is_told_of_by_lint_and_the_workspaces_owner_hears(
    asking: Program, mail_server: MailServer
) -> None:
    """Nobody is asked whom nobody tells."""
    charter = asking.folder / "charter/charter.yaml"
    charter.write_text(charter.read_text().replace("charts@lowmere.example", "the chart room"))
    settings = asking.folder / "adzeguard.toml"
    owned = settings.read_text().replace("[questions]", '[questions]\nowner = "security@lowmere.example"')
    settings.write_text(owned + mail_server.settings(asking.folder))
    found = asking("charter", "lint")
    assert (found.code, "its owner 'the chart room' is no mail address" in found.out) == (3, True)
    put_in(asking)
    rounds(asking)
    assert [mail["To"] for mail in mail_server.mails] == ["security@lowmere.example"]


def test_a_question_offers_what_can_be_done(asking: Program) -> None:
    """To put a keeper out is refused: said where it is asked, and refused before anything is proposed."""
    charter = asking.folder / "charter/charter.yaml"
    rule = r"- {id: chart-editors, owner: o@x.example, group: LOWMERE\Break Glass, exclude: [LOWMERE\glass.one]}"
    charter.write_text(f"charter: 1\nrules:\n{rule}\n")
    settings = asking.folder / "adzeguard.toml"
    settings.write_text(settings.read_text().replace("[charter]", "[charter]\nkeepers = ['LOWMERE\\glass.one']"))
    rounds(asking)
    [asked] = asking("questions", "--format", "json").json
    assert "no change puts it right" in asking("questions", "show", asked["id"]).out
    refused = asking("questions", "answer", asked["id"], "--mend", "--why", "w", "--yes")
    assert (refused.code, "cannot be put right by a change" in refused.err) == (2, True)
