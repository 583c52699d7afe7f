"""Questions about rights."""

from collections.abc import Iterator

from adzeguard.core.descriptors.descriptor import Descriptor
from bench.large import DOMAIN, M, make
from bench.measure import Measured, seconds

_DISTINCT = 10_000


def run() -> Iterator[Measured]:
    """Decode distinct descriptors of the usual length: each with an owner of its own."""
    usual = make(M).objects.descriptor_bytes
    made = [Descriptor.from_bytes(raw) for raw in usual]
    distinct = [
        Descriptor(DOMAIN.account(2000 + n), None, made[n % len(made)].dacl).to_bytes() for n in range(_DISTINCT)
    ]
    taken = seconds(lambda: [Descriptor.from_bytes(raw) for raw in distinct])
    yield Measured("security descriptors decoded, each distinct", "-", _DISTINCT / taken, "1/s", 10_000, at_least=True)
