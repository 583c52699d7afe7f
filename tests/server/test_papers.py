"""Reviews, reports, figures and pictures of the real server."""

import pytest

from tests.program import Program
from tests.server.server import Server
from tests.server.test_objects import everything, made
from tests.system.test_metrics import values
from tests.system.test_review import by_csv, members

pytestmark = pytest.mark.server


def test_a_review_goes_round_and_papers_are_written(server: Server, workspace: Program) -> None:
    """Whom the owner takes out is taken out on the server, and put back by undo; every paper and picture is written."""
    workspace("collect", "--full")
    made(workspace, "group", "add", "First Aiders", "yorick.tarn", "--why", "for the trial")
    made(workspace, "group", "set", "First Aiders", "--managed-by", "orla.fenn", "--why", "somebody must")
    before, inside = everything(server), members(workspace, "First Aiders")
    started = workspace("review", "start", "--group", "First Aiders", "--form", "csv", "--output", "out")
    assert started.code == 0, started.err
    assert workspace("review", "read", by_csv(workspace.folder / "out/R1.csv")).code == 0
    assert workspace("review", "propose", "R1", "--output", "review.json").code == 3
    done = workspace("enact", "review.json", "--yes")
    assert done.code == 0, done.err
    gone = inside - members(workspace, "First Aiders")
    assert gone == {r"LOWMERE\yorick.tarn", r"LOWMERE\roan.pell"}
    listed = everything(server)[f"CN=First Aiders,OU=Groups,{server.base}"]["member"]
    assert not any("Yorick" in name for name in listed)
    for ending in ("xlsx", "html", "pdf", "json"):
        written = workspace("report", "all", "--output", f"all.{ending}")
        assert (written.code, (workspace.folder / f"all.{ending}").stat().st_size > 5000) == (0, True), written.err
    told = values(workspace("metrics").out)
    admins = [m for m in workspace("who", r"LOWMERE\Domain Admins", "--format", "json").json if m["kind"] == "user"]
    assert told[r'adzeguard_privileged_people{group="LOWMERE\\Domain Admins"}'] == len(admins)
    for words in (
        ("nesting", r"LOWMERE\Domain Admins"),
        ("reach", r"LOWMERE\Domain Admins"),
        ("ages",),
        ("headcount",),
    ):
        assert workspace("picture", *words, "--output", "drawn.svg").code == 0, words
        (workspace.folder / "drawn.svg").unlink()
    assert workspace("undo", "--last", "--yes").code == 0
    assert everything(server) == before
