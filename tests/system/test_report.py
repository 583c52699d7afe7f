"""Reports, as they are handed on."""

import io
import json
import re

import pypdf
import pytest
from openpyxl import load_workbook

from tests.program import Program

NAMES = ("privileged", "hosts", "delegation", "changes", "stale", "charter")


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


def test_what_is_no_file_for_a_terminal_wants_one(demo: Program) -> None:
    """A workbook and a PDF are written to a file; CSV is of one table."""
    refused = demo("report", "hosts", "--format", "pdf")
    assert (refused.code, "--output hosts.pdf" in refused.err) == (2, True)
    assert demo("report", "hosts", "--format", "csv").out.startswith("host,place,member,sid,kind,unknown\n")
    assert demo("report", "all", "--format", "csv").code == 2
