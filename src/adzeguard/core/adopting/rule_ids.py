"""Ids for rules that are written by the tool."""

from collections import Counter


def rule_id(taken: Counter[str], *names: str) -> str:
    """Return an id for a rule made of names, which is not among those taken, and take it."""
    words = "".join(c if c.isascii() and c.isalnum() else " " for c in " ".join(names).lower()).split()
    plain = "-".join(words)[:50].rstrip("-") or "rule"
    taken[plain] += 1
    free = plain if taken[plain] == 1 else f"{plain}-{taken[plain]}"
    # The number makes it what another name may have been made of already.
    while free != plain and free in taken:
        taken[plain] += 1
        free = f"{plain}-{taken[plain]}"
    if free != plain:
        taken[free] = 1
    return free
