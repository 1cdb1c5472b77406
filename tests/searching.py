"""How many examples a property test tries: a fixed few in the suite, many new ones in `make search`.

What a newcomer runs must not depend on luck, so the suite tries the same examples at every run. The search tries new
ones, many times as many; what it finds becomes a test of its own, or an `@example`.
"""

from __future__ import annotations

import os

from hypothesis import settings

TIMES = int(os.environ.get("DEEP_TALLY_SEARCH", "0"))
"""How many times as many as in the suite; 0 in the suite itself."""

_SHARE = float(os.environ.get("DEEP_TALLY_EXAMPLES", "1"))
"""Which share of the suite's examples is tried: a run while working tries fewer."""

settings.register_profile("suite", derandomize=True, max_examples=max(5, round(100 * _SHARE)))
settings.register_profile("search", max_examples=100 * max(1, TIMES), print_blob=True)
settings.load_profile("search" if TIMES else "suite")


def examples(count: int) -> int:
    """The number of examples for a test that tries `count` in the suite."""
    return max(5, round(count * _SHARE)) if not TIMES else count * TIMES
