"""`python -m gannet` is the `gannet` command."""

import sys

from gannet.cli import main

sys.exit(main())
