"""What was left for hosts that did not answer, held against what is asked for today."""

from collections.abc import Iterable

from adzeguard.core.change.change import BY_HAND_RULE, UNDO_RULE, Change, Key
from adzeguard.core.change.draft import Draft


def still_asked_for(left: Iterable[Change], asked: Draft) -> tuple[Draft, list[Change]]:
    """Return what is left as it is asked for today, and what no rule asks for any more.

    `asked` is what the charter asks for now: it may have changed while the host was off. What people asked for by hand
    stays asked for.
    """
    today: dict[tuple[str, Key], Change] = {(change.kind, change.key): change for change in asked.changes}
    still: list[Change] = []
    not_any_more: list[Change] = []
    for change in left:
        same = change if change.rule in (BY_HAND_RULE, UNDO_RULE) else today.get((change.kind, change.key))
        if same is None:
            not_any_more.append(change)
        else:
            still.append(same)
    return Draft.of(still), not_any_more
