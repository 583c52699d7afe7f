"""Where new users and computers land."""

from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.intake_places import intake_places
from adzeguard.core.estate.places import short_dn
from adzeguard.core.views.table import Column, Table


def intake_table(estate: Estate) -> Table:
    """Return each kind of new object with its place, and how many objects lie there now."""
    rows = [
        {
            "what": place.what,
            "container": short_dn(estate, place.dn),
            "is_default": place.is_default(estate),
            "objects": len(estate.catalogue.below(place.dn)),
        }
        for place in intake_places(estate).values()
    ]
    columns = (
        Column("what", "New"),
        Column("container", "Land in"),
        Column("is_default", "As every domain begins"),
        Column("objects", "Objects there", kind="number"),
    )
    return Table(rows, columns, empty="The domain does not say.")
