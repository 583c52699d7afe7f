"""Names for hosts that know people by name alone."""

from adzeguard.core.errors import StoreError
from adzeguard.core.estate.estate import Estate
from adzeguard.workflows.names import KnownNames
from tests.estates import directory, estate, sid_of

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
