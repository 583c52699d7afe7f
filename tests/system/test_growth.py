"""What grows, grows in one place: each thing is added by the recipe in CONTRIBUTING alone, and works everywhere."""

import json
import os
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

import adzeguard
from tests.linux.nav import NAV
from tests.linux.sandbox import LinuxHost
from tests.linux.test_linux_host import traces
from tests.program import Program, Ran

RULE = r'''"""A rule about what an OU says of itself."""

from collections.abc import Iterator

from pydantic import Field

from adzeguard.core.charter.references import RuleNames
from adzeguard.core.charter.rule import Resolved, Response, RuleBase
from adzeguard.core.estate.principal import Principal
from adzeguard.core.values import dataclass


class MottoRule(RuleBase):
    """What an OU says of itself."""

    motto: str = Field(description="The text.")
    of: str = Field(description="The OU; the base DN may be left off.")


@dataclass(frozen=True)
class ResolvedMotto(Resolved):
    """The text, with its OU found."""

    object: Principal


def resolve_motto(rule: MottoRule, names: RuleNames, response: Response) -> Iterator[ResolvedMotto]:
    """Yield the rule with its OU found."""
    found = names.container_object(("of",), rule.of)
    if found is not None:
        yield ResolvedMotto(rule, response, found)
'''
REVIEW = r'''"""OUs that say something else of themselves than a rule wants."""

from collections.abc import Iterator

from adzeguard.core.change.kinds.object_change import AttributeChange
from adzeguard.core.change.kinds.set_attributes import SetAttributes
from adzeguard.core.charter.kinds import RuleKind
from adzeguard.core.charter.motto_rule import MottoRule, ResolvedMotto, resolve_motto
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.estate.named import Named
from adzeguard.core.review.correction import Correction, correction_of
from adzeguard.core.rights.delegations import Rights


def review_mottos(rights: Rights, charter: ResolvedCharter) -> Iterator[Correction]:
    """Yield each OU that says something else."""
    for motto in charter.of(ResolvedMotto):
        stands = str(motto.object.details.get("description") or "")
        if stands != motto.rule.motto:
            before = (stands.encode(),) if stands else ()
            said = AttributeChange(name="description", before=before, after=(motto.rule.motto.encode(),))
            about, why = Named.of(motto.object), {"rule": motto.rule.id, "why": motto.rule.why}
            change = SetAttributes(object=about, attributes=(said,), **why)
            yield correction_of(motto, "other-motto", about, f"it says '{stands}'").with_changes([change])


MOTTO = RuleKind("motto", MottoRule, resolve_motto, review_mottos)
'''
COMMAND = '''"""adzeguard hail."""

import click

from adzeguard.cli.output import put


@click.command("hail", epilog="Example: adzeguard hail")
def command() -> int:
    """Hail whoever is there."""
    put("Ahoy\\n")
    return 0
'''
FORMAT = '''

def _bars(view: View) -> bytes:
    """Return a line for each row, its fields between bars."""
    from adzeguard.core.views.table import Table

    tables = [view] if isinstance(view, Table) else [one for one in view.sections if isinstance(one, Table)]
    lines = ["|".join(str(row.get(key)) for key in table.keys) for table in tables for row in table.rows]
    return "".join(f"{line}\\n" for line in lines).encode()


RENDERERS: Final[Mapping[str, Renderer]] = {
    "bars": Renderer(_bars),
'''
LINES = '''"""Lines of a harbour's log: TIME HAIL WHO."""

from datetime import datetime

from adzeguard.core.trail.event import Event


def read_hail(line):
    """Return the event of a line; None for one that is no hail."""
    if not line.startswith("HAIL "):
        return None
    _, time, member, group = line.split("|")
    return [Event(datetime.fromisoformat(time), "added", "harbour", "", group, "", member, "", "")]
'''
CHECK = '''

def _nameless(looked_at: CheckInput) -> Iterator[Finding]:
    """Yield each host without a 7 in its name."""
    for host in looked_at.estate.hosts:
        if "7" not in host.name:
            yield Finding("no-seven", host_named(host), "has no 7 in its name")


SEVEN = Check("no-seven", "No 7", "Luck matters.", "Rename it.", Severity.LOW, _nameless)
'''
STALE = '''

def _old_hosts(looked: StaleInput) -> Iterable[Stale]:
    """Yield every host."""
    for host in looked.estate.hosts:
        yield Stale("old", "it is a host", host.name, None, host.dn, "", None)
'''
REPORT = '''

def harbour(reported: ReportInput) -> Table:
    """Return the hosts."""
    return Table([{"host": host.name} for host in reported.estate.hosts], (Column("host", "Host"),), "Harbour")
'''
SETTING = r'''"""Rules about how long a shell may wait."""

from collections.abc import Iterator

from pydantic import Field

from adzeguard.core.charter.host_scope import HostRule, resolve_scope
from adzeguard.core.charter.references import RuleNames
from adzeguard.core.charter.rule import Response
from adzeguard.core.charter.setting_rule import ResolvedSetting
from adzeguard.core.review.fact_settings import setting_of_facts
from adzeguard.core.review.settings import kind_of_setting
from adzeguard.core.values import dataclass


class IdleRule(HostRule):
    """How long a shell may wait."""

    idle_end: int = Field(gt=0, description="After so many seconds it ends.")


@dataclass(frozen=True)
class ResolvedIdle(ResolvedSetting):
    """The same, with its hosts found."""

    rule: IdleRule


def resolve_idle(rule: IdleRule, names: RuleNames, response: Response) -> Iterator[ResolvedIdle]:
    """Yield the rule with its hosts found."""
    scope = resolve_scope(names, rule.hosts)
    if not names.failed:
        yield ResolvedIdle(rule, response, scope)


IDLE = setting_of_facts("idle-end", "other-idle-end", ResolvedIdle, lambda asking: {"": str(asking.rule.idle_end)})
IDLE_END = kind_of_setting("idle-end", IdleRule, resolve_idle, IDLE)
'''
KIND = """from adzeguard.core.check_row import CheckRow, Severity

RULE_KINDS = (
    KindRow(
        "motto",
        "adzeguard.core.charter.motto_rule",
        "adzeguard.core.review.mottos",
        (
            CheckRow(
                "other-motto", "An OU says so", "People are misled.", "adzeguard propose", Severity.LOW, ("place",)
            ),
        ),
    ),
"""
SETTING_KIND = """RULE_KINDS = (
    KindRow(
        "idle-end",
        "adzeguard.core.review.idle_rules",
        "adzeguard.core.review.idle_rules",
        (
            CheckRow(
                "other-idle-end", "Shells wait", "They stand open.", "adzeguard propose", Severity.LOW, ("fact",)
            ),
        ),
        puts_in=("set-fact",),
    ),
"""
IDLE_FILES = """FACT_FILES = (
    FactFiles(
        "idle-end",
        ("/etc/profile.d/adzeguard.sh",),
        lambda facts: {"/etc/profile.d/adzeguard.sh": (f"TMOUT={int(facts[''])}\\n", "0644")},
    ),
)"""
NEW = {
    "rule kind": {"core/charter/motto_rule.py": RULE, "core/review/mottos.py": REVIEW},
    "rule kind with a capability of hosts": {"core/review/idle_rules.py": SETTING},
    "command": {"cli/hail.py": COMMAND},
    "trail format": {"trail/hail_lines.py": LINES},
}
ROWS = {
    "rule kind": [
        (
            "core/review/kinds.py",
            "RULE_KINDS: Final = (\n",
            KIND,
        )
    ],
    "rule kind with a capability of hosts": [
        ("core/review/kinds.py", "RULE_KINDS = (\n", SETTING_KIND),
        (
            "core/estate/capabilities.py",
            "    DELEGATION_RIGHT,\n)",
            "    DELEGATION_RIGHT,\n    of_facts('idle-end', 'x'),\n)",
        ),
        ("hosts/linux/fact_files.py", "FACT_FILES: Final[tuple[FactFiles, ...]] = ()", IDLE_FILES),
    ],
    "check": [
        (
            "core/checks/host_rows.py",
            "\nHOST_CHECKS: Final[tuple[Check, ...]] = (\n",
            f"{CHECK}\nHOST_CHECKS = (\n    SEVEN,\n",
        ),
    ],
    "command": [
        (
            "cli/main.py",
            "COMMANDS: Final = {\n",
            'COMMANDS: Final = {\n    "hail": Row("adzeguard.cli.hail", "Look", "Hail."),\n',
        )
    ],
    "format": [
        (
            "report/renderers.py",
            "\nRENDERERS: Final[Mapping[str, Renderer]] = {\n",
            FORMAT,
        )
    ],
    "column": [
        (
            "core/estate/attributes.py",
            'Attribute("mail", "mail"),',
            'Attribute("mail", "mail"), Attribute("roomNumber", "room_number"),',
        )
    ],
    "trail format": [
        (
            "trail/reading.py",
            "(read_samba, read_own_line, read_samba_ticket)",
            "(read_samba, read_own_line, __import__('adzeguard.trail.hail_lines', fromlist=['x']).read_hail)",
        )
    ],
    "stale kind": [
        (
            "core/cleaning/stale/kinds.py",
            "KINDS: Final[tuple[StaleKind, ...]] = (\n",
            f'{STALE}\n\nKINDS = (\n    StaleKind("hosts", "hosts", "all of them", _old_hosts),\n',
        )
    ],
    "report": [
        (
            "core/views/reports.py",
            "REPORTS: Final[Mapping[str, ReportRow]] = {\n",
            f'{REPORT}\n\nREPORTS = {{\n    "harbour": ReportRow("the hosts", harbour),\n',
        )
    ],
}
TOUCHED = {name: len({file for file, _, _ in edits}) + len(NEW.get(name, ())) for name, edits in ROWS.items()}
MOST = {
    "rule kind": 3,
    "rule kind with a capability of hosts": 4,
    "check": 1,
    "command": 2,
    "format": 1,
    "column": 1,
    "trail format": 2,
    "stale kind": 1,
    "report": 1,
}


