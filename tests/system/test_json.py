"""What commands print for programs: the keys that their forms say, with the meaning that the dictionary gives."""

import json
import shlex
from collections.abc import Iterator
from datetime import datetime, timedelta
from typing import Any

import pytest
from click import Context, Group

from adzeguard.cli.forms import FORMS, Form
from adzeguard.cli.main import commands
from adzeguard.core.views.dictionary import KEYS
from tests.program import Program

LINES = r"""
find varn
show isolde.varn.adm
show 'Domain Admins'
show KIOSK-07
show CONSOLE-07
show 'OU=Booking Office,OU=People'
who 'Domain Admins'
who --hosts | --hosts
who --groups | --groups
why isolde.varn.adm --in 'Domain Admins'
why orla.fenn --in 'Domain Admins'
doors
doors KIOSK-07 | a person, a host or --all
hosts list
hosts pending
hosts drivers
hosts test KIOSK-07
settings list
settings check
hosts standin logon KIOSK-07 orla.fenn --by console
hosts standin run CONSOLE-07 orla.fenn /opt/charts/update
charter lint
journal verify
approve
charter effect QUAY-01 --if-moved-to 'Ticket Kiosks'
charter where kiosk-administrators
charter diff charter charter
check
check --list | --list
check --explain name-twin | --explain
group leftovers dessa.calder
group add 'Radio Watch' orla.fenn --yes
group remove administrators 'LOWMERE\Domain Users' --on CONSOLE-03 --yes
account disable roan.pell --yes
undo --last --yes
ou list
ou intake show
stale
stale accounts | a kind
stale accounts --with-uses | a kind and --with-uses
uses 'Ledger Archive'
uses --orphans | --orphans
grant duties
grant list
may orla.fenn password-help isolde.varn
may --who group-membership 'Domain Admins' | --who
reach 'Domain Admins'
reach 'Domain Admins' --cut | --cut
retire away 'Ledger Archive' --yes
retire list
lease list
lease support
shift list
review list
questions list
questions show Q2
questions waivers list
round once
trail import trail.jsonl
trail aside
trail support
history
history 'Domain Admins' --drawn | --drawn
logons
logons isolde.varn.adm | an account
logons --on KIOSK-07 | a host
compare 30m
journal
report privileged
report ways | ways
report hosts | hosts
report delegation | delegation
report changes | changes
report stale | stale
report charter | charter
status
enact --yes
"""
PRINCIPALS = ("person", "member", "group", "holder", "account", "subject")
OF_A_FILE = ("propose", "review propose", "journal export")
"""They print what is read again: the form of the file is its own."""


def form_for(line: str) -> tuple[list[str], str, Form]:
    """The words of a line, the command that they are, and the form that it prints."""
    said, _, when = line.partition(" | ")
    words = shlex.split(said)
    path = max((p for p in FORMS if words[: len(p.split())] == p.split()), key=len)
    form = FORMS[path]
    return words, path, dict(form.also)[when] if when else form


def objects_in(value: Any) -> Iterator[dict[str, Any]]:
    """Every object that has keys of the dictionary, at any depth."""
    if isinstance(value, list):
        for one in value:
            yield from objects_in(one)
    elif isinstance(value, dict):
        yield value
        for key, one in value.items():
            if KEYS[key].sort != "map":
                yield from objects_in(one)


def is_moment(value: Any) -> bool:
    """Whether a value is a moment in UTC."""
    return isinstance(value, str) and datetime.fromisoformat(value).utcoffset() == timedelta()


def is_as_meant(key: str, value: Any) -> bool:
    """Whether a value is of the sort that the dictionary says; null is of every one, and an empty text of none."""
    sorts = {"truth": bool, "map": dict, "list": list, "objects": list, "text": str, "count": int}
    sort = KEYS[key].sort
    if value is None or sort == "moment":
        return value is None or is_moment(value)
    return isinstance(value, sorts[sort]) and value != "" and (sort == "truth") is isinstance(value, bool)


@pytest.fixture(scope="module")
def used(demo_as_made: Any, tmp_path_factory: pytest.TempPathFactory) -> Program:
    """The demo in a folder for all lines: what one changes, the next may show."""
    import shutil

    folder = tmp_path_factory.mktemp("json") / "demo"
    shutil.copytree(demo_as_made, folder)
    program = Program(folder)
    program("shift", "start", "orla.fenn", "Radio Watch", "--from", "07:00", "--to", "15:00")
    program("review", "start", "--output", "reviews")
    program("round")
    return program


def test_every_output_has_the_keys_and_values_that_are_promised(used: Program) -> None:
    """In rows of lists just those keys, in objects too; principals have their SIDs; each value is of its sort."""
    wrong = []
    for line in LINES.strip().splitlines():
        words, _, form = form_for(line)
        ran = used(*words, "--format", "json")
        assert ran.code in (0, 3, 4), (line, ran.err)
        data = ran.json
        assert isinstance(data, list) is form.rows, line
        for row in data if form.rows else [data]:
            keys = [key for key in form.names if key in row] if form.partly else form.names
            wrong += [(line, "keys", sorted(row))] if sorted(row) != sorted(keys) else []
        for one in objects_in(data):
            wrong += [(line, key, value) for key, value in one.items() if not is_as_meant(key, value)]
            wrong += [(line, "no SID", key) for key in PRINCIPALS if key in one and f"{key}_sid" not in one]
    assert not [one for one in wrong if one[1] != "no SID"]
    # A waiver knows what it is about by its fingerprint alone.
    assert {line for line, what, _ in wrong if what == "no SID"} <= {"questions waivers list"}


def test_every_command_that_prints_for_programs_has_its_form(used: Program) -> None:
    """Each command with --format has a form, each form a command; help says the keys, and a schema describes them."""

    def below(command: Any, path: tuple[str, ...]) -> Iterator[tuple[str, Any]]:
        if isinstance(command, Group):
            for name in command.list_commands(Context(command)):
                yield from below(command.get_command(Context(command), name), (*path, name))
        if "--format" in {option for one in command.params for option in one.opts}:
            yield " ".join(path), command

    with_form = dict(below(commands, ()))
    assert with_form.keys() - set(OF_A_FILE) == FORMS.keys()
    for path, form in FORMS.items():
        said = " ".join(used(*path.split(), "--help").out.split())
        assert ", ".join(form.names) in said, path
        schema = json.loads(used("schema", *path.split()).out)
        assert (schema["form"], schema["title"]) == (form.number, f"adzeguard {path} --format json")
    named = {key for form in FORMS.values() for one in (form, *(other for _, other in form.also)) for key in one.names}
    assert named <= KEYS.keys()


def test_moments_are_called_so() -> None:
    """A key that ends in _at is a moment, or a list of them, and no other key is one."""
    assert {key for key, one in KEYS.items() if one.sort == "moment"} == {
        key for key, one in KEYS.items() if key.endswith("_at") and one.sort != "list"
    }
