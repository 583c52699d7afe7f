"""What the guards refuse, on small estates."""

from dataclasses import replace

import pytest

from adzeguard.core.change.guards.attributes import odd_settings
from adzeguard.core.change.guards.case import Case
from adzeguard.core.change.guards.size import oversizes
from adzeguard.core.change.kinds.add_member import AddMember
from adzeguard.core.change.kinds.object_change import AttributeChange
from adzeguard.core.change.kinds.set_attributes import SetAttributes
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.estate.named import Named
from adzeguard.core.limits import Limits, NamedSizes
from tests.estates import directory, estate

NOTHING_ASKED = ResolvedCharter((), (), ())


@pytest.mark.parametrize(
    ("name", "after", "said"),
    [
        ("member", [], "member is not set by a proposal"),
        ("UserAccountControl", ["2"], "UserAccountControl is not set"),
        ("description;lang-en", ["x"], "description;lang-en is not set"),
        ("GROUPTYPE", ["2 "], "is no kind of group"),
        ("groupType", ["1"], "is no kind of group"),
        ("groupType", ["2", "-2147483646"], "is no kind of group"),
        ("groupType", ["-2147483646"], ""),
        ("Description", ["x"], ""),
        ("servicePrincipalName", ["HTTP/web"], "are services, which no rule gives"),
        ("servicePrincipalName", [], ""),
        ("msDS-SupportedEncryptionTypes", ["4"], "are not the ciphers that are whole"),
        ("msDS-SupportedEncryptionTypes", [], "are not the ciphers that are whole"),
        ("MSDS-supportedencryptiontypes", ["24"], ""),
    ],
)
def test_only_known_attributes_are_set_and_only_to_what_can_be_weighed(name: str, after: list[str], said: str) -> None:
    """An attribute that is not on the list is refused however it is spelt, and so is a groupType that is none."""
    of = estate(directory(["Administrator"], {"Crew": []}))
    crew = Named.of(of.principal(of.catalogue.by_name("Crew")[0]))
    change = SetAttributes(object=crew, rule="by-hand", attributes=(AttributeChange.of(name, after=after),))
    reasons = list(odd_settings(Case(of, [change], NOTHING_ASKED)))

    assert (bool(reasons), said in "".join(reasons)) == (bool(said), True)


@pytest.mark.parametrize(
    ("rule", "made", "put_back", "refused"),
    [
        ("undo", ["HTTP/web"], ["HTTP/web"], False),
        ("undo", ["HTTP/web"], ["HTTP/web", "HTTP/other"], True),
        ("undo", [], ["HTTP/web"], True),
        ("by-hand", ["HTTP/web"], ["HTTP/web"], True),
    ],
)
def test_a_service_comes_back_only_as_the_journal_says_that_it_was(
    rule: str, made: list[str], put_back: list[str], refused: bool
) -> None:
    """A file that says of itself that it undoes something gives nobody a service: what we took away is known here."""
    of = estate(directory(["Administrator", "ada", "ben"], {}))
    ada, ben = (Named.of(of.principal(of.catalogue.by_name(name)[0])) for name in ("ada", "ben"))
    name = "servicePrincipalName"
    taken = SetAttributes(object=ada, rule="r", attributes=(AttributeChange.of(name, before=made),)) if made else None
    of_another = SetAttributes(object=ben, rule="r", attributes=(AttributeChange.of(name, before=["HTTP/web"]),))
    back = SetAttributes(object=ada, rule=rule, attributes=(AttributeChange.of(name, after=put_back),))
    case = Case(of, [back], NOTHING_ASKED, made_before=lambda: [one for one in (taken, of_another) if one])
    assert bool(list(odd_settings(case))) == refused


@pytest.mark.parametrize(("hosts", "refused"), [(9, False), (12, True)])
def test_hosts_that_a_member_gets_through_a_nested_group_count_as_touched(hosts: int, refused: bool) -> None:
    """Putting somebody into a group inside the one that administers many hosts needs the number of hosts."""
    names = {f"H-{n}": "OU=Hosts" for n in range(hosts)}
    whole = directory(["Administrator", "ada"], {"Fitters": ["Wardens"], "Wardens": []}, computers=names)
    of = estate(whole, {name: ["Fitters"] for name in names})
    wardens, ada = (Named.of(of.principal(of.catalogue.by_name(name)[0])) for name in ("Wardens", "ada"))
    join = AddMember(group=wardens, member=ada, rule="by-hand")
    case = Case(of, [join], NOTHING_ASKED, Limits(hosts=10))

    reasons = list(oversizes(case))
    assert bool(reasons) == refused
    assert not refused or "touches 12 hosts, 12 of them by directory groups" in reasons[0]
    assert not list(oversizes(replace(case, named=NamedSizes(hosts=hosts))))
    assert list(oversizes(replace(case, named=NamedSizes(hosts=hosts - 1))))