class Grown:
    """A copy of the program in which all of it was added, run in the demo."""

    def __init__(self, folder: Path, demo: Path) -> None:
        self.demo = demo
        self._environment = {**os.environ, "PYTHONPATH": str(folder)}
        grown = folder / "adzeguard"
        shutil.copytree(Path(adzeguard.__file__).parent, grown)  # with what was compiled: it keeps its times
        for name, content in (pair for files in NEW.values() for pair in files.items()):
            (grown / name).write_text(content)
        for edits in ROWS.values():
            for name, anchor, text in edits:
                before = (grown / name).read_text()
                assert before.count(anchor) == 1, (name, anchor)
                (grown / name).write_text(before.replace(anchor, text))
        imports = "from collections.abc import Iterator\nfrom adzeguard.core.estate.names import host_named\n"
        rows = grown / "core/checks/host_rows.py"
        head = "from adzeguard.core.checks.finding import Finding\n"
        head += "from adzeguard.core.checks.check_input import CheckInput\n"
        rows.write_text(
            rows.read_text().replace("from typing import Final\n", f"from typing import Final\n{imports}{head}", 1)
        )

    def __call__(self, *arguments: str) -> Ran:
        done = subprocess.run(
            [sys.executable, "-m", "adzeguard", *arguments],
            cwd=self.demo,
            env=self._environment,
            capture_output=True,
            text=True,
            check=False,
        )
        assert "should not happen" not in done.stderr, (arguments, done.stderr)
        return Ran(done.returncode, done.stdout, done.stderr)


