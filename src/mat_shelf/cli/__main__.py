import sys

from mat_shelf.cli import main

sys.exit(main())
