"""What both stand-in receivers have in common: errors that wander, and the burst of sentences of one epoch."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.core.geodesy.local import enu_axes
from openstake.core.sky.constellations import CONSTELLATIONS
from openstake.core.sky.geometry import Dop, dop
from openstake.standin.clock import moment_of
from openstake.standin.sky import Seen
from openstake.wire.nmea.write import Fix, gga, gsa, gst, gsv, rmc

HORIZON_DEG = 0.0  # the base sends all it sees
MASK_DEG = 10.0  # the rover uses what stands higher (common practice)
AUTONOMOUS_SIGMA_M = np.array([1.1, 1.3, 2.2])
AUTONOMOUS_MEMORY_S = 600.0


class Wander:
    """A first-order Gauss-Markov error in east, north and up with unit sigma: it forgets over `memory_s`."""

    def __init__(self, random: np.random.Generator) -> None:
        self._random = random
        self._state = random.normal(0.0, 1.0, 3)
        self._time_s: float | None = None

    def at(self, time_s: float, memory_s: float) -> NDArray[np.float64]:
        """Return the error at a time not before the last one asked for, shape (3,)."""
        if self._time_s is not None:
            kept = float(np.exp(-max(0.0, time_s - self._time_s) / memory_s))
            self._state = kept * self._state + np.sqrt(1.0 - kept * kept) * self._random.normal(0.0, 1.0, 3)
        self._time_s = time_s
        return self._state


def displaced(xyz_m: NDArray[np.float64], enu_m: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return an Earth-centred point moved by east, north, up."""
    latitude, longitude, _ = geodetic_from_ecef(xyz_m)
    return xyz_m + enu_m @ enu_axes(float(latitude), float(longitude))


def geometry_of(sky: Sequence[Seen]) -> Dop | None:
    return dop([seen.azimuth_deg for seen in sky], [seen.elevation_deg for seen in sky])


def burst(
    unix_s: float,
    quality: int,
    xyz_m: NDArray[np.float64] | None,
    separation_m: float,
    sigma_m: NDArray[np.float64] | None,
    sky: Sequence[Seen],
    used: Sequence[Seen],
    age_s: float | None,
    station_id: int | None,
    speed_mps: float = 0.0,
) -> bytes:
    """Return GGA, GST, GSA, GSV and RMC of one epoch, in that order.  `sigma_m` is east, north, up.

    What is hidden of the sky is listed without a signal.
    """
    place = [None] * 3 if xyz_m is None else [float(value) for value in geodetic_from_ecef(xyz_m)]
    sigma = [None] * 3 if sigma_m is None else [float(value) for value in sigma_m]
    geometry = geometry_of(used)
    height = place[2]
    fix = Fix(
        moment=moment_of(unix_s),
        quality=quality,
        latitude_deg=place[0],
        longitude_deg=place[1],
        altitude_m=None if height is None else height - separation_m,
        separation_m=None if height is None else separation_m,
        satellites=len(used) if quality else 0,
        hdop=geometry.hdop if geometry else None,
        age_s=age_s,
        station_id=station_id,
        sigma_east_m=sigma[0],
        sigma_north_m=sigma[1],
        sigma_up_m=sigma[2],
        speed_mps=speed_mps,
    )
    out = gga(fix) + gst(fix)
    dops = (geometry.pdop, geometry.hdop, geometry.vdop) if geometry else None
    for constellation in CONSTELLATIONS:
        ids = [constellation.nmea_first_id + seen.number - 1 for seen in used if seen.constellation is constellation]
        out += gsa(ids if quality else [], constellation.nmea_system, quality > 0, dops if quality else None)
    for constellation in CONSTELLATIONS:
        rows = [
            (constellation.nmea_first_id + seen.number - 1, seen.elevation_deg, seen.azimuth_deg, None if seen.hidden else seen.cnr_dbhz)
            for seen in sky
            if seen.constellation is constellation
        ]
        out += gsv(constellation.nmea_talker, rows)
    return out + rmc(fix)