@pytest.fixture
def grown(demo: Program, tmp_path: Path) -> Grown:
    """The demo with a rule of the new kind, in the program that has grown."""
    (demo.folder / "charter/motto.yaml").write_text(
        "charter: 1\nrules:\n  - {id: quay-motto, motto: Fair winds, of: OU=Quay, response: mend}\n"
    )
    return Grown(tmp_path / "grown", demo.folder)


def test_what_is_added_by_its_recipe_works_everywhere(grown: Grown) -> None:
    """Listed, found, explained, proposed, made, shown, drawn up and read; and each took so few files."""
    assert TOUCHED == MOST
    helped = grown("--help").out
    assert "hail " in helped
    assert grown("hail").out == "Ahoy\n"

    found = grown("check", "--format", "json").json
    assert [(one["subject"], one["message"]) for one in found if one["check"] == "other-motto"] == [
        ("Quay", "it says ''")
    ]
    assert sum(one["check"] == "no-seven" for one in found) > 40
    for check, evidence in (("other-motto", ["place"]), ("no-seven", [])):
        assert grown("check", "--explain", check, "--format", "json").json["evidence_keys"] == evidence
    assert {"other-motto", "no-seven"} <= {row["id"] for row in grown("check", "--list", "--format", "json").json}
    assert "motto" in grown("charter", "schema").out
    assert grown("enact", "--rule", "quay-motto", "--yes").code == 0
    assert "Fair winds" in grown("show", "OU=Quay").out

    assert grown("find", "kiosk", "--kind", "group", "--format", "bars").out.count("|") > 4
    assert "HARBOUR-01\n" in grown("report", "harbour", "--format", "bars").out
    assert "harbour" in grown("report", "--help").out
    assert "Harbour" in grown("report", "all").out
    assert grown("stale", "--format", "json").json[0]["kind"] == "hosts"
    assert len(grown("stale", "hosts", "--format", "json").json) > 40
    assert "hosts" in grown("stale", "--help").out
    directory = grown.demo / "lowmere.ldif"
    directory.write_text(
        directory.read_text().replace("sAMAccountName: roan.pell\n", "sAMAccountName: roan.pell\nroomNumber: 12\n")
    )
    grown("collect", "--full")
    assert grown("show", "roan.pell", "--format", "json").json["room_number"] == "12"
    log = "HAIL |2026-11-20T10:00:00+00:00|CN=Roan Pell,OU=x|CN=First Aiders,OU=x\n"
    (grown.demo / "harbour.log").write_text(log)
    assert json.loads(grown("trail", "import", "harbour.log", "--format", "json").out)["events"] == 1


