"""What somebody planted or took away: links, a charter's folder, identities of deleted accounts."""

from tests.program import Program

NEW = ("group", "create", "Radio Logs", "--in", "OU=Groups", "--yes", "--format", "json")


def test_a_link_under_the_name_of_a_temporary_file_is_not_followed(demo: Program) -> None:
    """What it names is as it was, and the directory and the host are written; no result is written through a link."""
    kept = demo.folder / "kept.txt"
    kept.write_text("mine")
    for planted in (demo.folder / ".lowmere.ldif.new", demo.folder / "hosts/.KIOSK-15.json.new"):
        planted.symlink_to(kept)
    (demo.folder / "map.png").symlink_to(kept)
    assert demo("enact", "--yes").code == 0
    refused = demo("grant", "map", "--output", "map.png")
    assert (refused.code, "map.png cannot be written or read: it is a link" in refused.err) == (1, True), refused.err
    assert kept.read_text() == "mine"


def test_neither_the_lock_nor_letters_are_written_into_what_somebody_planted(demo: Program) -> None:
    """Through a link nothing is locked; a file of anything else than letters gets none, and an empty one does."""
    start = demo.folder / "profile"
    start.write_text("echo welcome\n")
    lock = demo.folder / ".adzeguard/lock"
    lock.unlink(missing_ok=True)
    lock.symlink_to(start)
    refused = demo("collect")
    assert (refused.code, ".adzeguard/lock cannot be opened" in refused.err) == (1, True)
    lock.unlink()
    settings = demo.folder / "adzeguard.toml"
    before = settings.read_text()
    for name, told in (("profile", False), ("letters", True), ("letters", True)):
        settings.write_text(f'{before}\n[tell.file]\nkind = "lines"\nfile = "{name}"\n')
        done = demo("questions", "try")
        assert (done.code == 0) == told, done.err
        assert told or "holds something else than letters of adzeguard" in done.err
    assert start.read_text() == "echo welcome\n"
    assert (demo.folder / "letters").read_text().count("\n") == 2


def test_a_charter_whose_folder_is_gone_is_an_error_and_withdraws_nothing(demo: Program) -> None:
    """Without its folder, or with a link that leads round, nothing is proposed."""
    assert demo("enact", "--yes").code == 0
    (demo.folder / "charter").rename(demo.folder / "charter-old")
    for command in (["propose"], ["check"], ["enact", "--yes"]):
        refused = demo(*command)
        assert (refused.code, "charter cannot be read: No such file" in refused.err) == (1, True), refused.err
    (demo.folder / "charter").symlink_to("charter")
    assert "Too many levels of symbolic links" in demo("propose").err


def test_a_rid_is_never_given_twice(demo: Program) -> None:
    """A new group does not come into the rights of one that was deleted: it has a SID of its own."""
    first = demo(*NEW).json[0]["detail"]
    assert demo("undo", "--last", "--yes").code == 0
    second = demo(*NEW).json[0]["detail"]
    assert first.startswith("SID S-1-5-21-")
    assert int(second.rpartition("-")[2]) == int(first.rpartition("-")[2]) + 1


def test_a_roster_with_a_name_that_nobody_has_does_nothing(demo: Program) -> None:
    """One misspelt member stops the whole list, also for the groups of which every name is right."""
    (demo.folder / "charter/charter.yaml").write_text(
        "charter: 1\nrules:\n  - {id: rota, roster: rota.csv, response: mend}\n"
    )
    roster = demo.folder / "charter/rota.csv"
    right = r"LOWMERE\Radio Watch,LOWMERE\orla.fenn"
    roster.write_text(f"group,member\n{right}\n")
    assert demo("propose").code == 3
    roster.write_text(f"group,member\n{right}\nLOWMERE\\First Aiders,LOWMERE\\orla.fen\n")
    stopped = demo("propose")
    assert (stopped.code, "No change can be made" in stopped.out) == (3, True), stopped.out
    assert "did you mean 'LOWMERE\\orla.fenn'" in demo("charter", "lint").out


def test_the_hosts_own_administrator_is_never_taken_out_by_a_rule(demo: Program) -> None:
    """An `only` everywhere that forgets it leaves the last way into each host; misspelt, the rule does nothing."""
    (demo.folder / "charter/charter.yaml").write_text(
        "charter: 1\nrules:\n"
        "  - id: everywhere\n    hosts: {everywhere: true}\n    local-group: administrators\n    response: mend\n"
        "    only: ['LOWMERE\\Domain Admins', 'local\\administratr']\n"
    )
    stopped = demo("propose")
    assert (stopped.code, "No change can be made" in stopped.out) == (3, True), stopped.out
    assert "did you mean 'local\\administrator'?" in demo("charter", "lint").out
    charter = demo.folder / "charter/charter.yaml"
    charter.write_text(charter.read_text().replace(", 'local\\administratr'", ""))
    changes = demo("propose", "--format", "json").json["changes"]
    taken = {c["member"]["sid"] for c in changes if c["kind"] == "remove-local-member"}

    assert taken
    assert not [sid for sid in taken if sid.endswith("-500")]
    told = [f for f in demo("check", "--format", "json").json if f["check"] == "keeper-not-listed"]
    assert any(f["member"].casefold().endswith("\\administrator") for f in told)
