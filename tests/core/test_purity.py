"""The house: what may know what."""

import os
import subprocess
import sys

import pytest

from tests.program import Program

HEAVY = {"ldap3", "numpy", "scipy", "rich", "pydantic", "ruamel", "keyring", "matplotlib", "pandas"}
# Measuring what tests cover loads modules of its own into every program; here they would be taken for the program's.
ALONE = {name: value for name, value in os.environ.items() if not name.startswith("COVERAGE")}
_LOADED = "import sys; {}; print(' '.join(sorted({{name.partition('.')[0] for name in sys.modules}})))"


def loaded_by(statement: str) -> set[str]:
    """The top-level modules that a fresh interpreter holds after a statement."""
    command = [sys.executable, "-c", _LOADED.format(statement)]
    done = subprocess.run(command, capture_output=True, text=True, check=True, env=ALONE)
    return set(done.stdout.split())


def test_the_core_loads_no_interface_transport_or_database() -> None:
    """Importing everything of the core brings NumPy and the validation library, and none of the rest."""
    everything = (
        "import pkgutil, importlib, adzeguard.core as core; "
        "[importlib.import_module(m.name) for m in pkgutil.walk_packages(core.__path__, 'adzeguard.core.')]"
    )
    loaded = loaded_by(everything)

    assert not loaded & {"click", "rich", "ldap3", "psycopg", "sqlite3", "ruamel", "keyring", "scipy"}


@pytest.mark.parametrize("arguments", [["--help"], ["--version"]])
def test_help_and_version_load_nothing_heavy(arguments: list[str]) -> None:
    """The list of commands needs Click alone, so that it answers at once."""
    quiet = f"with contextlib.redirect_stdout(io.StringIO()): run({arguments})"
    loaded = loaded_by(f"import contextlib, io; from adzeguard.cli.edge import run; exec({quiet!r})")

    assert "click" in loaded
    assert not loaded & HEAVY


LOOKS = (
    ["who", "Domain Admins"],
    ["why", "orla.fenn", "--in", "Domain Admins"],
    ["find", "kiosk"],
    ["show", "orla.fenn"],
    ["may", "hedda.morrow", "password-help", "cato.lune"],
)


@pytest.mark.parametrize("arguments", LOOKS, ids=lambda arguments: arguments[0])
def test_what_only_looks_starts_without_what_it_does_not_use(demo: Program, arguments: list[str]) -> None:
    """No proposal, no charter, no validation, no drivers: they cost more than the look itself."""
    run = f"from adzeguard.cli.edge import run; sys.stdout = open('/dev/null', 'w'); run({arguments})"
    report = "print(' '.join(sorted(sys.modules)), file=sys.stderr)"
    done = subprocess.run(
        [sys.executable, "-c", f"import sys; {run}; {report}"],
        cwd=demo.folder,
        capture_output=True,
        text=True,
        check=True,
        env=ALONE,
    )
    loaded = set(done.stderr.split())

    assert "adzeguard.store.sqlite" in loaded
    assert not loaded & {"pydantic", "ruamel", "ldap3", "scipy", "psycopg", "matplotlib", "asyncio"}
    ours = {name.removeprefix("adzeguard.") for name in loaded if name.startswith("adzeguard.")}
    unused = ("core.change", "core.charter", "core.review", "directory.ld", "hosts.", "workflows.", "demo")
    assert not {name for name in ours if name.startswith(unused)}
