"""What grows, grows by a row: nothing of the house knows the made-up sign, and all of it works with it."""

from dataclasses import replace
from datetime import date

import pytest

from adzeguard.core.access.keepers import default_keepers
from adzeguard.core.change.guards.case import Case
from adzeguard.core.change.guards.judge import judge
from adzeguard.core.change.inverse import inverse_changes
from adzeguard.core.change.kinds.set_fact import SetFact
from adzeguard.core.change.kinds.table import CHANGE_KINDS, change_kind
from adzeguard.core.change.order import in_order
from adzeguard.core.change.outcome import Status
from adzeguard.core.change.proposal import Proposal
from adzeguard.core.change.written import read_proposal
from adzeguard.core.charter.kinds import nothing_left
from adzeguard.core.charter.parse import parse_charter
from adzeguard.core.charter.resolve import ResolvedCharter, resolve_charter
from adzeguard.core.checks.all import all_findings
from adzeguard.core.checks.check_input import CheckInput
from adzeguard.core.checks.table import CHECKS
from adzeguard.core.errors import CharterError, ProposalFileError
from adzeguard.core.estate.capabilities import CAPABILITIES, pack_state, unpack_state
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.hosts import HostState
from adzeguard.core.identity import Sid
from adzeguard.core.review.corrections import corrections
from adzeguard.core.review.draft import draft_of
from adzeguard.core.review.kinds import RULE_KINDS
from adzeguard.core.review.settings import SettingKind
from adzeguard.hosts.executor import make_on_host
from adzeguard.settings.charter_yaml import document_of
from tests.core.door_sign import DOOR_SIGN, NO_SIGN, SIGNS, SetSign
from tests.estates import DOMAIN, NOON, directory, estate, rights_of

KINDS = (*RULE_KINDS, SIGNS)
RULE = "charter: 1\nrules:\n- {id: crew, why: Crew., hosts: {under: OU=Kiosks}, door-sign: Crew only, response: mend}\n"


def kiosks(signs: dict[str, str | None]) -> Estate:
    """Kiosks by the sign that each shows; nothing for one that has no place for signs."""
    whole = directory([], {}, computers=dict.fromkeys(signs, "OU=Kiosks"))
    made = estate(whole, {name: [] for name in signs})
    hosts = [
        host if sign is None else replace(host, state=with_sign(host.state, sign))
        for host, sign in zip(made.hosts, signs.values(), strict=True)
    ]
    return Estate(NOON, DOMAIN, whole.objects, whole.graph, hosts)


def with_sign(state: HostState | None, sign: str) -> HostState:
    """The state with a sign."""
    assert state is not None
    return replace(
        state, capabilities=state.capabilities | {DOOR_SIGN.name}, parts={**state.parts, DOOR_SIGN.name: sign}
    )


def crew_only(of: Estate) -> ResolvedCharter:
    """The charter with its one rule."""
    charter = parse_charter([document_of(RULE, "charter.yaml")], KINDS)
    return resolve_charter(charter, KINDS, of, date(2026, 11, 23), "tell", default_keepers(of))


def test_a_kind_of_rule_and_a_kind_of_change_are_a_row_each() -> None:
    """A made-up rule is read, reviewed, proposed, written, read again, and taken back; its kind is unknown without."""
    of = kiosks({"KIOSK-1": "Welcome", "KIOSK-2": "Crew only", "KIOSK-3": None})
    found = list(corrections(rights_of(of), crew_only(of), kinds=KINDS))
    assert [(c.check, c.subject.name, c.message) for c in found] == [
        ("other-sign", "KIOSK-1", "shows 'Welcome'"),
        ("other-sign", "KIOSK-3", "shows '': unsupported: KIOSK-3 has no door-sign"),
    ]
    changes = in_order(draft_of(found).changes)
    assert [(c.id, c.target, c.in_words()) for c in changes] == [("c00001", "KIOSK-1", "show 'Crew only'")]
    [back] = inverse_changes(changes, {})
    assert (back.in_words(), back.rule) == ("show 'Welcome'", "undo")

    proposal = Proposal(made_at=NOON, made_by="ada", collection=1, domain_sid=DOMAIN.sid, changes=changes)
    text = proposal.model_dump_json().encode()
    assert read_proposal(text, "p.json", {**CHANGE_KINDS, "set-sign": SetSign.__module__}) == proposal
    with pytest.raises(ProposalFileError, match="there is no change of the kind 'set-sign'"):
        read_proposal(text, "p.json")
    with pytest.raises(CharterError, match=r"charter\.yaml:3: rule crew"):
        parse_charter([document_of(RULE, "charter.yaml")], RULE_KINDS)


