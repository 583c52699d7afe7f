"""When links were last changed, as a directory keeps it for replication ([MS-ADTS], msDS-ReplValueMetaData).

The server makes a piece of XML for each link, in the order of its changes. A Samba server of 4.17 gives none.
"""

import re
from collections.abc import Iterable, Iterator
from contextlib import suppress
from datetime import datetime
from typing import Final
from xml.sax.saxutils import unescape

from adzeguard.directory.port import LinkTime

ATTRIBUTE: Final = "msDS-ReplValueMetaData"
_LONGEST: Final = 64 * 1024
_PART: Final = re.compile(r"<(\w{1,60})>([^<]*)</\1>")
"""The pieces hold texts alone. A parser of XML would take more on itself than this."""
_NEVER: Final = "1601-01-01T00:00:00Z"
_MORE: Final = {"&quot;": '"', "&apos;": "'"}


def read_link_times(pieces: Iterable[bytes], attribute: str) -> Iterator[LinkTime]:
    """Yield what is kept of the links of one attribute; a piece that says no time is passed over."""
    for piece in pieces:
        if len(piece) > _LONGEST:
            continue
        parts = dict(_PART.findall(piece.decode("utf-8", "replace")))
        if parts.get("pszAttributeName", "").lower() != attribute.lower():
            continue
        with suppress(ValueError):
            changed = datetime.strptime(parts.get("ftimeLastOriginatingChange", ""), "%Y-%m-%dT%H:%M:%S%z")
            deleted = parts.get("ftimeDeleted", _NEVER) != _NEVER
            yield LinkTime(unescape(parts.get("pszObjectDn", ""), _MORE), changed, deleted)
