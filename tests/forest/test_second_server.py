"""Several servers of one domain: one after the other is asked, each is followed by its own counter."""

import sys
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest

from tests.forest.two_domains import Controller, TwoDomains

pytestmark = pytest.mark.server
ROOT = Path(__file__).parents[2]
Run = Callable[..., Any]


@pytest.fixture
def second(domains: TwoDomains) -> Iterator[Controller]:
    """The other server, running; the first one runs afterwards, whatever became of it."""
    domains.start(domains.second)
    yield domains.second
    if not domains.low.runs:
        domains.start(domains.low)
    domains.second.stop()


@pytest.fixture
def program(domains: TwoDomains, second: Controller, tmp_path: Path) -> Run:
    """The program in a workspace of both servers, where their names are known; `at` is the server that runs there."""
    folder, client = tmp_path / "w", domains.low.client
    (folder / "charter").mkdir(parents=True)
    (folder / ".adzeguard").mkdir()
    (folder / "charter/charter.yaml").write_text("charter: 1\nrules: []\n")
    urls = [f"ldaps://{one.host}.{one.realm}" for one in (domains.low, second)]
    cas = tmp_path / "ca.pem"
    cas.write_bytes(client.ca_file.read_bytes() + second.client.ca_file.read_bytes())
    (folder / "adzeguard.toml").write_text(
        f"[directory]\nkind = 'ldap'\nurls = {urls}\nbind_as = '{client.bind_as}'\nca_file = '{cas}'\n"
        f"password_file = '{client.password_file}'\ntimeout = '5'\n"
    )

    def run(*words: str) -> Any:
        environment = {"PYTHONPATH": f"{ROOT / 'src'}:{ROOT}"}
        return second.inside(sys.executable, "-m", "adzeguard", *words, at=folder, **environment)

    return run


def described(one: Controller, name: str, text: str) -> None:
    """Give somebody another description, on one server."""
    change = f"dn: CN={name},OU=Lot,{one.base}\nchangetype: modify\nreplace: description\ndescription: {text}"
    one.client.change(change)


def test_the_next_server_is_asked_and_each_is_followed_by_itself(
    domains: TwoDomains, second: Controller, program: Run
) -> None:
    """The first one first; when it is off the other, wholly the first time; later only changes, of either."""
    first = program("collect")
    assert first.returncode == 0, first.stderr
    described(second, "lp1", "told to the other")
    domains.low.stop()
    other = program("collect")
    assert (other.returncode, "ldaps://lowdc.lowmere.example did not answer" in other.stderr) == (0, True), other.stderr
    assert "told to the other" in program("show", "lp1").stdout
    described(second, "lp2", "told later")
    again = program("collect")
    assert (again.returncode, "that changed" in again.stdout) == (0, True), again.stdout
    assert "told later" in program("show", "lp2").stdout
    domains.start(domains.low)
    described(domains.low, "lp3", "told to the first")
    back = program("collect")
    assert (back.returncode, back.stderr) == (0, ""), back.stderr
    assert "that changed" in back.stdout, back.stdout
    assert "told to the first" in program("show", "lp3").stdout
    # What the first server does not know yet is not told by it, and stands as the other one told it.
    assert "told later" in program("show", "lp2").stdout


def test_what_the_other_server_was_told_is_seen_before_it_is_overwritten(
    domains: TwoDomains, second: Controller, program: Run
) -> None:
    """Proposed by what the first one said; enacted on the other, where somebody was faster: a conflict, not a write."""
    assert program("collect").returncode == 0
    proposed = program("group", "add", "lg7", "lp19", "--only-propose", "add.json")
    assert proposed.returncode == 3, proposed.stderr
    group = f"CN=lg7,OU=Lot,{second.base}"
    second.client.change(f"dn: {group}\nchangetype: modify\nadd: member\nmember: CN=lp19,OU=Lot,{second.base}")
    domains.low.stop()
    enacted = program("enact", "add.json", "--yes")
    assert (enacted.returncode, "is present already" in " ".join(enacted.stdout.split())) == (1, True), enacted.stdout
    assert program("group", "remove", "lg7", "lp19", "--yes").returncode == 0
    assert "lp19" not in second.client.members_of("lg7")


def test_servers_of_two_domains_are_not_taken_for_one(
    domains: TwoDomains, second: Controller, program: Run, tmp_path: Path
) -> None:
    """The next server serves another domain: nothing is collected, and what stands in the store stays."""
    assert program("collect").returncode == 0
    isle = domains.isle.client
    settings = tmp_path / "w/adzeguard.toml"
    text = settings.read_text().replace(f"{second.host}.{second.realm}", f"{domains.isle.host}.{domains.isle.realm}")
    ca_file = tmp_path / "ca.pem"
    ca_file.write_bytes(ca_file.read_bytes() + isle.ca_file.read_bytes())
    settings.write_text(text.replace("LOWMERE", "ISLE"))
    domains.low.stop()
    refused = program("collect")
    assert (refused.returncode, "serves isle.example (S-1-5-21-" in refused.stderr) == (1, True), refused.stderr
    assert "lp1" in program("find", "lp1").stdout
