"""The numbers of a fit that is kept: enough to take any point to local coordinates, whatever becomes of what it was made from."""

from __future__ import annotations

from dataclasses import dataclass, replace
from math import atan2, degrees, hypot

import numpy as np
from numpy.typing import ArrayLike, NDArray

from openstake.core.localfit.choice import SiteCentre
from openstake.core.localfit.horizontal import Horizontal
from openstake.core.localfit.vertical import Vertical


@dataclass(frozen=True, kw_only=True)
class FitParameters:
    """A fit's numbers: E' = a·E − b·N + shift_e, N' = b·E + a·N + shift_n, h' = h + constant + slopes about a centre; metres.

    `heights`: no local heights, from the ellipsoid, or from the job's geoid.  `site`: the GNSS grid is a transverse Mercator there.
    """

    a: float
    b: float
    shift_e_m: float
    shift_n_m: float
    heights: str
    constant_m: float = 0.0
    slope_east: float = 0.0
    slope_north: float = 0.0
    centre_e_m: float = 0.0
    centre_n_m: float = 0.0
    site: SiteCentre | None = None

    @property
    def scale_ppm(self) -> float:
        """Parts per million away from 1."""
        return 1e6 * (hypot(self.a, self.b) - 1.0)

    @property
    def rotation_deg(self) -> float:
        """Anticlockwise from the GNSS grid to the local one, degrees."""
        return degrees(atan2(self.b, self.a))

    def to_local(self, grid_m: ArrayLike, undulation_m: ArrayLike = 0.0) -> NDArray[np.float64]:
        """Return local east, north and height of GNSS grid places with ellipsoidal heights, (n, 3); height NaN where there is none."""
        east, north, up = np.asarray(grid_m, dtype=float).reshape(-1, 3).T
        height = np.full(len(east), np.nan)
        if self.heights != "none":
            tilt = self.slope_east * (east - self.centre_e_m) + self.slope_north * (north - self.centre_n_m)
            height = up - (np.asarray(undulation_m) if self.heights == "geoid" else 0.0) + self.constant_m + tilt
        return np.stack([self.a * east - self.b * north + self.shift_e_m, self.b * east + self.a * north + self.shift_n_m, height], axis=-1)

    def to_grid(self, local_m: ArrayLike) -> NDArray[np.float64]:
        """Return GNSS grid east and north of local ones, (n, 2): the way back."""
        east, north = (np.asarray(local_m, dtype=float).reshape(-1, 2) - (self.shift_e_m, self.shift_n_m)).T
        squared = self.a**2 + self.b**2
        return np.stack([(self.a * east + self.b * north) / squared, (self.a * north - self.b * east) / squared], axis=-1)


def parameters_of(flat: Horizontal, up: Vertical | None, geoid: bool, site: SiteCentre | None) -> FitParameters:
    """Return the numbers of a fit."""
    heights = "none" if up is None else "geoid" if geoid else "ellipsoid"
    plane = FitParameters(a=flat.a, b=flat.b, shift_e_m=flat.shift_e_m, shift_n_m=flat.shift_n_m, heights=heights, site=site)
    if up is None:
        return plane
    centre_e_m, centre_n_m = up.centre_m
    return replace(
        plane, constant_m=up.constant_m, slope_east=up.slope_east, slope_north=up.slope_north, centre_e_m=centre_e_m, centre_n_m=centre_n_m
    )


def pipeline_of(fit: FitParameters) -> str:
    """Return a PROJ pipeline from GNSS east, north and height to local ones: one affine step.

    The height is the ellipsoidal one, or by the geoid where the fit's heights are.  Source: PROJ, affine transformation.
    """
    height = ""
    if fit.heights != "none":
        offset = fit.constant_m - fit.slope_east * fit.centre_e_m - fit.slope_north * fit.centre_n_m
        height = f" +zoff={offset!r} +s31={fit.slope_east!r} +s32={fit.slope_north!r}"
    return (
        f"+proj=affine +xoff={fit.shift_e_m!r} +yoff={fit.shift_n_m!r} +s11={fit.a!r} +s12={-fit.b!r} +s21={fit.b!r} +s22={fit.a!r}{height}"
    )