def test_a_kind_of_rule_tells_the_changes_that_it_takes_back() -> None:
    """Else what its rules have put in would stay when they go: who withdraws anything names all changes of its own."""
    for row in RULE_KINDS:
        withdraws = row.kind.withdraw is not nothing_left
        assert bool(row.puts_in) == withdraws, row.key
        if isinstance(row.kind, SettingKind) and row.kind.setting:
            kinds = {name: change_kind(name) for name in CHANGE_KINDS}
            ours = {name for name, kind in kinds.items() if kind and issubclass(kind, row.kind.setting.put_in_by)}
            assert set(row.puts_in) == ours, row.key


def test_a_check_is_a_row() -> None:
    """Its findings stand among all others with the severity of its row; a finding without a row is an error."""
    of = kiosks({"KIOSK-1": "", "KIOSK-2": "Crew only"})
    looked_at = CheckInput(rights_of(of), ResolvedCharter((), (), ()))
    usual = all_findings(looked_at)
    more = all_findings(looked_at, (*CHECKS, NO_SIGN))
    unknown = replace(NO_SIGN, id="another-row")
    with pytest.raises(LookupError, match="no-sign"):
        all_findings(looked_at, (*CHECKS, unknown))
    assert all_findings(looked_at, CHECKS, (*CHECKS, NO_SIGN)) == usual
    [added] = [finding for finding in more if finding not in usual]
    assert (added.check, added.severity, added.subject.name) == ("no-sign", NO_SIGN.severity, "KIOSK-1")
    assert len(more) == len(usual) + 1


def test_a_capability_is_a_row() -> None:
    """Its part of a host's state is packed and read again; a program without the row leaves it away."""
    state = with_sign(kiosks({"KIOSK-1": None}).hosts[0].state, "Crew only")
    rows = (*CAPABILITIES, DOOR_SIGN)
    packed = pack_state(state, rows)
    assert packed["parts"][DOOR_SIGN.name] == "Crew only"
    assert unpack_state(packed, rows) == state
    without = unpack_state(packed)
    assert (without.capabilities, dict(without.parts)) == (frozenset({"local-groups"}), {})
    assert without.groups == state.groups


class Showing:
    """A host that can hang up signs."""

    def __init__(self, sign: str | None, *, stuck: bool = False) -> None:
        state = kiosks({"KIOSK-1": sign}).hosts[0].state
        assert state is not None
        self.state = state
        self.stuck = stuck

    def read(self) -> HostState:
        return self.state

    def change(self, change: SetSign) -> None:
        if not self.stuck:
            self.state = with_sign(self.state, change.after)


@pytest.mark.parametrize(
    ("host", "status", "intents"),
    [
        (Showing("Welcome"), Status.VERIFIED, 1),
        (Showing("Welcome", stuck=True), Status.DIFFERS, 1),
        (Showing("Crew only"), Status.CONFLICT, 0),
        (Showing(None), Status.UNSUPPORTED, 0),
    ],
    ids=["made", "written in vain", "so already", "no place for signs"],
)
def test_a_host_makes_a_change_that_only_its_driver_knows(host: Showing, status: Status, intents: int) -> None:
    """It is read before and after, told once before it is written, and not at all when nothing is written."""
    told: list[SetSign] = []
    change = SetSign(host="KIOSK-1", before="Welcome", after="Crew only", rule="crew")
    proposal = Proposal(made_at=NOON, made_by="ada", collection=1, domain_sid=DOMAIN.sid, changes=(change,))
    of = kiosks({"KIOSK-1": "Welcome"})
    judged = judge(proposal, Case(of, proposal.changes, crew_only(of)))
    outcome, _ = make_on_host(host, judged.allowed(change), told.append)
    assert (outcome.status, len(told)) == (status, intents)


def test_a_fact_is_set_of_nothing_but_facts() -> None:
    """A forged change cannot write a notice, a group or an unknown setting as if it were a text of its own."""
    state = HostState(Sid("S-1-5-21-7-7-7"), capabilities=frozenset({"notice", "local-groups"}), parts={"notice": {}})
    for setting in ("notice", "local-groups", "screen-lock"):
        forged = SetFact(host="KIOSK-03", setting=setting, after="x", rule="r")
        assert forged.lacking(state) == setting
    with pytest.raises(ValueError, match="after"):
        SetFact(host="KIOSK-03", setting="screen-lock", after="\x1b[31m", rule="r")
