"""Reviews: written, answered, read back, proposed and enacted; what was changed beside the answers is refused."""

import csv
import io
import json
import re
import shutil
from base64 import b64encode
from pathlib import Path

import pytest
from openpyxl import load_workbook

from tests.program import Json, Program
from tests.store_rows import write_as_told

ODD = "fenna\tkell"
"""A name that a form cannot show as it is."""
AIDERS = r"LOWMERE\First Aiders"


@pytest.fixture(scope="module")
def begun_as_made(demo_as_made: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A review of two groups that orla.fenn manages, in one of which she is herself, in all forms."""
    demo = Program(Path(shutil.copytree(demo_as_made, tmp_path_factory.mktemp("review") / "lowmere")))
    settings = demo.folder / "adzeguard.toml"
    text = settings.read_text()
    settings.write_text(text.replace("[questions]", '[questions]\nowner = "security@lowmere.example"'))
    directory = demo.folder / "lowmere.ldif"
    odd = b64encode(ODD.encode()).decode()
    directory.write_text(directory.read_text().replace("sAMAccountName: fenna.kell\n", f"sAMAccountName:: {odd}\n"))
    demo("collect")
    for line in (
        ("group", "set", "First Aiders", "--managed-by", "orla.fenn"),
        ("group", "set", "Radio Watch", "--managed-by", "orla.fenn"),
        ("group", "add", "First Aiders", "roan.pell"),
        ("group", "add", "First Aiders", "yorick.tarn"),
        ("group", "add", "First Aiders", ODD),
        ("group", "add", "First Aiders", "orla.fenn"),
        ("group", "add", "First Aiders", "Radio Watch"),
    ):
        assert demo(*line, "--yes", "--why", "=cmd|' /C calc'!A0").code == 0, line
    ask = ("--group", "First Aiders", "--group", "Radio Watch", "--output", "out")
    done = demo("review", "start", *ask, "--format", "json")
    assert done.code == 0, done.err
    assert {(row["id"], Path(row["file"]).suffix) for row in done.json} == {
        (name, ending) for name in ("R1", "R2") for ending in (".csv", ".xlsx", ".html")
    }
    return demo.folder


@pytest.fixture
def begun(begun_as_made: Path, tmp_path: Path) -> Program:
    """The program where the review has begun."""
    return Program(Path(shutil.copytree(begun_as_made, tmp_path / "lowmere")))


def hers(program: Program) -> str:
    """The review that is orla.fenn's."""
    rows = program("review", "list", "--format", "json").json
    return next(row["id"] for row in rows if row["owner"] == r"LOWMERE\orla.fenn")


def answer(row: dict[str, str]) -> None:
    """Take two out, and keep the rest."""
    out = row["member"] in (r"LOWMERE\roan.pell", r"LOWMERE\yorick.tarn") and not row["through"]
    row["answer"], row["reason"] = ("Remove ", "no longer trained") if out else ("KEEP", "")


def by_csv(path: Path) -> Path:
    """Answer in the file of lines."""
    lines = list(csv.reader(io.StringIO(path.read_bytes().decode("utf-8-sig"), newline="")))
    rows = [dict(zip(lines[1], line, strict=True)) for line in lines[2:]]
    for row in rows:
        answer(row)
    with path.open("w", newline="", encoding="utf-8-sig") as file:
        csv.writer(file, delimiter=";").writerows([lines[0], lines[1], *([*row.values()] for row in rows)])
    return path


def by_workbook(path: Path) -> Path:
    """Answer in the workbook, as somebody who picks from the list."""
    book = load_workbook(path)
    sheet = book.active
    head = [cell.value for cell in sheet[2]]
    for number in range(3, sheet.max_row + 1):
        row = {name: cell.value or "" for name, cell in zip(head, sheet[number], strict=True)}
        answer(row)
        for column, name in enumerate(head, 1):
            if name in ("answer", "reason"):
                sheet.cell(number, column).value = row[name]
    book.save(path)
    return path


def saved_by_page(path: Path) -> Path:
    """What the page saves: its rows, with the answers; the browser's own saving is tried in another test."""
    text = path.read_text()
    rows = []
    columns = json.loads(re.search(r'data-columns="([^"]*)"', text)[1].replace("&#34;", '"'))
    import html

    for found in re.finditer(r'<tr data-item="([^"]*)">(.*?)</tr>', text, re.DOTALL):
        values = [html.unescape(value) for value in re.findall(r'data-value="([^"]*)"', found[2])]
        row = {"item": found[1], **dict(zip(columns, values, strict=True))}
        answer(row)
        rows.append(row)
    saved = path.with_suffix(".json")
    saved.write_text(json.dumps({"review": path.stem, "rows": rows}))
    return saved


@pytest.mark.parametrize(("form", "answered"), [("csv", by_csv), ("xlsx", by_workbook), ("html", saved_by_page)])
def test_a_review_goes_round(begun: Program, form: str, answered) -> None:
    """Handed out, answered, read back, proposed with the reasons, enacted; who is kept stays."""
    name = hers(begun)
    before = members(begun, "First Aiders")
    file = answered(begun.folder / f"out/{name}.{form}")
    read = begun("review", "read", file, "--format", "json")
    assert (read.code, [row["waiting"] for row in read.json]) == (0, [0]), read.err
    assert members(begun, "First Aiders") == before
    [status] = [row for row in begun("review", "list", "--format", "json").json if row["id"] == name]
    assert (status["answered"], status["take_out"]) == (status["items"], 2)
    proposed = begun("review", "propose", name, "--output", "review.json")
    assert proposed.code == 3, proposed.err
    assert "no longer trained" in (begun.folder / "review.json").read_text()
    assert begun("enact", "review.json", "--yes").code == 0
    assert before - members(begun, "First Aiders") == {r"LOWMERE\roan.pell", r"LOWMERE\yorick.tarn"}
    assert begun("review", "propose", name).code == 0


def members(program: Program, group: str) -> set[str]:
    """Who is directly inside."""
    return set(program("show", group, "--format", "json").json["members"])


def test_nothing_is_left_out_in_silence_and_nothing_asked_twice(begun: Program) -> None:
    """What waits is not asked again until it is answered or over; what nobody owns is told, with what helps."""
    again = begun("review", "start", "--group", "First Aiders", "--group", "Radio Watch", "--output", "out")
    assert (again.code, "wait for an answer already, in R1, R2" in again.err) == (2, True), again.err
    more = begun("review", "start", "--group", "First Aiders", "--group", "Chart Editors", "--output", "more")
    assert (more.code, "are not asked again" in more.err) == (0, True), more.err
    shown = begun("review", "list", "--format", "json").json
    assert {row["id"] for row in shown} == {"R1", "R2", "R3"}
    begun("review", "read", by_csv(begun.folder / f"out/{hers(begun)}.csv"))
    anew = begun("review", "start", "--group", "First Aiders", "--output", "anew")
    assert anew.code == 0, anew.err
    settings = begun.folder / "adzeguard.toml"
    settings.write_text(settings.read_text().replace('owner = "security@lowmere.example"', ""))
    whole = begun("review", "start", "--output", "all")
    assert "groups are owned by nobody, and in no review" in whole.err
    named = begun("review", "start", "--group", "Night Watch", "--output", "one")
    assert (named.code, r"owned by nobody, and in no review: LOWMERE\Night Watch" in named.err) == (2, True), named.err


def test_each_line_says_how_and_by_whom(begun: Program) -> None:
    """By whom and when, as the journal knows; nested ones through what; the owner herself goes elsewhere."""
    name = hers(begun)
    rows = rows_of(begun.folder / f"out/{name}.csv")
    tarn = next(row for row in rows if row["member"] == r"LOWMERE\yorick.tarn" and row["where"] == AIDERS)
    assert (bool(tarn["since"]), bool(tarn["by"]), tarn["through"]) == (True, True, "")
    assert any("Radio Watch" in row["through"] for row in rows if row["where"] == AIDERS)
    assert not any(row["member"] == r"LOWMERE\orla.fenn" for row in rows)
    [other] = [row for row in begun("review", "list", "--format", "json").json if row["id"] != name]
    assert other["owner"] == "security@lowmere.example"
    assert {row["member"] for row in rows_of(begun.folder / f"out/{other['id']}.csv")} == {r"LOWMERE\orla.fenn"}


def rows_of(path: Path) -> list[Json]:
    """The rows of a file of lines."""
    lines = list(csv.reader(io.StringIO(path.read_bytes().decode("utf-8-sig"), newline="")))
    return [dict(zip(lines[1], line, strict=True)) for line in lines[2:]]


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (lambda t: t.replace("roan.pell", "tobin.asker.adm", 1), "'member' was changed"),
        (lambda t: t + t.splitlines()[-1] + "\r\n", "stands there twice"),
        (lambda t: re.sub(r",,(\r?\n)", r",perhaps,\1", t, count=1), "'perhaps' is none of"),
        (lambda t: re.sub(r",,(\r?\n)", r",take out,\1", t, count=1), "wants a reason"),
        (lambda t: t.replace("review,R", "review,R99", 1), "there is no review"),
        (lambda t: t.replace("item,what", "item,was", 1), "its first two lines were changed"),
        (lambda _: "nothing", "its first two lines were changed"),
    ],
)
def test_a_file_in_which_more_was_changed_is_refused_whole(begun: Program, change, says: str) -> None:
    """With the line where it was; no answer of it is taken."""
    name = hers(begun)
    path = begun.folder / f"out/{name}.csv"
    text = path.read_bytes().decode("utf-8-sig")
    path.write_bytes(change(text).encode())
    done = begun("review", "read", path)
    assert (done.code in (1, 2), says in done.err) == (True, True), done.err
    assert all(row["answered"] == 0 for row in begun("review", "list", "--format", "json").json)


