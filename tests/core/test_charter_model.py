"""Random charters over random hosts end as an independent reading of the charter reference says."""

from dataclasses import replace
from datetime import date

from hypothesis import given, settings
from hypothesis import strategies as st

from adzeguard.core.access.keepers import default_keepers
from adzeguard.core.change.kinds.add_local_member import AddLocalMember
from adzeguard.core.change.kinds.membership import LocalMembershipChange
from adzeguard.core.charter.parse import parse_charter
from adzeguard.core.charter.resolve import resolve_charter
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.hosts import LocalAccount, LocalGroup
from adzeguard.core.identity import Sid
from adzeguard.core.review.corrections import corrections
from adzeguard.core.review.draft import draft_of
from adzeguard.core.review.kinds import RULE_KINDS
from adzeguard.settings.charter_yaml import document_of
from tests.estates import directory, estate, rights_of, sid_of

PEOPLE = ("ada", "ben", "cleo", "dora")
OUS = ("OU=Kiosks,OU=Hosts", "OU=Bridge,OU=Hosts", "OU=Deck,OU=Kiosks,OU=Hosts", "OU=Office")
HOSTS = {f"H-{number}": OUS[number % len(OUS)] for number in range(40)}
WHOLE = directory(["Administrator", *PEOPLE], {"Domain Admins": ["Administrator"]}, computers=HOSTS)
SIDS = {name: sid_of(WHOLE, name) for name in (*PEOPLE, "Administrator", "Domain Admins")}
SCOPES = (
    "everywhere: true",
    "under: 'OU=Hosts'",
    "under: 'OU=Kiosks,OU=Hosts'",
    "under: 'OU=Office'",
    "named: H-1",
    "named: H-5",
)
REFERENCES = (*PEOPLE, "Domain Admins", r"local\administrator", r"local\fitter", r"local\fiter")


@st.composite
def rules(draw: st.DrawFn) -> list[dict]:
    """A few rules, each with a scope, a response and its lists; some names are misspelt."""
    lists = st.lists(st.sampled_from(REFERENCES), max_size=3, unique=True)
    made = []
    for number in range(draw(st.integers(1, 5))):
        says = {key: draw(lists) for key in ("only", "include", "exclude") if draw(st.booleans())}
        wanted = {*says.get("only", ()), *says.get("include", ())}
        says["exclude"] = [name for name in says.get("exclude", ()) if name not in wanted]
        says = {key: names for key, names in says.items() if names or key == "only"} or {"only": []}
        scope, response = draw(st.sampled_from(SCOPES)), draw(st.sampled_from(["mend", "mend", "tell"]))
        made.append({"id": f"r{number}", "scope": scope, "response": response, "says": says})
    return made


@st.composite
def members(draw: st.DrawFn) -> dict[str, set[str]]:
    """Who is in the administrators of each host; `fitter` marks hosts that have such an account as well."""
    inside = st.sets(st.sampled_from([*PEOPLE, "Administrator", "Domain Admins", "500", "fitter"]))
    drawn = [draw(inside) for _ in range(7)]  # seven and four OUs: every membership meets every place
    return {host: drawn[number % 7] for number, host in enumerate(HOSTS)}


def written(made: list[dict]) -> str:
    """The charter as YAML."""
    lines = ["charter: 1", "rules:"]
    for one in made:
        listed = [
            f"{key}: [{', '.join(name if name.startswith('local') else f'LOWMERE{chr(92)}{name}' for name in names)}]"
            for key, names in one["says"].items()
        ]
        lines.append(
            f"  - {{id: {one['id']}, hosts: {{{one['scope']}}}, local-group: administrators, "
            f"response: {one['response']}, {', '.join(listed)}}}"
        )
    return "\n".join(lines) + "\n"


def distance(scope: str, host: str) -> int | None:
    """How far the scope of a rule is from a host; nothing where it does not hold there."""
    kind, _, what = scope.replace("'", "").partition(": ")
    if kind == "named":
        return 0 if what == host else None
    if kind == "everywhere":
        return 99
    above = HOSTS[host]
    return above[: len(above) - len(what)].count("=") + 1 if above.endswith(what) else None


