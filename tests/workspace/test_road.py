"""The one road of writing: nothing is written that the guards have not seen."""

import ast
from pathlib import Path

import pytest

import adzeguard
from adzeguard.core.change.by_hand.members import memberships_by_hand
from adzeguard.core.change.by_hand.on_host import members_on
from adzeguard.core.change.draft import Draft
from adzeguard.core.change.guards.judge import Allowed, Judged, judge
from adzeguard.core.errors import AdzeguardError, GuardError
from adzeguard.core.estate.names import resolve, resolve_host
from adzeguard.core.limits import NOTHING_NAMED
from adzeguard.core.wellknown import ADMINISTRATORS
from adzeguard.directory.executors.table import make_in_directory
from adzeguard.hosts.executor import make_on_host
from adzeguard.shares.executor import make_on_share
from adzeguard.workflows.enact import enact_judged
from adzeguard.workflows.propose import with_words_and_impact
from adzeguard.workspace.open_workspace import Workspace
from adzeguard.workspace.road import enact, resume
from adzeguard.workspace.unattended import enact_unattended
from adzeguard.workspace.wanted import Wanted
from tests.program import Program

SOURCES = Path(adzeguard.__file__).parent
WRITING = {"add", "restore", "rename", "delete", "modify", "link_until", "switch_on_link_ends", "change", "write"}
"""What the ports of the directory, of hosts and of shares have that writes."""
PORTS = {"directory", "session", "server"}
EXECUTORS = {"directory/executors", "hosts/executor.py", "shares/executor.py", "hosts/guarded_session.py"}


def everything(program: Program) -> dict[str, bytes]:
    """The directory and all hosts, byte for byte."""
    files = [program.folder / "lowmere.ldif", *sorted((program.folder / "hosts").glob("*.json"))]
    return {path.name: path.read_bytes() for path in files}


@pytest.fixture
def harmful(demo: Program) -> tuple[Program, Workspace, Draft]:
    """The demo, and a draft that would leave a host without anybody who can act."""
    workspace = Workspace(demo.folder)
    host = resolve_host(workspace.estate, "KIOSK-01")
    assert host.state is not None
    inside = [str(sid) for group in host.state.groups if group.sid == ADMINISTRATORS for sid in group.members]
    draft = members_on(workspace.estate, host, "administrators", inside, "harm", add=False)
    assert len(draft.changes) > 1
    return demo, workspace, draft


def test_no_road_writes_what_the_guards_refuse(harmful: tuple[Program, Workspace, Draft]) -> None:
    """As a draft, as a whole proposal, unattended, or as what gives back: refused, and nothing is changed."""
    program, workspace, draft = harmful
    before = everything(program)
    proposal = with_words_and_impact(draft, workspace.proposer)
    with pytest.raises(GuardError, match="keeper"):
        enact(workspace, Wanted(lambda: draft))
    with pytest.raises(GuardError, match="keeper"):
        enact(workspace, Wanted(lambda: proposal, gives_back=True))
    assert "keeper" in enact_unattended(workspace, lambda: draft).refused
    with pytest.raises(GuardError, match="keeper"):
        judge(proposal, workspace.case(proposal, NOTHING_NAMED))
    with pytest.raises(AdzeguardError, match="no enactment was interrupted"):
        resume(workspace, Wanted(lambda: draft))
    assert everything(program) == before
    assert program("journal", "--count").out == "0\n"


def test_a_proposal_that_hides_what_it_does_is_refused(harmful: tuple[Program, Workspace, Draft]) -> None:
    """What it says it comes to is reckoned again, whoever hands it over."""
    program, workspace, draft = harmful
    proposal = with_words_and_impact(draft, workspace.proposer)
    hiding = proposal.model_copy(update={"impact": type(proposal.impact)()})
    before = everything(program)
    with pytest.raises(GuardError, match=r"(?s)who gains and who loses|loses"):
        enact(workspace, Wanted(lambda: hiding))
    assert everything(program) == before


