"""Proposal files that somebody changed: nothing in them is believed."""

import json
import os
import shutil
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from tests.program import Program
from tests.system.test_safe_change import contents

DOMAIN = "S-1-5-21-2874019363-1145201871-3300671429"
BASE = "DC=lowmere,DC=example"
ADMINS = {
    "name": r"LOWMERE\Domain Admins",
    "sid": f"{DOMAIN}-512",
    "dn": f"CN=Domain Admins,CN=Users,{BASE}",
    "made": False,
}
Edit = Callable[[dict[str, Any]], None]


def _first(proposal: dict[str, Any], kind: str) -> dict[str, Any]:
    return next(change for change in proposal["changes"] if change["kind"] == kind)


def _renamed(proposal: dict[str, Any]) -> None:
    _first(proposal, "remove-member")["member"]["name"] = r"LOWMERE\kiosk-crew"


def _renamed_on_host(proposal: dict[str, Any]) -> None:
    _first(proposal, "remove-local-member")["member"]["name"] = r"LOWMERE\kiosk-crew"


def _elsewhere(proposal: dict[str, Any]) -> None:
    _first(proposal, "remove-member")["member"]["dn"] = f"CN=Administrator,CN=Users,{BASE}"


def _foreign_sid(proposal: dict[str, Any]) -> None:
    member = _first(proposal, "remove-member")["member"]
    member |= {"sid": "S-1-5-21-1-2-3-1000", "made": True}


def _odd_sid(sid: str) -> Edit:
    def edit(proposal: dict[str, Any]) -> None:
        _first(proposal, "remove-member")["member"]["sid"] = sid

    return edit


def _no_impact(proposal: dict[str, Any]) -> None:
    proposal["impact"]["groups"] = []


def _set(words: str, *attributes: tuple[str, str, list[str]]) -> Edit:
    def edit(proposal: dict[str, Any]) -> None:
        change = {
            "kind": "set",
            "rule": "by-hand",
            "object": ADMINS,
            "words": words,
            "attributes": [{"name": name, "before": [before], "after": after} for name, before, after in attributes],
        }
        proposal["changes"] = [{**change, "id": "c00001"}]
        proposal["impact"] = {}

    return edit


def _new_member_in_disguise(proposal: dict[str, Any]) -> None:
    named = {"name": r"LOWMERE\Quiet", "sid": "", "dn": f"CN=Quiet,OU=Groups,{BASE}", "made": True}
    values = {"objectClass": ["top", "group"], "sAMAccountName": ["Quiet"], "member": [ADMINS["dn"]]}
    proposal["changes"] = [
        {
            "kind": "create",
            "id": "c00001",
            "rule": "by-hand",
            "object": named,
            "words": "",
            "attributes": [{"name": name, "after": after} for name, after in values.items()],
        }
    ]


def _in_person(kind: str, **about: Any) -> Edit:
    def edit(proposal: dict[str, Any]) -> None:
        pair = {key: _first(proposal, "remove-member")[key] for key in ("group", "member")}
        about_it = about if "domain" in about else about | pair
        proposal["changes"] = [{"kind": kind, "id": "c00001", "rule": "by-hand", **about_it}]

    return edit


