"""Twenty thousand stand-in hosts through the built program."""

import tempfile
from collections.abc import Iterator
from pathlib import Path

from bench.measure import Measured, once, program

_HOSTS = 20_000
_CHARTER = r"""charter: 1
rules:
  - {id: everywhere, hosts: {everywhere: true}, local-group: administrators, response: mend,
     only: [LOWMERE\Domain Admins, local\administrator, LOWMERE\Night Watch]}
"""


def run() -> Iterator[Measured]:
    """Collect, check, and make a proposal that touches every host."""
    with tempfile.TemporaryDirectory() as temporary:
        folder = Path(temporary) / "w"
        program("demo", str(folder), "--only-make", "--hosts", str(_HOSTS))
        (folder / "charter/charter.yaml").write_text(_CHARTER)
        for command, bar in (("collect", 60), ("check", 5), ("propose", 10)):
            taken = once(lambda command=command: program(command, folder=folder))
            yield Measured(f"stand-in hosts: {command}, 20,000 hosts", "L", taken, "s", bar)