def test_only_the_judge_allows(harmful: tuple[Program, Workspace, Draft]) -> None:
    """Neither a proposal nor a change is taken by what writes, and nobody else can make what is taken."""
    program, workspace, draft = harmful
    proposal = with_words_and_impact(draft, workspace.proposer)
    change = proposal.changes[0]
    before = everything(program)
    with pytest.raises(TypeError, match="by the judge alone"):
        Judged(proposal, workspace.case(proposal, NOTHING_NAMED), (), object())
    with pytest.raises(TypeError, match="by the judge alone"):
        Allowed(change, object())
    with workspace.directory() as directory, workspace.hosts() as hosts:
        for write in (
            lambda: enact_judged(proposal, workspace.ports(directory, hosts), print),
            lambda: make_in_directory(directory, change, print),
            lambda: make_on_share(None, change, print),
            lambda: make_on_host(None, change, print),
        ):
            with pytest.raises(AttributeError):
                write()
    assert everything(program) == before


def test_the_judge_looks_at_the_proposal_that_is_made(harmful: tuple[Program, Workspace, Draft]) -> None:
    """A case about other changes is no case; a change of another proposal is not allowed by this one."""
    _, workspace, draft = harmful
    proposal = with_words_and_impact(draft, workspace.proposer)
    joins = [(resolve(workspace.estate, "First Aiders"), resolve(workspace.estate, "orla.fenn"))]
    harmless = with_words_and_impact(memberships_by_hand(workspace.estate, joins, (), "a rule"), workspace.proposer)
    case = workspace.case(harmless, NOTHING_NAMED)
    with pytest.raises(ValueError, match="about other changes"):
        judge(proposal, case)
    stranger = proposal.changes[0].model_copy(update={"id": "c00099"})
    with pytest.raises(ValueError, match="is no change of the proposal"):
        judge(harmless, case).allowed(stranger)


def test_ports_are_written_to_by_executors_alone() -> None:
    """No other file of the program calls what writes to a directory, a host or a share."""
    found = set()
    for path in SOURCES.rglob("*.py"):
        where = path.relative_to(SOURCES).as_posix()
        for node in ast.walk(ast.parse(path.read_text())):
            if not (isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute) and node.func.attr in WRITING):
                continue
            of = node.func.value
            name = of.id if isinstance(of, ast.Name) else of.attr if isinstance(of, ast.Attribute) else ""
            if name.strip("_") in PORTS and not any(where.startswith(one) for one in EXECUTORS):
                found.add((where, name, node.func.attr))
    assert found == set()


def test_what_a_round_decides_by_is_read_again_before_it_writes(demo: Program) -> None:
    """Between the collection of a round and its writing somebody takes the other keepers out: it is judged anew."""
    workspace = Workspace(demo.folder)

    def draft() -> Draft:
        """Take one keeper out, while the others vanish behind our back."""
        estate = workspace.estate
        group = resolve(estate, "Domain Admins")
        _without_other_keepers(demo.folder / "lowmere.ldif")
        return memberships_by_hand(estate, (), [(group, resolve(estate, "isolde.varn.adm"))], "leaves")

    assert r"LOWMERE\Domain Admins would be left without a keeper" in enact_unattended(workspace, draft).refused
    assert "CN=Isolde Varn (adm)" in (demo.folder / "lowmere.ldif").read_text().partition("dn: CN=Domain Admins,")[2]


def _without_other_keepers(directory: Path) -> None:
    entries = directory.read_text().replace("\n ", "").split("\n\n")
    for at, entry in enumerate(entries):
        if entry.startswith("dn: CN=Domain Admins,"):
            lines = [one for one in entry.split("\n") if not one.startswith("member:") or "(adm)" in one]
            entries[at] = "\n".join(line for line in lines if "Tobin" not in line)
        elif entry.startswith("dn: CN=Administrator,"):
            entries[at] = entry.replace("userAccountControl: 512", "userAccountControl: 514")
        else:
            entries[at] = entry.replace("primaryGroupID: 512\n", "primaryGroupID: 513\n")
    directory.write_text("\n\n".join(entries))
