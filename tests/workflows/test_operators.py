"""Who works here is what the system knows, and never what a variable says."""

import os
from collections.abc import Callable
from pathlib import Path

import pytest

from adzeguard.workflows import operators
from adzeguard.workflows.operators import names_of, operator_now

UNSET = "4294967295"


@pytest.fixture
def logged_in(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> Callable[[str], None]:
    """The kernel says under which number somebody has logged in."""
    file = tmp_path / "loginuid"
    monkeypatch.setattr(operators, "_LOGIN", file)
    monkeypatch.delenv("SUDO_UID", raising=False)
    return lambda number: file.write_text(number) and None


@pytest.mark.skipif(os.geteuid() != 0, reason="about what root is called by")
def test_nobody_takes_another_name(logged_in: Callable[[str], None], monkeypatch: pytest.MonkeyPatch) -> None:
    """LOGNAME and its like count for nothing; the login of the kernel does, then what sudo says, as said."""
    for variable in ("LOGNAME", "USER", "LNAME", "USERNAME"):
        monkeypatch.setenv(variable, "mallory")
    logged_in(UNSET)
    assert operator_now() == "root"
    monkeypatch.setenv("SUDO_UID", "65534")
    assert operator_now() == "root, called by sudo for nobody"
    logged_in("65534")
    assert operator_now() == "nobody as root"
    logged_in("0")
    assert operator_now() == "root"
    logged_in("4000000")
    assert operator_now() == "account 4000000 as root"


def test_each_account_that_is_named_is_that_person() -> None:
    """Nobody approves their own proposal by becoming root, nor answers about their own account so."""
    assert names_of("mira as root") == names_of("root, called by sudo for mira") == {"mira", "root"}
    assert names_of(r"LOWMERE\Mira") == {"mira"}
