"""python -m adzeguard, and the program itself."""

import gc
import sys

from adzeguard.cli.edge import run


def main() -> None:
    """Run the command line and exit with its code."""
    # A command makes hundreds of thousands of objects that live until its end. Looking through all of them again and
    # again for rings was half the time of reading 20,000 hosts.
    gc.set_threshold(200_000, 50, 50)
    sys.exit(run())


if __name__ == "__main__":
    main()