def after_mending(made: list[dict], host: str, before: set[str], has_fitter: bool) -> set[str]:
    """The reference, read again: only of the closest, includes added, excludes taken away, keepers stay."""

    def here(names: list[str]) -> set[str]:
        return {name.replace("local\\administrator", "500").replace("local\\", "") for name in names}

    holding = []
    for one in made:
        names = {name for listed in one["says"].values() for name in listed}
        known = r"local\fiter" not in names and (has_fitter or r"local\fitter" not in names)
        if (at := distance(one["scope"], host)) is not None and one["response"] == "mend" and known:
            holding.append((at, one["says"]))
    closed = [(at, here(says["only"])) for at, says in holding if "only" in says]
    nearest = [listed for at, listed in closed if at == min(a for a, _ in closed)]
    if any(listed != nearest[0] for listed in nearest):
        return before
    put_in: dict[str, int] = {}
    kept_out: dict[str, int] = {}
    for at, says in sorted(holding, key=lambda h: h[0]):
        for name in here(says.get("include", [])):
            put_in.setdefault(name, at)
        for name in here(says.get("exclude", [])):
            kept_out.setdefault(name, at)
    if any(put_in[name] == kept_out[name] for name in put_in.keys() & kept_out.keys()):
        return before
    wanted = (set(put_in) | (nearest[0] if nearest else set())) - kept_out.keys()
    unwanted = {name for name in before if name in kept_out or (nearest and name not in wanted)}
    return (before - (unwanted - {"Administrator", "Domain Admins", "500"})) | wanted


def with_members(inside: dict[str, set[str]], fitters: set[str]) -> Estate:
    """The estate with these members, and an account called fitter on some hosts."""
    of = estate(WHOLE, {host: [] for host in HOSTS})
    hosts = []
    for host in of.hosts:
        assert host.state is not None
        machine = host.state.machine_sid
        own = {"500": Sid(f"{machine}-500"), "fitter": Sid(f"{machine}-1001")}
        sids = frozenset({**SIDS, **own}[name] for name in inside[host.name])
        accounts = [*host.state.accounts]
        accounts += [LocalAccount("fitter", own["fitter"])] if host.name in fitters else []
        groups = (LocalGroup("Administrators", host.state.groups[0].sid, sids),)
        hosts.append(replace(host, state=replace(host.state, accounts=tuple(accounts), groups=groups)))
    return replace(of, hosts=hosts)


def changes_of(made: list[dict], of: Estate) -> list[LocalMembershipChange]:
    """What is proposed."""
    charter = parse_charter([document_of(written(made), "charter.yaml")], RULE_KINDS)
    resolved = resolve_charter(charter, RULE_KINDS, of, date(2026, 11, 23), "tell", default_keepers(of))
    changes = draft_of(corrections(rights_of(of), resolved), ()).changes
    return [change for change in changes if isinstance(change, LocalMembershipChange)]


@given(rules(), members())
@settings(max_examples=200)
def test_random_charters_end_as_the_reference_says_and_a_second_proposal_is_empty(
    made: list[dict], inside: dict[str, set[str]]
) -> None:
    """On every host the members end as an independent model has them, and then nothing is left to mend."""
    fitters = {host for host in HOSTS if host == "H-2" or "fitter" in inside[host]}
    # A name that no host of its scope knows stops its rule everywhere: to the model such a rule is not there.
    followed = [
        one
        for one in made
        if r"local\fitter" not in {name for listed in one["says"].values() for name in listed}
        or fitters & {host for host in HOSTS if distance(one["scope"], host) is not None}
    ]
    expected = {host: after_mending(followed, host, before, host in fitters) for host, before in inside.items()}
    of = with_members(inside, fitters)
    ended = {host.name: set(host.state.groups[0].members) for host in of.hosts if host.state}
    for change in changes_of(made, of):
        if isinstance(change, AddLocalMember):
            ended[change.host].add(change.member_sid)
        else:
            ended[change.host].remove(change.member_sid)
    assert {host: {_called(sid) for sid in sids} for host, sids in ended.items()} == expected
    assert changes_of(made, with_members(expected, fitters)) == []


def _called(sid: Sid) -> str:
    own = {500: "500", 1001: "fitter"}
    return next((name for name, known in SIDS.items() if known == sid), own.get(sid.rid, sid))
