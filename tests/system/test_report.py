"""Reports, as they are handed on."""

import csv
import io
import json
import re
from base64 import b64encode
from collections import Counter
from html.parser import HTMLParser

import pypdf
import pytest
from openpyxl import load_workbook

from tests.program import Program

NAMES = ("privileged", "ways", "hosts", "delegation", "changes", "stale", "charter")


def test_each_report_says_what_the_commands_say(demo: Program) -> None:
    """Who is privileged, who administers hosts, what was granted and is stale, the rules, what was changed."""
    made = demo("report", "privileged", "--format", "json").json
    assert any(row["member"] == r"LOWMERE\orla.fenn" and "Night Watch" in row["through"] for row in made)
    inside = {row["qualified_name"] for row in demo("who", r"LOWMERE\Domain Admins", "--format", "json").json}
    assert {row["member"] for row in made if row["group"] == r"LOWMERE\Domain Admins"} == inside
    hosts = demo("report", "hosts", "--format", "json").json
    assert {row["member"] for row in hosts if row["host"] == "KIOSK-07"} >= {r"LOWMERE\pontus.reil", r"KIOSK-07\fitter"}
    assert len(demo("report", "delegation", "--format", "json").json) == len(
        demo("grant", "list", "--format", "json").json
    )
    stale = demo("report", "stale", "--format", "json").json
    assert {row["name"] for row in stale if row["what"] == "policies"} == {
        row["name"] for row in demo("stale", "policies", "--format", "json").json
    }
    rules = {row["rule"]: row for row in demo("report", "charter", "--format", "json").json}
    assert "hosts: under OU=Ticket Kiosks,OU=Hosts" in rules["kiosk-administrators"]["demand"]
    assert demo("report", "changes", "--format", "json").json == []
    assert demo("group", "add", "First Aiders", "yorick.tarn", "--yes").code == 0
    assert len(demo("report", "changes", "--since", "1h", "--format", "json").json) == 1


def outcomes_in_journal(demo: Program) -> Counter[tuple[str, str, str]]:
    """By enactment, change and status, as the rows of the journal tell it themselves."""
    rows = demo("journal", "--format", "json").json
    return Counter(
        (row["enactment"], row["body"]["change"], row["body"]["status"]) for row in rows if row["kind"] == "outcome"
    )


def test_the_report_of_changes_has_each_change_with_its_own_outcome(demo: Program) -> None:
    """Many enactments whose changes have the same numbers, some of them refused: in every form one row for each."""
    for name in ("yorick.tarn", "roan.pell", "hedda.morrow"):
        assert demo("group", "add", "First Aiders", name, "--yes", "--why", f"=SUM(1) for {name}").code == 0
    demo("group", "remove", "--on", "KIOSK-03", "administrators", r"LOWMERE\Kiosk Stewards", "--yes")
    demo("group", "add", "--on", "KIOSK-03", "administrators", r"LOWMERE\Kiosk Stewards", "--only-propose", "p.json")
    demo("group", "add", "--on", "KIOSK-03", "administrators", r"LOWMERE\Kiosk Stewards", "--yes")
    host = demo.folder / "hosts/KIOSK-03.json"
    there = host.read_text()
    demo("undo", "--last", "--yes")
    host.write_text(there)
    assert demo("enact", "p.json", "--yes", "--format", "json").json[0]["status"] == "conflict"
    told = outcomes_in_journal(demo)
    assert len({enactment for enactment, *_ in told}) == len(told) == 6
    assert {change for _, change, _ in told} == {"c00001"}
    rows = demo("report", "changes", "--format", "json").json
    assert Counter((row["enactment"], row["change"], row["outcome"]) for row in rows) == told
    assert {row["why"] for row in rows} >= {"=SUM(1) for yorick.tarn"}
    for ending in ("csv", "xlsx", "html", "pdf", "jsonl"):
        assert demo("report", "changes", "--output", f"c.{ending}").code == 0
    by_csv = list(csv.DictReader(io.StringIO((demo.folder / "c.csv").read_text(encoding="utf-8-sig"))))
    assert Counter((row["enactment"], row["change"], row["outcome"]) for row in by_csv) == told
    sheet = list(load_workbook(demo.folder / "c.xlsx").active.iter_rows(values_only=True))
    flat = [[str(cell) for cell in row] for row in sheet]
    page = re.sub("<[^>]*>", " ", (demo.folder / "c.html").read_text())
    paper = "".join(part.extract_text() for part in pypdf.PdfReader(demo.folder / "c.pdf").pages)
    lines = [json.loads(line) for line in (demo.folder / "c.jsonl").read_text().splitlines()]
    assert Counter((row["enactment"], row["change"], row["outcome"]) for row in lines) == told
    for enactment in {one for one, *_ in told}:
        count = sum(number for (one, *_), number in told.items() if one == enactment)
        assert sum(any(enactment in cell for cell in row) for row in flat) == count
        assert page.count(enactment) == count
        assert re.sub(r"\s", "", paper).count(enactment) == count


