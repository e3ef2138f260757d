"""How often a simulation is repeated: a tenth in `make check`, all of it in `make test`, five times as often in `make prove`.

Only how often: what is asserted is the same, and a limit on a share or a spread goes with the count it is seen in.
"""

import os
from math import sqrt

_PARTS = {"few": 0.1, "all": 1.0, "more": 5.0}
PART = _PARTS[os.environ.get("OPENSTAKE_REPEATS", "all")]


def repeats(of_all, least=1):
    """Return how often something is repeated that is repeated so often in `make test`."""
    return max(least, round(of_all * PART))


def looser(count, of_all):
    """Return by how much a limit is wider that holds for `of_all` repeats, where there are `count`; never tighter."""
    return max(1.0, sqrt(of_all / count))
