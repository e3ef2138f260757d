"""Sigmas of a place and what they come to at 95 %: covariances turned, added up, as a circle and as an ellipse."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from math import cos, degrees, hypot, radians, sin

import numpy as np
from numpy.typing import NDArray

from openstake.core.constants import CIRCLE_95, LINE_95

# Angles and weights of the integral over half a circle: the error of the radius stays below 1e-6 of it.
_NODES, _WEIGHTS = np.polynomial.legendre.leggauss(200)
_ANGLES, _ANGLE_WEIGHTS = _NODES * np.pi / 2.0, _WEIGHTS * np.pi / 2.0


@dataclass(frozen=True, kw_only=True)
class Sigmas:
    """One link of the chain: one sigma in east, north and up, metres, and the covariance of east and north (m²)."""

    east_m: float
    north_m: float
    up_m: float
    covariance_en_m2: float = 0.0


def principal_sigmas_m(sigma_east_m: float, sigma_north_m: float, covariance_en_m2: float = 0.0) -> tuple[float, float]:
    """Return one sigma along the major and the minor axis of the error ellipse, metres.

    Formula: square roots of the eigenvalues of the 2 × 2 covariance.
    """
    mean = (sigma_east_m**2 + sigma_north_m**2) / 2.0
    apart = hypot((sigma_east_m**2 - sigma_north_m**2) / 2.0, covariance_en_m2)
    # The product of the eigenvalues is the determinant: no cancellation in the small one.
    large = mean + apart
    determinant = max((sigma_east_m * sigma_north_m) ** 2 - covariance_en_m2**2, 0.0)
    return float(large**0.5), float((determinant / large) ** 0.5) if large > 0.0 else 0.0


@lru_cache(maxsize=4096)
def _circle_95(ratio: float) -> float:
    """Return the radius of the circle that holds 95 %, in sigmas of the major axis, where the minor one is `ratio` of it."""

    # Loaded where it is needed: the terminal's quick verbs do not wait for it.
    from scipy.optimize import brentq
    from scipy.special import erf

    def held(radius: float) -> float:
        # ∫ φ(x) · P(|y| ≤ √(R² − x²)) dx with x = R sin t.
        across = radius * np.cos(_ANGLES)
        share = erf(across / (ratio * 2.0**0.5)) if ratio > 0.0 else np.ones_like(across)
        density = np.exp(-((radius * np.sin(_ANGLES)) ** 2) / 2.0) / (2.0 * np.pi) ** 0.5
        return float(_ANGLE_WEIGHTS @ (density * share * across))

    return float(brentq(lambda radius: held(radius) - 0.95, 1.9, 2.5, xtol=1e-9))


def horizontal_95_m(sigma_east_m: float, sigma_north_m: float, covariance_en_m2: float = 0.0) -> float:
    """Return the radius of the circle that holds 95 % of the horizontal errors, in metres.

    The 2 × 2 covariance decides: 1.96 sigma of the major axis along a line, 2.45 sigma for a circle.
    Source: integral of the bivariate normal density over a circle about its mean (H. L. Harter, JASA 55, 1960; from memory).
    """
    major_m, minor_m = principal_sigmas_m(sigma_east_m, sigma_north_m, covariance_en_m2)
    if major_m <= 0.0:
        return 0.0
    # A ten-thousandth of the ratio changes the radius by less than 0.01 %.
    return major_m * _circle_95(round(min(minor_m / major_m, 1.0), 4))


def vertical_95_m(sigma_up_m: float) -> float:
    """Return the half width that holds 95 % of the vertical errors, in metres."""
    return LINE_95 * sigma_up_m


def sigmas_of_ellipse(major_m: float, minor_m: float, orientation_deg: float, up_m: float) -> Sigmas:
    """Return the sigmas of an error ellipse as GST sends it: one sigma, the major axis' azimuth from true north.

    Source: NMEA 0183, GST.
    """
    east, north = sin(radians(orientation_deg)), cos(radians(orientation_deg))
    return Sigmas(
        east_m=hypot(major_m * east, minor_m * north),
        north_m=hypot(major_m * north, minor_m * east),
        up_m=up_m,
        covariance_en_m2=(major_m - minor_m) * (major_m + minor_m) * east * north,
    )


def grid_axes(convergence_deg: float) -> NDArray[np.float64]:
    """Return the axes that take east, north, up about true north to those about grid north, (3, 3): rows are the grid's.

    Convergence is positive where grid north lies east of true north: then what points to true north points west in the grid.
    """
    east, north = cos(radians(convergence_deg)), sin(radians(convergence_deg))
    return np.array([[east, -north, 0.0], [north, east, 0.0], [0.0, 0.0, 1.0]])


def covariance_of(sigmas: Sigmas) -> NDArray[np.float64]:
    """Return the covariance of east, north and up, (3, 3), m²."""
    both = sigmas.covariance_en_m2
    return np.array([[sigmas.east_m**2, both, 0.0], [both, sigmas.north_m**2, 0.0], [0.0, 0.0, sigmas.up_m**2]])


def in_grid(sigmas: Sigmas, convergence_deg: float) -> Sigmas:
    """Return sigmas about true north as sigmas about grid north."""
    axes = grid_axes(convergence_deg)
    turned = axes @ covariance_of(sigmas) @ axes.T
    return Sigmas(
        east_m=float(turned[0, 0] ** 0.5), north_m=float(turned[1, 1] ** 0.5), up_m=sigmas.up_m, covariance_en_m2=float(turned[0, 1])
    )


@dataclass(frozen=True)
class Ellipse95:
    """The ellipse that holds 95 % of horizontal errors: semi-axes in metres, azimuth of the major one from grid north."""

    major_m: float
    minor_m: float
    orientation_deg: float


def ellipse_95(sigmas: Sigmas) -> Ellipse95:
    """Return the error ellipse at 95 %: 2.4477 times its sigmas."""
    major_m, minor_m = principal_sigmas_m(sigmas.east_m, sigmas.north_m, sigmas.covariance_en_m2)
    twice = np.arctan2(2.0 * sigmas.covariance_en_m2, sigmas.north_m**2 - sigmas.east_m**2)
    return Ellipse95(CIRCLE_95 * major_m, CIRCLE_95 * minor_m, degrees(float(twice) / 2.0) % 180.0)


def added(*links: Sigmas) -> Sigmas:
    """Return independent links added: variances and covariances."""
    table = np.array([[link.east_m, link.north_m, link.up_m] for link in links])
    east, north, up = np.sqrt(np.sum(table**2, axis=0))
    return Sigmas(east_m=float(east), north_m=float(north), up_m=float(up), covariance_en_m2=sum(link.covariance_en_m2 for link in links))