def test_a_setting_of_hosts_that_is_added_by_its_recipe_is_set_and_taken_back(
    nav: Program, linux_host: LinuxHost, tmp_path: Path
) -> None:
    """On a real Linux host and on stand-ins: found, set, shown, asked for on a host's page, withdrawn and undone."""
    grown = Grown(tmp_path / "grown", nav.folder)
    grown("collect", "--full")
    rule = "{id: idle, hosts: {everywhere: true}, idle-end: 600, response: mend}"
    charter = nav.folder / "charter/charter.yaml"
    charter.write_text(f"charter: 1\nrules:\n- {rule}\n")

    def waits() -> str:
        return linux_host.run("bash", "-lc", "echo $TMOUT").stdout.strip()

    found = [one for one in grown("check", "--format", "json").json if one["check"] == "other-idle-end"]
    assert len(found) > 40
    assert {one["message"] for one in found} == {"its idle end is nothing and not '600'"}
    made = grown("enact", "--yes", "--format", "json").json
    assert [row["status"] for row in made if row["target"] in (NAV, "KIOSK-03")] == ["verified"] * 2
    assert waits() == "600"
    page = grown("show", NAV, "--format", "json").json
    assert page["facts"] == {"idle-end": {"": "600"}}
    assert "set to '600'" in grown("show", NAV).out
    again = charter.read_text()
    charter.write_text("charter: 1\nrules: []\n")
    assert grown("enact", "--yes").code == 0
    assert (waits(), traces(linux_host)) == ("", "")
    charter.write_text(again.replace("600", "900"))
    assert grown("enact", "--on", NAV, "--yes").code == 0
    assert waits() == "900"
    assert grown("undo", "--last", "--yes").code == 0
    assert (waits(), traces(linux_host)) == ("", "")


def test_names_that_the_help_knows_without_imports_are_those_of_the_tables() -> None:
    """Severities, forms of reviews, kinds of objects and scopes of groups: written twice, and the same."""
    from adzeguard.cli import check, find, group_objects, review
    from adzeguard.core.check_row import Severity
    from adzeguard.core.estate.group_types import SCOPES
    from adzeguard.core.estate.principal import Kind
    from adzeguard.report.review_forms.forms import FORMS

    nowhere_in_a_directory = {"absent", "domain", "well_known", "local_account", "local_group", "unresolved"}
    assert list(check._SEVERITIES) == [severity.label for severity in Severity]
    assert set(review._FORMS) == set(FORMS)
    assert set(find._KINDS) == {kind.name.casefold() for kind in Kind} - nowhere_in_a_directory
    assert set(group_objects._SCOPE.choices) == set(SCOPES)
