"""python -m earshot."""

import sys

from .views.commands.app import main

if __name__ == "__main__":
    sys.exit(main())