_SOON = "2099-11-26T18:00:00Z"
_NAME = f"CN=Domain Admins,CN=Users,{BASE}"
EDITS: dict[str, tuple[Edit, str]] = {
    "another name": (_renamed, r"says 'LOWMERE\kiosk-crew'"),
    "another name on a host": (_renamed_on_host, r"says 'LOWMERE\kiosk-crew'"),
    "another place": (_elsewhere, "CN=Administrator,CN=Users"),
    "a SID that nothing has, said to be made": (_foreign_sid, "which is not there"),
    "no impact": (_no_impact, "who gains and who loses by it is not what the file says"),
    "other words": (
        _set(f"tidy {_NAME}", ("description", "Rule the directory", ["x"])),
        r"would set description of LOWMERE\Domain Admins to x",
    ),
    "members by an attribute": (
        _set(r"take member away from LOWMERE\Domain Admins", ("member", "", [])),
        "member is not set",
    ),
    "an attribute with an option": (
        _set(r"set Member;x of LOWMERE\Domain Admins to a", ("Member;x", "", ["a"])),
        "Member;x is not set",
    ),
    "an account control": (
        _set(r"set USERaccountCONTROL of LOWMERE\Domain Admins to 2", ("USERaccountCONTROL", "512", ["2"])),
        "USERaccountCONTROL is not set",
    ),
    "an empty descriptor": (
        _set(r"set nTSecurityDescriptor of LOWMERE\Domain Admins to x", ("nTSecurityDescriptor", "", ["x"])),
        "nTSecurityDescriptor is not set",
    ),
    "a kind of group in disguise": (
        _set(r"make LOWMERE\Domain Admins a global distribution group", ("grouptype", "-2147483646", ["base64:Mg=="])),
        "who gains and who loses by it is not",
    ),
    "no kind of group": (
        _set(r"set groupType of LOWMERE\Domain Admins to 0", ("groupType", "-2147483646", ["0"])),
        "who gains and who loses by it is not",
    ),
    "a line of another entry": (
        _set("x", ("description\ndn: CN=x", "", ["y"])),
        "should match pattern",
    ),
    "a group made with members": (_new_member_in_disguise, "makes something else than a group or an OU with member"),
    "something for good": (_in_person("switch-on-ending-links", domain="lowmere.example"), "asked for in person"),
    "a removal put off": (_in_person("set-member-end", ends=_SOON, before=None), "asked for in person"),
    "a lease without its row": (_in_person("add-ending-member", ends=_SOON), "asked for in person"),
    "a SID that is none": (_odd_sid("abc"), "'abc' is not a SID"),
    "a SID that never ends": (_odd_sid("S-1-5-" + "9" * 5000), "is not a SID"),
    "no SID where there is one": (_odd_sid(""), "says 'LOWMERE"),
}


@pytest.fixture(scope="module")
def proposed(demo_as_made: Path, tmp_path_factory: pytest.TempPathFactory) -> tuple[Program, dict[str, Any]]:
    """A demo with a proposal of its charter."""
    program = Program(Path(shutil.copytree(demo_as_made, tmp_path_factory.mktemp("edited") / "lowmere")))
    assert program("propose", "--output", "monday.json").code == 3
    return program, json.loads((program.folder / "monday.json").read_text())


@pytest.mark.parametrize("name", EDITS)
def test_an_edited_proposal_is_refused_and_changes_nothing(proposed: tuple[Program, dict[str, Any]], name: str) -> None:
    """Whatever a file says otherwise than it would do, it is refused in words that name it, and nothing is written."""
    program, proposal = proposed
    edit, said = EDITS[name]
    edited = json.loads(json.dumps(proposal))
    edit(edited)
    before = contents(program.folder)
    (program.folder / "edited.json").write_text(json.dumps(edited))
    refused = program("enact", "edited.json", "--yes", "--removals", "1", "--touching", "1")

    assert (refused.code, said in refused.err) == (1, True), refused.err
    assert contents(program.folder) == before
    assert program("journal", "--format", "json").json == []


def test_a_proposal_that_nobody_touched_is_enacted_with_its_words_and_without_its_notes(demo: Program) -> None:
    """The file as it was written is enacted; what somebody adds as a note beside the changes is not shown."""
    assert demo("propose", "--output", "monday.json").code == 3
    path = demo.folder / "monday.json"
    proposal = json.loads(path.read_text())
    proposal["notes"] = ["approved by the board"]
    path.write_text(json.dumps(proposal))
    done = demo("enact", "monday.json", "--yes")

    assert (done.code, "approved" in done.out + done.err) == (0, False), done.err
    again = demo("enact", "monday.json", "--yes")
    assert (again.code, "who gains and who loses" in again.err) == (1, True), again.err


def test_a_proposal_is_read_from_files_of_a_sensible_size_alone(demo: Program) -> None:
    """A pipe that nobody writes to and a device without end are refused at once, not waited for."""
    os.mkfifo(demo.folder / "pipe.json")
    (demo.folder / "endless.json").symlink_to("/dev/zero")
    with (demo.folder / "huge.json").open("wb") as huge:
        huge.truncate(300 * 1024 * 1024)
    for name, said in (
        ("pipe.json", "is no file"),
        ("endless.json", "is no file"),
        ("huge.json", "larger than 256 MiB"),
    ):
        refused = demo("enact", name, "--yes")
        assert (refused.code, said in refused.err) == (1, True), refused.err