def test_broken_files_are_refused_in_one_line(begun: Program) -> None:
    """No archive, a bomb's head, another JSON, another ending."""
    for name, data in (
        ("a.xlsx", b"PK\x03\x04broken"),
        ("b.json", b"[1"),
        ("c.json", b'{"review": 1, "rows": {}}'),
        ("d.txt", b"x"),
    ):
        (begun.folder / name).write_bytes(data)
        done = begun("review", "read", name)
        assert (done.code in (1, 2), "Traceback" in done.err, done.err.count("\n")) == (True, False, 1), done.err


def test_no_cell_of_a_form_is_run(begun: Program) -> None:
    """What begins like a formula is text in each form, and the page lets no script but its own run."""
    name = hers(begun)
    sheet = load_workbook(begun.folder / f"out/{name}.xlsx").active
    assert {cell.data_type for row in sheet.iter_rows() for cell in row} <= {"s", "inlineStr", "n"}
    assert not any(
        cell[:1] in "=+-@" for row in rows_of(begun.folder / f"out/{name}.csv") for cell in row.values() if cell
    )
    page = (begun.folder / f"out/{name}.html").read_text()
    assert "default-src 'none'; script-src 'sha256-" in page
    assert not re.search(r"(src|href)=", page)


def test_the_same_review_is_written_the_same(begun: Program) -> None:
    """Byte for byte, in each form."""
    name = hers(begun)
    first = {path.name: path.read_bytes() for path in (begun.folder / "out").glob(f"{name}.*")}
    assert begun("review", "write", name, "--output", "again").code == 0
    assert {path.name: path.read_bytes() for path in (begun.folder / "again").iterdir()} == first


def test_what_is_not_answered_in_time_is_asked_of_the_deputy(begun: Program) -> None:
    """By a round, once; answered after all, the question settles itself."""
    import sqlite3

    name = hers(begun)
    with sqlite3.connect(begun.folder / ".adzeguard/store.db") as store:
        [[body]] = store.execute("SELECT body FROM review WHERE id = ?", (name,)).fetchall()
    late = re.sub(r'"until": "[^"]*"', '"until": "2026-01-02T00:00:00+00:00"', body)
    write_as_told(begun, "UPDATE review SET body = ? WHERE id = ?", (late, name))

    def asked() -> list[Json]:
        rows = begun("questions", "--format", "json").json
        return [row for row in rows if row["rule"] == f"review-{name.lower()}"]

    begun("round")
    [question] = asked()
    assert question["owner"] == "security@lowmere.example"
    assert f"of review {name} for LOWMERE\\orla.fenn" in question["message"]
    begun("round")
    assert asked() == [question]
    assert begun("review", "read", by_csv(begun.folder / f"out/{name}.csv")).code == 0
    begun("round")
    assert asked() == []
