"""Membership questions on an estate in memory."""

import subprocess
import sys
from collections.abc import Iterator

from adzeguard.core.estate.counting import effective_people_counts
from bench.large import L, M, make, privileged
from bench.measure import Measured, once, peak_megabytes, seconds


def run() -> Iterator[Measured]:
    """Time each question at L, and its growth from M."""
    whole = make(L)
    graph = whole.graph
    largest = max(privileged(L), key=lambda g: len(graph.expand(g).people))

    def members_with_paths() -> None:
        expansion = graph.expand(largest)
        for person in expansion.people[:20].tolist():
            expansion.proof(person)

    members = seconds(members_with_paths)
    yield Measured("effective members of a privileged group, with paths", "L", members * 1000, "ms", 20)
    counts = once(lambda: effective_people_counts(graph))
    yield Measured("effective member count of every group", "L", counts, "s", 2)
    masks = seconds(lambda: graph.privilege_masks(privileged(L)), runs=3)
    yield Measured("which of 40 privileged groups each person reaches", "L", masks, "s", 0.5)
    yield Measured("memory of the estate in columns", "L", (whole.objects.nbytes + graph.nbytes) / 1e9, "GB", 1.5)
    small = make(M).graph
    growth = masks / max(seconds(lambda: small.privilege_masks(privileged(M)), runs=3), 1e-6)
    n_log_n = (8_000_000 * 23) / (50_000 * 15.6)
    yield Measured("growth of the masks, M to L, against n log n", "M-L", growth / n_log_n, "times", 1)
    alone = [
        sys.executable,
        "-c",
        "from bench.large import *; from bench.measure import *; w = make(L); print(peak_megabytes())",
    ]
    peak = float(subprocess.run(alone, check=True, capture_output=True, text=True).stdout)
    yield Measured("peak memory of a process that makes the estate", "L", peak / 1000, "GB", 4)


__all__ = ["peak_megabytes", "run"]
