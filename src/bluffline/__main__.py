"""``python -m bluffline``."""

import sys

from bluffline.entry import main

sys.exit(main())
