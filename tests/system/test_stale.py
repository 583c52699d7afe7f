"""What is stale in the demo, as it was planted, and nothing beside it."""

from datetime import UTC, datetime, timedelta

import pytest

from tests.program import Json, Program
from tests.store_rows import write_as_told

EMPTY = ("Ledger Archive", "Mooring Trial", "Old Regatta", "Paint Project", "Summer Extras", "Test Ring")


def stale(program: Program, kind: str, *options: str) -> list[Json]:
    """The rows of one kind."""
    rows: list[Json] = program("stale", kind, *options, "--format", "json").json
    return rows


def sorts(rows: list[Json]) -> set[tuple[str, str]]:
    """What is stale in which way."""
    return {(row["kind"], row["name"].rpartition("\\")[2]) for row in rows}


def test_the_planted_groups_computers_policies_and_grants(demo: Program) -> None:
    """Exactly these; the built-in ones that are just as empty only when asked for."""
    rings = {("in-a-ring", "North Quay Rota"), ("in-a-ring", "South Quay Rota")}
    assert sorts(stale(demo, "groups")) == {("no-members", name) for name in EMPTY} | rings
    assert ("no-members", "Server Operators") in sorts(stale(demo, "groups", "--built-in"))
    assert sorts(stale(demo, "computers")) == {("unused", "LAPTOP-14")}
    assert sorts(stale(demo, "policies")) == {
        ("linked-nowhere", "Old Printers"),
        ("linked-nowhere", "Trial Firewall"),
        ("linked-nowhere", "Winter Wallpaper"),
        ("empty", "Laptop Power"),
        ("empty", "Quay Notice"),
    }
    assert [row["kind"] for row in stale(demo, "grants")] == ["to-nothing", "to-nobody"]
    assert stale(demo, "ous") == stale(demo, "rules") == stale(demo, "leases") == stale(demo, "waivers") == []


def test_accounts_by_the_stamp_less_its_lag(demo: Program) -> None:
    """Over the threshold only what is over it however late the stamp is; a longer one leaves fewer."""
    rows = stale(demo, "accounts")
    unused = {row["name"]: row for row in rows if row["kind"] == "unused"}
    assert len(unused) == 7
    assert ("disabled-privileged", "edric.sool.adm") in sorts(rows)
    glass = unused[r"LOWMERE\glass.one"]
    assert "at least 286 days" in glass["why"]
    assert glass["uses"] == 2
    since = datetime.fromisoformat(glass["since_at"])
    assert timedelta(days=299) < datetime.now(UTC) - since < timedelta(days=301)
    longer = {row["name"] for row in stale(demo, "accounts", "--unused-for", "286d") if row["kind"] == "unused"}
    assert {r"LOWMERE\edric.sool.adm", r"LOWMERE\pontus.tarn"} <= longer
    assert r"LOWMERE\glass.one" not in {
        row["name"] for row in stale(demo, "accounts", "--unused-for", "287d") if row["kind"] == "unused"
    }
    settings = demo.folder / "adzeguard.toml"
    settings.write_text(settings.read_text() + "\n[stale]\nunused_days = 390\n")
    assert {row["name"] for row in stale(demo, "accounts") if row["kind"] == "unused"} == {r"LOWMERE\edric.sool.adm"}


def test_what_is_stale_for_three_reasons_is_named_no_more_often(demo: Program) -> None:
    """Beside each account stands how many places `uses` lists for it, for however many reasons it is stale."""
    rows = stale(demo, "accounts")
    assert len({row["name"] for row in rows}) < len(rows)
    for name, count in {(row["name"], row["uses"]) for row in rows}:
        assert len(demo("uses", name, "--format", "json").json) == count, name


def test_rules_that_do_nothing_any_more(demo: Program) -> None:
    """Off, past, about no host, about no account, and overruled on each host; what decides anywhere is none."""
    (demo.folder / "charter/more.yaml").write_text(r"""charter: 1
rules:
  - {id: switched-off, group: 'LOWMERE\First Aiders', include: ['LOWMERE\roan.pell'], enabled: false}
  - {id: over, group: 'LOWMERE\First Aiders', include: ['LOWMERE\roan.pell'], until: 2026-01-31}
  - id: no-host
    hosts: {under: OU=Groups}
    local-group: administrators
    include: ['LOWMERE\Domain Admins']
  - {id: no-account, accounts: {under: OU=Quay}, account-standard: [smart-card]}
  - id: overruled
    hosts: {everywhere: true}
    local-group: users
    only: ['LOWMERE\Domain Users', 'LOWMERE\Domain Admins']
  - id: closer
    hosts: {under: [OU=Hosts, OU=Quay]}
    local-group: users
    only: ['LOWMERE\Domain Users']
""")
    lint = demo("charter", "lint")
    assert lint.code in (0, 3), lint.out
    assert sorts(stale(demo, "rules")) >= {
        ("off", "switched-off"),
        ("past", "over"),
        ("about-nothing", "no-host"),
        ("about-nothing", "no-account"),
    }
    named = {row["name"] for row in stale(demo, "rules")}
    assert "overruled" in named
    assert not {"closer", "kiosk-administrators"} & named


