"""Accounts by hand on the real server, which says itself who signs in."""

import pytest

from tests.program import Program
from tests.server.server import Server
from tests.server.test_objects import everything, made
from tests.server.test_sign_in import clerk

pytestmark = pytest.mark.server
NAME = "sign.clerk"
MARKS = ("pwdLastSet", "lastLogonTimestamp", "badPwdCount", "badPasswordTime")
"""What the server itself writes when somebody signs in, or tries."""
__all__ = ["clerk"]


def standing(server: Server) -> dict[str, dict[str, list[str]]]:
    """Every object with all that it has, less what signing in marks."""
    return {dn: {k: v for k, v in e.items() if k not in MARKS} for dn, e in everything(server).items()}


@pytest.mark.usefixtures("clerk")
def test_the_server_refuses_who_was_disabled_or_has_expired(server: Server, workspace: Program) -> None:
    """And lets them in again once they are enabled or never expire; undone, every attribute is as it was."""
    workspace("collect", "--full")
    before = standing(server)
    assert server.lets_in(NAME)
    made(workspace, "account", "disable", NAME, "--why", "lost badge")
    assert not server.lets_in(NAME)
    made(workspace, "account", "enable", NAME)
    assert server.lets_in(NAME)
    made(workspace, "account", "expire", NAME, "--until", "2020-01-01")
    assert not server.lets_in(NAME)
    made(workspace, "account", "expire", NAME, "--never")
    assert server.lets_in(NAME)
    begun = [row["enactment"] for row in workspace("journal", "--format", "json").json if row["kind"] == "begin"]
    assert len(begun) == 4
    for enactment in reversed(begun):
        assert workspace("undo", enactment, "--yes").code == 0
    assert standing(server) == before
    assert server.lets_in(NAME)
