"""Drivers that another package brings."""

import json
import os
from pathlib import Path

import pytest

from adzeguard.core.estate.capabilities import pack_state
from adzeguard.core.estate.hosts import Host
from adzeguard.hosts.standin import StandinHosts
from tests.program import Program, Ran, insisting


class Process(Program):
    """The program as a process: another package is on its path alone."""

    def __call__(self, *arguments: str | Path, typed: str = "") -> Ran:
        return self.as_process(*arguments, typed=typed)


PACKAGE = Path(__file__).parent / "another_package"


@pytest.fixture
def registered(demo: Program) -> Program:
    """The demo, whose hosts stand in one register that the driver of another package reads."""
    hosts = StandinHosts(demo.folder / "hosts")
    register = {}
    for path in (demo.folder / "hosts").glob("*.json"):
        if not json.loads(path.read_text()).get("behaviour", {}).get("offline"):
            with hosts.session(Host(1, path.stem, "")) as session:
                register[path.stem] = pack_state(session.read())
    (demo.folder / "register.json").write_text(json.dumps(register))
    use(demo, "one-register", "path = 'register.json'")
    return with_package(Process(demo.folder))


def with_package(process: Process) -> Process:
    """Put the other package on its path."""
    before = process.environment.get("PYTHONPATH", "")
    process.environment["PYTHONPATH"] = os.pathsep.join(filter(None, [str(PACKAGE), before]))
    return process


def use(demo: Program, kind: str, setting: str) -> None:
    """Name the driver of hosts, and one of its settings."""
    settings = demo.folder / "adzeguard.toml"
    before = settings.read_text()
    at = before.index("[hosts]")
    after = before[at + 1 :]
    rest = after[after.index("\n[") :] if "\n[" in after else ""
    settings.write_text(f"{before[:at]}[hosts]\nkind = '{kind}'\n{setting}\n{rest}")


def test_a_driver_of_another_package_is_read_changed_and_undone(registered: Program) -> None:
    """Nothing but its installation and the settings make the program collect, mend and undo through it."""
    register = registered.folder / "register.json"
    before = json.loads(register.read_text())
    collected = registered("collect")
    assert collected.code == 0
    assert "Of no source of hosts (2), nothing is known of them: KIOSK-22, LAPTOP-05" in collected.err

    enacted = registered("enact", "--yes", "--format", "json")
    on_hosts = [row for row in enacted.json if row["target"] != "directory"]
    assert {row["status"] for row in on_hosts} == {"verified"}
    assert len({row["target"] for row in on_hosts}) > 1
    assert json.loads(register.read_text()) != before
    keeper = next(row["id"] for row in on_hosts if row["target"] == "KIOSK-19")  # taken back it would lock out
    assert insisting(registered, "undo", "--last", "--keep", keeper, "--yes").code == 0
    after = json.loads(register.read_text())
    assert {host for host in before if before[host] != after[host]} == {"KIOSK-19"}


@pytest.mark.parametrize(
    ("kind", "setting", "said"),
    [
        ("one-registre", "path = 'r'", "there is no driver 'one-registre'. Did you mean one-register?"),
        ("one-register", "paht = 'r'", "[hosts] has no key paht, did you mean path?"),
        ("one-register", "", "[hosts] path is missing. The register."),
        ("nothing", "", "'nothing' of one_register:Line is no driver"),
        ("absent", "", "the driver 'absent' cannot be loaded: No module named 'one_register_absent'"),
    ],
)
def test_a_driver_that_cannot_be_used_is_named(registered: Program, kind: str, setting: str, said: str) -> None:
    """A kind that no package brings, a wrong key, and a package that is broken end in one line with the way out."""
    use(registered, kind, setting)
    refused = registered("collect")
    assert refused.code == 1
    assert said in refused.err
    assert refused.err.count("\n") == 1


def test_a_driver_that_stumbles_over_a_host_stops_nothing_else(registered: Program) -> None:
    """What a driver raises that it should not is the trouble of one host, in words; the others are read."""
    register = registered.folder / "register.json"
    hosts = json.loads(register.read_text())
    register.write_text(json.dumps(hosts | {"KIOSK-07": {"machine_sid": "S-1-5-21-1-2-3"}}))
    collected = registered("collect")
    assert collected.code == 4
    assert "KIOSK-07: the driver failed with KIOSK-07: KeyError: 'parts'" in collected.err
    assert registered("who", "--on", "KIOSK-06").code == 0
    enacted = registered("enact", "--yes", "--format", "json").json
    of_kiosk = {row["status"] for row in enacted if row["target"] == "KIOSK-07"}
    assert of_kiosk <= {"unreachable"}
    assert {row["status"] for row in enacted if row["target"] not in ("directory", "KIOSK-07")} == {"verified"}


def test_no_other_package_takes_the_name_of_a_driver_of_ours(demo: Program) -> None:
    """It brings one called standin as well, which is no driver at all; the hosts are read as before."""
    process = Process(demo.folder)
    before = process("collect", "--full")
    with_package(process)
    after = process("collect", "--full")
    assert (after.code, after.out, after.err) == (before.code, before.out, before.err)
    assert process("who", "--on", "KIOSK-07").code == 0
