"""Tiers: accounts that may log on to hosts of a lower one."""

import json

import pytest

from tests.program import Program

TIERS = r"""charter: 1
rules:
- id: crown
  tier: 0
  accounts: {inside: 'LOWMERE\Domain Admins'}
  hosts: {under: "OU=Harbour Machines,OU=Hosts"}
- id: helpers
  tier: 1
  accounts: {inside: 'LOWMERE\Service Desk'}
- id: desks
  tier: 2
  hosts: {under: ["OU=Ticket Kiosks,OU=Hosts", "OU=Shore Laptops,OU=Hosts"], named: HARBOUR-10}
"""
REFUSED = r"""
- id: not-at-kiosks
  response: mend
  hosts: {under: "OU=Ticket Kiosks,OU=Hosts"}
  refuse-logon: {console: 'LOWMERE\Service Desk', remote: 'LOWMERE\Service Desk'}
"""


@pytest.fixture
def tiers(demo: Program) -> Program:
    """The demo with two tiers."""
    (demo.folder / "charter/charter.yaml").write_text(TIERS)
    return demo


def told(program: Program, rule: str) -> dict[str, set[str]]:
    """Which accounts of a tier may log on where it is too low for them, by host."""
    found = [f for f in program("check", "--rule", rule, "--format", "json").json if f["check"] == "lower-tier-logon"]
    return {f["subject"]: {name.rpartition("\\")[2] for name in f["evidence"]["accounts"]} for f in found}


def test_strong_accounts_are_told_where_a_lower_tier_lets_them_in(tiers: Program) -> None:
    """On every host of the lower tier that was read, by the closest scope; disabled accounts and their own tier not."""
    found = told(tiers, "crown")
    assert "HARBOUR-01" not in found
    assert "HARBOUR-10" in found
    assert "KIOSK-22" not in found
    assert found["KIOSK-01"] >= {"isolde.varn.adm", "tobin.asker.adm", "mira.holt.adm"}
    assert len({frozenset(names) for names in found.values()}) == 1
    assert told(tiers, "helpers").keys() == found.keys()


def test_a_refusal_at_the_host_and_a_limit_of_the_account_close_it(tiers: Program) -> None:
    """By both ways, at the console and remotely; who is let to some hosts alone gets into no other."""
    helpers = told(tiers, "helpers")["KIOSK-01"]
    (tiers.folder / "charter/charter.yaml").write_text(TIERS + REFUSED)
    assert tiers("enact", "--yes").code == 0
    assert {name.partition("-")[0] for name in told(tiers, "helpers")} == {"LAPTOP", "HARBOUR"}
    path = tiers.folder / "hosts/KIOSK-01.json"
    content = json.loads(path.read_text())
    content["logon"]["refused"].pop("remote")
    path.write_text(json.dumps(content))
    tiers("collect")
    assert told(tiers, "helpers")["KIOSK-01"] == helpers
    by_host = {f["subject"]: f["message"] for f in tiers("check", "--rule", "helpers", "--format", "json").json}
    assert "by remote" in by_host["KIOSK-01"]
    assert "console" not in by_host["KIOSK-01"]
    limit = r"""
- id: at-the-harbour
  response: mend
  accounts: {inside: 'LOWMERE\Domain Admins', except: 'LOWMERE\Administrator'}
  logon-only-on: {named: HARBOUR-01}
"""
    (tiers.folder / "charter/charter.yaml").write_text(TIERS + REFUSED + limit)
    assert tiers("enact", "--yes").code == 0
    assert {frozenset(names) for names in told(tiers, "crown").values()} == {frozenset({"Administrator"})}
