"""python -m adzeguard, and the program itself."""

import gc
import sys

from adzeguard.cli.edge import run


def main() -> None:
    """Run the command line and exit with its code."""
    code = run()
    # Python looks for rings among all that is left before it ends: a tenth of a check of 20,000 hosts.
    gc.freeze()
    sys.exit(code)


if __name__ == "__main__":
    main()
