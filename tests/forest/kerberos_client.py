"""A client of both realms: its settings, and whether it can be one here."""

import os
from pathlib import Path

ROOT = Path(__file__).parents[2]


def native_is_missing() -> str:
    """Why the system's libraries cannot be used, or nothing."""
    try:
        import gssapi  # noqa: F401 - looked for, as the drivers do
        import krb5  # noqa: F401 - the same
        import ldap.sasl
    except ImportError as error:
        return f"as root: make native ({error})"
    return "" if ldap.SASL_AVAIL else "the library was built without SASL"


def config(folder: Path, kdc: str = "127.0.0.61", realms: str = "") -> dict[str, str]:
    """The environment of a client that knows where tickets are given."""
    file = folder / "krb5.conf"
    known = realms or f"LOWMERE.EXAMPLE = {{\n  kdc = {kdc}\n }}\n ISLE.EXAMPLE = {{\n  kdc = 127.0.0.62\n }}"
    file.write_text(
        "[libdefaults]\n default_realm = LOWMERE.EXAMPLE\n dns_lookup_kdc = false\n dns_lookup_realm = false\n"
        f" rdns = false\n dns_canonicalize_hostname = false\n udp_preference_limit = 1\n[realms]\n {known}\n"
        "[domain_realm]\n .lowmere.example = LOWMERE.EXAMPLE\n .isle.example = ISLE.EXAMPLE\n"
    )
    python = f"{ROOT / 'src'}{os.pathsep}{ROOT}"
    return {"KRB5_CONFIG": str(file), "PYTHONPATH": python, "KRB5CCNAME": f"FILE:{folder / 'cache'}"}
