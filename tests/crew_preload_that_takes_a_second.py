"""A module whose import takes a second, as numba's does."""

import time

time.sleep(1.0)