@pytest.mark.parametrize(
    ("line", "says"),
    [
        (("report", "changes", "--output", "c.docx"), "says no format"),
        (("report", "changes", "--output", "c.csv", "--format", "json"), "say two things"),
        (("check", "--output", "c.xlsx"), "says no format"),
        (("check", "--output", "c.csv", "--format", "json"), "say two things"),
        (("status", "--output", "c.csv"), "says no format"),
        (("who", "Domain Admins", "--output", "c.yaml"), "says no format"),
    ],
)
def test_the_ending_of_a_file_says_its_form_or_is_refused(demo: Program, line: tuple[str, ...], says: str) -> None:
    """A file is what it is called: nothing is written under a name that lies."""
    done = demo(*line)
    assert (done.code, says in done.err) == (2, True), done.err
    assert not list(demo.folder.glob("c.*"))


def test_a_file_takes_the_form_of_its_ending(demo: Program) -> None:
    """Of lists, of cards and of the journal; a name without an ending is as --format says."""
    demo("group", "add", "First Aiders", "yorick.tarn", "--yes")
    for line in (("who", "Domain Admins"), ("journal",), ("show", "yorick.tarn"), ("check",)):
        demo(*line, "--output", "out.json")
        assert (demo.folder / "out.json").read_text() == demo(*line, "--format", "json").out
        demo(*line, "--output", "out", "--format", "json")
        assert (demo.folder / "out").read_text() == (demo.folder / "out.json").read_text()
        (demo.folder / "out").unlink()
        (demo.folder / "out.json").unlink()


@pytest.mark.parametrize("ending", ["xlsx", "html", "pdf", "json"])
def test_all_reports_in_one_file(demo: Program, ending: str) -> None:
    """By the ending of the file; written twice it is the same."""
    for name in ("one", "two"):
        done = demo("report", "all", "--output", f"{name}.{ending}")
        assert done.code == 0, done.err
    data = (demo.folder / f"one.{ending}").read_bytes()
    assert (demo.folder / f"two.{ending}").read_bytes() == data
    if ending == "xlsx":
        sheets = load_workbook(io.BytesIO(data)).sheetnames
        assert len(sheets) == len(NAMES)
        assert sheets[0] == "1 Who is privileged"
    elif ending == "html":
        assert len(re.findall("<table", data.decode())) == len(NAMES) - 1  # nothing was changed yet
        assert re.findall('<img src="data:image/png;base64,[^"]+" alt="([^"]+)">', data.decode())[1].startswith("Bars")
    elif ending == "pdf":
        document = pypdf.PdfReader(io.BytesIO(data))
        text = document.pages[0].extract_text()
        assert [len(page.images) for page in document.pages[-3:]] == [1, 1, 1]
        assert "Who administers hosts: " in text
    else:
        assert list(json.loads(data)) == list(NAMES)


def test_people_read_the_ways_in_beside_who_is_privileged(demo: Program) -> None:
    """On a terminal, a page and paper; for programs each is rows of its own."""
    worst = demo("report", "ways", "--format", "json").json[0]
    for ending in ("html", "md", "xlsx"):
        assert demo("report", "privileged", "--output", f"p.{ending}").code == 0
    page = (demo.folder / "p.html").read_text()
    assert [worst["sentence"] in text for text in re.split("<h2[^>]*>Ways in", page)] == [False, True]
    assert load_workbook(demo.folder / "p.xlsx").sheetnames == ["1 Who is privileged", "2 Ways in"]
    assert worst["close"] in re.sub(r"\\\\", "\\\\", (demo.folder / "p.md").read_text())
    assert "Closed for" in demo("report", "privileged").out
    assert demo("report", "privileged", "--format", "csv").out.startswith("group,group_sid,member")
    assert {row["group"] for row in demo("report", "privileged", "--format", "json").json} >= {worst["group"]}


def test_what_is_no_file_for_a_terminal_wants_one(demo: Program) -> None:
    """A workbook and a PDF are written to a file; CSV is of one table."""
    refused = demo("report", "hosts", "--format", "pdf")
    assert (refused.code, "--output hosts.pdf" in refused.err) == (2, True)
    assert demo("report", "hosts", "--format", "csv").out.startswith("host,place,member,member_sid,kind,unknown\n")
    assert demo("report", "all", "--format", "csv").code == 2


