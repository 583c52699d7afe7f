"""Names in rules that stand for nothing, or for several things."""

from collections.abc import Iterator

from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.estate.named import Named
from adzeguard.core.review.correction import Correction, about_rule


def review_names(charter: ResolvedCharter) -> Iterator[Correction]:
    """Yield each such name; its rule is not followed."""
    for problem in charter.problems:
        yield Correction(
            "unresolved-name",
            Named(f"rule {problem.rule.id}"),
            problem.message,
            **about_rule(problem.rule) | {"place": problem.where},
            member=Named(problem.name),
            left_out=f"{problem.where}: {problem.message}",
            stops_rule=True,
            evidence={"place": problem.where, "name": problem.name},
        )
