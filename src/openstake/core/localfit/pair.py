"""A mark in both systems, what it is used for, the models that a fit may have, and the weights of its marks."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from openstake.core.errors import InputError
from openstake.core.limits import SMALLEST_SIGMA_M

Use = Literal["hv", "h", "v", "check"]
USES: tuple[Use, ...] = ("hv", "h", "v", "check")
HorizontalModel = Literal["similarity", "rotation", "shift"]
VerticalModel = Literal["none", "constant", "plane"]
PARAMETERS: dict[str, int] = {"similarity": 4, "rotation": 3, "shift": 2, "constant": 1, "plane": 3}
FEWEST: dict[str, int] = {"similarity": 2, "rotation": 2, "shift": 1, "constant": 1, "plane": 3}


@dataclass(frozen=True, kw_only=True)
class Pair:
    """A mark in both systems, metres: local as given, GNSS as measured; heights and sigmas are None where they are not known.

    `use`: in the horizontal fit, the vertical one, both, or only to check them.
    """

    name: str
    local_e_m: float
    local_n_m: float
    local_h_m: float | None
    gnss_e_m: float
    gnss_n_m: float
    gnss_h_m: float | None
    use: Use = "hv"
    sigma_h_m: float | None = None
    sigma_v_m: float | None = None


def weights_of(sigmas_m: Sequence[float | None], field: str) -> tuple[NDArray[np.float64], bool]:
    """Return 1/sigma² of each mark and True, or ones and False where none has a sigma; InputError where only some have."""
    known = [sigma for sigma in sigmas_m if sigma is not None]
    if known and len(known) < len(sigmas_m):
        raise InputError(f"Give {field} for every mark of the fit, or for none.", field=field)
    if any(not np.isfinite(sigma) or not SMALLEST_SIGMA_M <= sigma <= 100.0 for sigma in known):
        raise InputError("A sigma is at least 0.01 mm and at most 100 m.", field=field)
    return (np.array(known, dtype=float) ** -2.0, True) if known else (np.ones(len(sigmas_m)), False)
