"""The one place where rover coordinates come from.

    rover mark = base mark + base ARP height + vector (ARP to ARP) − rover ARP height

Heights go along each point's own vertical; the vector is what RTK measures: received position minus the base
reference in force when it was received.  Everything is Earth-centred and in metres until the very end, so a change of
base coordinate or height moves every point exactly, and going back gives the same bits.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from openstake.core.errors import InputError
from openstake.core.evidence import Epoch, RefersTo, StationReference
from openstake.core.geodesy.ellipsoid import WGS84, ecef_from_geodetic, geodetic_from_ecef
from openstake.core.geodesy.local import enu_axes, normal
from openstake.core.series import mean_of_series
from openstake.core.sigmas import Sigmas


def raised_along_normal(xyz_m: ArrayLike, height_m: ArrayLike) -> NDArray[np.float64]:
    """Return Earth-centred points moved up along their own normals by `height_m` (negative: down), shape (..., 3)."""
    xyz = np.asarray(xyz_m, dtype=float)
    geodetic = geodetic_from_ecef(xyz)
    up = normal(geodetic[..., 0], geodetic[..., 1])
    return np.asarray(xyz + np.asarray(height_m, dtype=float)[..., None] * up)


def lowering_to_mark_m(refers_to: RefersTo, rover_arp_height_m: float, arp_to_apc_m: float | None) -> float:
    """Return how far the received position lies above the mark, in metres.

    A position that already refers to the mark is not lowered again: the pole is never applied twice.
    """
    if refers_to is RefersTo.MARK:
        return 0.0
    if refers_to is RefersTo.ARP:
        return rover_arp_height_m
    if arp_to_apc_m is None:
        raise InputError("The receiver's position refers to the phase centre, and the antenna's offset is not known.")
    return rover_arp_height_m + arp_to_apc_m


def ecef_covariance_m2(sigmas: Sigmas, at_m: ArrayLike) -> NDArray[np.float64]:
    """Return the covariance of a vector in Earth-centred axes, m², (3, 3), from its sigmas in east, north, up at a place (3,), metres.

    Source: covariance propagation, Rᵀ C R with the rows of R along east, north and up.
    """
    latitude, longitude, _ = geodetic_from_ecef(at_m)
    axes = enu_axes(float(latitude), float(longitude))
    flat = np.diag([sigmas.east_m**2, sigmas.north_m**2, sigmas.up_m**2])
    flat[0, 1] = flat[1, 0] = sigmas.covariance_en_m2
    return np.asarray(axes.T @ flat @ axes)


def vectors_from_positions(
    latitude_deg: ArrayLike, longitude_deg: ArrayLike, height_m: ArrayLike, base_reference_m: ArrayLike
) -> NDArray[np.float64]:
    """Return the vectors from the base reference to received positions, Earth-centred, in metres, shape (..., 3).

    Positions are WGS 84 latitude, longitude and ellipsoidal height, as parsed from their text.
    """
    received = ecef_from_geodetic(latitude_deg, longitude_deg, height_m, WGS84)
    return np.asarray(received - np.asarray(base_reference_m, dtype=float))


def vector_length_m(epoch: Epoch | None, station: StationReference | None) -> float | None:
    """Return how far a rover's position lies from the reference point of a base on the air; None where either is missing."""
    if epoch is None or station is None or epoch.latitude_deg is None or epoch.longitude_deg is None or epoch.height_m is None:
        return None
    rover = ecef_from_geodetic(epoch.latitude_deg, epoch.longitude_deg, epoch.height_m)
    return float(np.linalg.norm(rover - np.asarray(station.xyz_m)))


def mean_vector(vectors_m: ArrayLike) -> NDArray[np.float64]:
    """Return the mean of vectors of one reference, shape (n, 3) to (3,): centred first to keep the last digits."""
    vectors = np.asarray(vectors_m, dtype=float)
    return np.asarray(vectors[0] + np.mean(vectors - vectors[0], axis=0))


def rover_mark_ecef(
    base_mark_m: ArrayLike, base_arp_height_m: ArrayLike, vector_m: ArrayLike, above_mark_m: ArrayLike
) -> NDArray[np.float64]:
    """Return rover marks, Earth-centred in the frame of the base mark, in metres, shape (..., 3).

    `vector_m` runs from the base ARP to what the rover's position refers to, which lies `above_mark_m` above its mark
    (`lowering_to_mark_m`).  All are one or many: one base with many vectors, or a base for each.
    """
    rover = raised_along_normal(base_mark_m, base_arp_height_m) + np.asarray(vector_m, dtype=float)
    return raised_along_normal(rover, -np.asarray(above_mark_m, dtype=float))


@dataclass(frozen=True, kw_only=True)
class Scatter:
    """Scatter of the epochs of one shot about their mean: one sigma of a single epoch (m), covariance of east and north (m²), worth."""

    sigma_east_m: float
    sigma_north_m: float
    sigma_up_m: float
    effective_n: float
    covariance_en_m2: float


def scatter_of_vectors(vectors_m: ArrayLike, latitude_deg: float, longitude_deg: float) -> Scatter | None:
    """Return the scatter of one shot in east, north, up at a point; None for fewer than three epochs.

    `effective_n` is that of the component that remembers longest, at least 1 (`core/series.py`): epochs of one minute are
    not independent, and their mean is little better than one of them.
    """
    vectors = np.asarray(vectors_m, dtype=float)
    count = len(vectors)
    if count < 3:
        return None
    enu = (vectors - mean_vector(vectors)) @ enu_axes(latitude_deg, longitude_deg).T
    sigma = np.std(enu, axis=0, ddof=1)
    effective = max(1.0, min(mean_of_series(enu[:, part]).effective_n for part in range(3)))
    both = float(np.cov(enu[:, 0], enu[:, 1])[0, 1])
    return Scatter(
        sigma_east_m=float(sigma[0]),
        sigma_north_m=float(sigma[1]),
        sigma_up_m=float(sigma[2]),
        effective_n=effective,
        covariance_en_m2=both,
    )