HOSTILE = (
    "=cmd|' /C calc'!A0",
    "+SUM(1)",
    "@here",
    "<script>alert(1)</script>",
    "<img src=x onerror=alert(1)>",
    '"><b>bold',
    "a,b;c",
    "tab\there",
    "two\nlines",
    "turned\u202etxt",
    "sound\x07",
    "${jndi:ldap://x}",
    "../../etc/passwd",
    "'; DROP TABLE object; --",
    "long " + "x" * 300,
)


class Rows(HTMLParser):
    """Counts the rows of bodies of tables, and every tag and attribute that could run something."""

    def __init__(self) -> None:
        super().__init__()
        self.rows = 0
        self.scripts = 0
        self.running: list[str] = []
        self._in_body = False

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self._in_body = self._in_body or tag == "tbody"
        self.rows += self._in_body and tag == "tr"
        self.scripts += tag == "script"
        self.running += [name for name, _ in attrs if name.startswith("on")]
        self.running += [tag] if tag in ("img", "iframe", "object", "b") else []

    def handle_endtag(self, tag: str) -> None:
        self._in_body = self._in_body and tag != "tbody"


@pytest.fixture
def hostile(demo: Program) -> Program:
    """Fifteen people with names that somebody chose with care, all of them inside a privileged group."""
    file = demo.folder / "lowmere.ldif"
    entries = file.read_text().split("\n\n")
    people = [n for n, entry in enumerate(entries) if ",OU=Shore Office,OU=People" in entry.partition("\n")[0]]
    members = ""
    for number, name in zip(people, HOSTILE, strict=False):
        members += f"\nmember: {entries[number].splitlines()[0].removeprefix('dn: ')}"
        odd = b64encode(name.encode()).decode()
        entries[number] = re.sub(r"sAMAccountName: .*", f"sAMAccountName:: {odd}", entries[number])
    assert members.count("member:") == len(HOSTILE)
    group = next(n for n, entry in enumerate(entries) if entry.startswith("dn: CN=Backup Operators,"))
    entries[group] += members
    file.write_text("\n\n".join(entries))
    demo("collect")
    assert demo("group", "add", "First Aiders", rf"LOWMERE\{HOSTILE[0]}", "--yes", "--why", HOSTILE[3]).code == 0
    return demo


def test_every_report_has_every_row_in_every_form(hostile: Program) -> None:
    """As many as the directory, the hosts, the journal and the store have, and nothing of a name runs anywhere."""
    inside = sum(
        len(hostile("who", group, "--format", "json").json)
        for group in {row["group"] for row in hostile("report", "privileged", "--format", "json").json}
    )
    hosts = [json.loads(path.read_text()) for path in (hostile.folder / "hosts").glob("*.json")]
    unread = [row for row in hostile("report", "hosts", "--format", "json").json if row["unknown"]]
    names = {row["host"] for row in unread}
    entries = [
        len(group["members"])
        for host in hosts
        for group in host["local_groups"]
        if group["sid"] == "S-1-5-32-544" and host["host"] not in names
    ]
    stale = sum(
        len(hostile("stale", kind, "--format", "json").json)
        for kind in {row["what"] for row in hostile("report", "stale", "--format", "json").json}
    )
    wanted = {
        "privileged": inside,
        "delegation": len(hostile("grant", "list", "--format", "json").json),
        "changes": sum(outcomes_in_journal(hostile).values()),
        "stale": stale,
        "hosts": len(unread) + sum(entries),
        "charter": len(
            re.findall(r"^ *- *id:|\{ *id:", (hostile.folder / "charter/charter.yaml").read_text(), re.MULTILINE)
        ),
    }
    for name in NAMES:
        rows = hostile("report", name, "--format", "json").json
        count = len(rows)
        assert count == wanted.get(name, count), name
        for ending in ("csv", "jsonl", "xlsx", "html", "pdf"):
            done = hostile("report", name, "--output", f"{name}.{ending}")
            assert done.code == 0, (name, ending, done.err)
        text = (hostile.folder / f"{name}.csv").read_text(encoding="utf-8-sig")
        cells = list(csv.reader(io.StringIO(text, newline="")))
        assert len(cells) - 1 == count
        assert not [cell for row in cells for cell in row if cell.lstrip()[:1] in tuple("=+@") and cell]
        assert len((hostile.folder / f"{name}.jsonl").read_text().splitlines()) == count
        sheet = load_workbook(hostile.folder / f"{name}.xlsx").worksheets[0]
        assert sheet.max_row - 1 == count
        assert not [cell for row in sheet.iter_rows() for cell in row if cell.data_type == "f"]
        page = Rows()
        page.feed((hostile.folder / f"{name}.html").read_text())
        beside = len(hostile("report", "ways", "--format", "json").json) if name == "privileged" else 0
        assert (page.rows, page.scripts, page.running) == (count + beside, 1, [])
        document = pypdf.PdfReader(hostile.folder / f"{name}.pdf")
        assert "/OpenAction" not in document.trailer["/Root"]
