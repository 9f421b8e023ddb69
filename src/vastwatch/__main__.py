"""`python -m vastwatch`."""

import sys

from vastwatch.cli import main

sys.exit(main())
