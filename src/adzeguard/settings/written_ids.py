"""The ids of rules as they stand in the files of a charter, without reading what the rules say."""

import re
from pathlib import Path
from typing import Final

_ID: Final = re.compile(r"""^\s*(?:-\s+)?id:\s*["']?([a-z0-9][a-z0-9-]*)""", re.MULTILINE)
_MOST_BYTES: Final = 4_000_000


def written_ids(folder: Path) -> list[str]:
    """Return them in their order; of a file that cannot be read, none. Whether a rule is right, nobody asks here."""
    found: dict[str, None] = {}
    for path in sorted(folder.glob("*.y*ml")):
        try:
            text = path.read_bytes()[:_MOST_BYTES].decode(errors="replace")
        except OSError:  # completing a line must not end in a complaint
            continue
        found.update(dict.fromkeys(_ID.findall(text)))
    return list(found)
