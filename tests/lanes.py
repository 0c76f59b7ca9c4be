"""Two lanes: each run draws a sample where there are thousands to try; the slow lane, tagged ``slow``, tries them all.

``./hermotrope test`` is the first, ``./hermotrope test slow`` the second; what main must pass runs both. In the browser
the first walks through every view once and tries what only a browser can show; long walks beside those, whose rules are
also held without a browser, are tagged ``late``: only the second walks them.
"""

from __future__ import annotations

import os
from zlib import crc32

SLOW = os.environ.get("HERMOTROPE_LANE") == "slow"


def drawn(name: str, one_in: int) -> bool:
    """Whether this lane tries what bears a name: always in the slow one, else one in so many, the same in every run."""
    return SLOW or crc32(name.encode()) % one_in == 0