def test_leases_and_waivers_that_hold_on_to_what_is_over(demo: Program) -> None:
    """A lease past its end, one of a disabled account; a waiver for what was mended."""
    for line in (
        ("lease", "start", "hedda.morrow", "First Aiders", "--for", "1h", "--yes"),
        ("lease", "start", "orla.fenn", "Radio Watch", "--for", "1h", "--yes"),
    ):
        assert demo(*line).code == 0
    found = next(
        f for f in demo("check", "--each", "--format", "json").json if f["subject"] == r"KIOSK-12\administrators"
    )
    waived = demo("questions", "leave", found["fingerprint"], "--until", "20d", "--why", "being looked into")
    assert waived.code == 0, waived.err
    assert stale(demo, "waivers") == stale(demo, "leases") == []
    assert demo("enact", "--yes").code == 0
    demo("propose")
    write_as_told(demo, "UPDATE lease SET until_ = '2026-01-01T00:00:00+00:00' WHERE id = 'L1'")
    assert [row["kind"] for row in stale(demo, "leases")] == ["not-ended"]


@pytest.mark.parametrize("kind", ["", "groups"])
def test_one_screen_counts_what_each_kind_lists(demo: Program, kind: str) -> None:
    """The count is of things, not of reasons, and the oldest is named."""
    if kind:
        assert demo("stale", "nothing").code == 2
        return
    counts = {row["kind"]: row for row in demo("stale", "--format", "json").json}
    for name in ("groups", "accounts", "policies", "rules"):
        assert counts[name]["count"] == len({row["name"] for row in stale(demo, name)})
    assert counts["accounts"]["oldest"] == r"LOWMERE\edric.sool.adm"


def test_policies_and_their_folders_on_the_server(demo: Program) -> None:
    """Where the domain's share was read: a policy without its folder, and a folder without its policy."""
    import json
    import re

    file = demo.folder / "shares/Crew.json"
    entry = json.loads(file.read_text())["folders"][""]
    text = (demo.folder / "lowmere.ldif").read_text()
    guids = re.findall(r"dn: CN=(\{[^}]*\}),CN=Policies,CN=System", text)
    there = [*guids[1:], "{00000000-AAAA-BBBB-CCCC-000000000001}"]
    folders = [
        "",
        "lowmere.example",
        r"lowmere.example\Policies",
        *(rf"lowmere.example\Policies\{guid}" for guid in there),
    ]
    (demo.folder / "shares/SYSVOL.json").write_text(json.dumps({"folders": dict.fromkeys(folders, entry)}))
    before = sorts(stale(demo, "policies"))
    assert demo("collect", "--shares").code == 0
    found = sorts(stale(demo, "policies")) - before
    assert {kind for kind, _ in found} == {"without-folder", "folder-without-policy"}
    assert len(found) == 2
    [left] = [row for row in stale(demo, "policies") if row["kind"] == "folder-without-policy"]
    assert left["name"].endswith("CCCC-000000000001}")


def test_the_account_of_a_trust_is_no_person(demo: Program) -> None:
    """Never used and with an old password it is in no list of people, and put away, disabled or deleted by nothing."""
    directory = demo.folder / "lowmere.ldif"
    text = directory.read_text()
    at = text.index("dn: CN=Cato Lune,")
    one = text[at : text.index("\n\n", at) + 2]
    assert "userAccountControl: 512" in one
    trust = one.replace("CN=Cato Lune,", "CN=PIER$,").replace("sAMAccountName: cato.lune", "sAMAccountName: PIER$")
    trust = trust.replace("userAccountControl: 512", "userAccountControl: 2080").replace("cn: Cato Lune", "cn: PIER$")
    users = demo("find", "--kind", "user", "--limit", "1000", "--format", "json").json
    directory.write_text(text.replace(one, trust))
    demo("collect", "--full")
    assert [row["name"] for row in demo("find", "PIER", "--format", "json").json] == ["PIER"]
    shown = demo("show", "PIER$", "--format", "json").json
    assert shown["kind"] == "trust account"
    assert len(demo("find", "--kind", "user", "--limit", "1000", "--format", "json").json) == len(users) - 1
    assert not [row for row in stale(demo, "accounts", "--built-in") if "PIER" in row["name"]]
    for command in (("retire",), ("account", "disable")):
        refused = demo(*command, "PIER$", "--yes", "--why", "old")
        assert refused.code != 0, command
    assert "userAccountControl: 2080" in directory.read_text()
