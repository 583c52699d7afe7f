"""Makes the man pages from the help when a wheel is built: `man adzeguard`, `man adzeguard-enact`."""

import sys
from pathlib import Path
from typing import Any

from hatchling.builders.hooks.plugin.interface import BuildHookInterface

ROOT = Path(__file__).parent


class ManPages(BuildHookInterface):  # type: ignore[misc]
    """Writes a page for each command, and puts them where man looks for them."""

    PLUGIN_NAME = "custom"

    def initialize(self, version: str, build_data: dict[str, Any]) -> None:
        """Write the pages of a wheel; an editable install has none."""
        if version == "editable":
            return
        sys.path[:0] = [str(ROOT / "src"), str(ROOT / "docs")]
        from man_pages import pages  # type: ignore[import-not-found]

        folder = ROOT / "build/man"
        folder.mkdir(parents=True, exist_ok=True)
        for name, text in pages():
            (folder / f"{name}.1").write_text(text, encoding="utf-8")
            build_data["shared_data"][f"build/man/{name}.1"] = f"share/man/man1/{name}.1"
