"""Names for hosts that know people by name alone."""

from adzeguard.core.errors import StoreError
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.principal import Kind
from adzeguard.core.estate.rows import Observed
from adzeguard.workflows.names import KnownNames
from tests.estates import DOMAIN, directory, estate, row, sid_of

WHOLE = directory(["ada", "ben"], {"Helpers": ["ben"]})


def never_collected() -> Estate:
    """There is no estate."""
    raise StoreError("nothing was collected yet")


def test_a_qualified_name_and_its_sid_lead_to_each_other() -> None:
    """Both ways give the same, by whatever spelling; what stands for nothing gives nothing."""
    names = KnownNames(lambda: estate(WHOLE))
    for name in (r"LOWMERE\ada", r"lowmere\ADA"):
        assert names.sid_of(name) == sid_of(WHOLE, "ada")
    assert names.name_of(sid_of(WHOLE, "Helpers")) == r"LOWMERE\Helpers"
    assert names.sid_of(r"LOWMERE\nobody") is None
    assert names.sid_of(r"ELSEWHERE\ada") is None
    assert names.name_of("S-1-5-21-9-9-9-9") is None


def test_before_anything_was_collected_no_name_is_known() -> None:
    """A driver that asks during the first collection gets nothing, and goes on."""
    names = KnownNames(never_collected)
    assert names.sid_of(r"LOWMERE\ada") is None
    assert names.name_of("S-1-5-18") is None


def test_what_was_just_seen_comes_before_what_was_collected_last() -> None:
    """The first collection knows the names that it reads itself; a name that two bear stands for neither."""
    names = KnownNames(never_collected)
    seen = [
        Observed(row("ada", Kind.USER, 1107)),
        Observed(row("twin", Kind.USER, 1108)),
        Observed(row("TWIN", Kind.COMPUTER, 1109)),
        Observed(row("Administrators", Kind.GROUP, 0)._replace(sid="S-1-5-32-544")),
    ]
    names.just_seen(DOMAIN, seen)
    assert names.domain == "LOWMERE"
    assert (names.sid_of(r"lowmere\Ada"), names.sid_of(r"LOWMERE\twin")) == (f"{DOMAIN.sid}-1107", None)
    assert names.name_of(f"{DOMAIN.sid}-1107") == r"LOWMERE\ada"
    assert names.name_of("S-1-5-32-544") is None
    known = KnownNames(lambda: estate(WHOLE))
    known.just_seen(DOMAIN, seen)
    assert known.sid_of(r"LOWMERE\ben") == sid_of(WHOLE, "ben")
