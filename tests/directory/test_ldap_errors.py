"""What the LDAP library raises, all of it, as errors of ours."""

import inspect
import ssl

import pytest
from ldap3.core import exceptions

from adzeguard.core.errors import AdzeguardError
from adzeguard.directory.ldap_address import Address
from adzeguard.directory.ldap_wire import errors_of_ours

RAISED = sorted(
    (
        error
        for _, error in inspect.getmembers(exceptions, inspect.isclass)
        if issubclass(error, exceptions.LDAPException)
    ),
    key=lambda error: error.__name__,
)


@pytest.mark.parametrize("error", [*RAISED, TimeoutError, ConnectionResetError, ssl.SSLError], ids=lambda e: e.__name__)
def test_whatever_the_library_raises_is_an_error_of_ours(error: type[Exception]) -> None:
    """Each of its exceptions, and the socket's, ends as one line with the cause kept."""
    with pytest.raises(AdzeguardError) as caught, errors_of_ours(Address("ldaps://dc.lowmere.example")):
        raise error("said so")
    assert caught.value.__cause__.__class__ is error
    assert "\n" not in caught.value.message
