"""What charter files said when they were parsed last, by the digests of their bytes: parsing YAML takes long.

What is kept is believed only for the very same text and the very same program; a file that cannot be read, or that
others could have written, counts as none.
"""

import json
from collections.abc import Callable
from contextlib import suppress
from hashlib import sha256
from pathlib import Path
from typing import Any, Final

from adzeguard import __version__
from adzeguard.core.charter.parse import Document
from adzeguard.core.errors import SettingsError
from adzeguard.private_files import kept_whole
from adzeguard.settings.trust import ensure_ours

_LARGEST: Final = 64 * 1024 * 1024
_FORM: Final = 1


class KeptDocuments:
    """The documents of one charter."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self._before = self._read()
        self._now: dict[str, Any] = {}

    def document(self, text: str, shown: str, parse: Callable[[str, str], Document]) -> Document:
        """Return what a file says, as it is kept, or parsed and then to be kept."""
        digest = sha256(text.encode("utf-8", "surrogatepass")).hexdigest()
        kept = self._before.get(digest)
        if kept is None:
            document = parse(text, shown)
            kept = [document.tree, [[list(path), line] for path, line in document.lines.items()]]
        else:
            document = Document(shown, kept[0], {tuple(path): line for path, line in kept[1]})
        self._now[digest] = kept
        return document

    def keep(self) -> None:
        """Write what was asked for this time in the place of the rest; where that cannot be, nothing is kept."""
        if self._now.keys() != self._before.keys():
            content = json.dumps({"form": _FORM, "by": __version__, "documents": self._now}, separators=(",", ":"))
            with suppress(OSError), kept_whole(self._path) as file:
                file.write(content.encode("utf-8", "surrogatepass"))

    def _read(self) -> dict[str, Any]:
        try:
            ensure_ours(self._path)
            if self._path.stat().st_size > _LARGEST:
                return {}
            whole = json.loads(self._path.read_bytes().decode("utf-8", "surrogatepass"))
            documents = whole["documents"] if (whole["form"], whole["by"]) == (_FORM, __version__) else {}
        except (OSError, ValueError, KeyError, TypeError, RecursionError, SettingsError):
            return {}
        return documents if isinstance(documents, dict) else {}
