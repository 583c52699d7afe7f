"""Which attributes of a deleted object never come into the journal."""

import pytest

from adzeguard.directory.executors.creation import is_secret


@pytest.mark.parametrize(
    "name",
    [
        "unicodePwd",
        "unicodePwd;x-old",
        "userPKCS12",
        "msPKIDPAPIMasterKeys",
        "msKds-RootKeyData",
        "krbPrincipalKey",
        "pekList",
        "privateKey",
        "lowmere-AdmPwd",
        "supplementalCredentials",
        "aPasswordOfSomeProduct",
    ],
)
def test_passwords_and_keys_are_known_by_whatever_spelling(name: str) -> None:
    """Letter case and attribute options change nothing; what merely sounds like a secret is one."""
    assert is_secret(name)
    assert is_secret(name.upper())


@pytest.mark.parametrize("name", ["description", "member", "objectSid", "mail;lang-de", "publicDelegates"])
def test_what_is_no_secret_is_kept_so_that_it_can_be_made_again(name: str) -> None:
    """An object comes back with everything else that stood in it."""
    assert not is_secret(name)
