"""Units of systemd that are written for a workspace."""

from configparser import RawConfigParser
from pathlib import Path

import pytest

from tests.program import Program


def test_the_units_run_the_program_with_the_least_that_it_needs(demo: Program) -> None:
    """Each names the program and the workspace, writes there alone, and gains no privileges."""
    written = demo("service-files", "units", "--user", "watcher")
    assert written.code == 0
    names = {Path(line).name for line in written.out.splitlines()[:3]}
    assert names == {"adzeguard-watch.service", "adzeguard-round.service", "adzeguard-round.timer"}
    for name in sorted(names - {"adzeguard-round.timer"}):
        unit = RawConfigParser(strict=True)
        unit.optionxform = str  # type: ignore[assignment, method-assign]
        unit.read(demo.folder / "units" / name)
        service = dict(unit["Service"])
        assert f'--workspace "{demo.folder.resolve()}"' in service["ExecStart"]
        assert service["ReadWritePaths"] == f'"{demo.folder.resolve()}"'
        assert (service["User"], service["NoNewPrivileges"], service["ProtectSystem"]) == ("watcher", "yes", "strict")
        assert (service["PrivateTmp"], service["CapabilityBoundingSet"]) == ("yes", "")
        assert (demo.folder / "units" / name).stat().st_mode & 0o077 == 0
    again = demo("service-files", "units")
    assert (again.code, "is there already" in again.err) == (2, True)


@pytest.mark.parametrize("user", ["a%b", 'x"y', "", "new\nline"])
def test_a_name_that_means_something_to_systemd_is_refused(demo: Program, user: str) -> None:
    """It could change what the unit does."""
    refused = demo("service-files", "units", "--user", user)
    assert (refused.code, "cannot stand in a unit" in refused.err) == (2, True)
