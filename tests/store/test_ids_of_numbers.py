"""Numbers of accounts, looked up among those of a domain."""

from typing import Final

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from adzeguard.store.kept_objects import ids_of_numbers

_NUMBERS: Final = st.one_of(st.integers(0, 40), st.integers(0, 2**32 - 1))


@given(st.lists(_NUMBERS, min_size=1, max_size=40), st.lists(_NUMBERS, max_size=40))
def test_each_number_finds_the_last_that_has_it(there: list[int], others: list[int]) -> None:
    """Close together or far apart, each number gives the id of the last one that has it, and any other gives none."""
    last = {number: id_ for id_, number in enumerate(there)}
    wanted = [*there, *others]
    found = ids_of_numbers(np.array(wanted, "u4"), np.array(there, "u4"), np.arange(len(there), dtype=np.int32))
    assert found.tolist() == [last.get(number, -1) for number in wanted]
