"""Where the demo's marks really are: where the list says, but for the blunders planted in it.  All is invented."""

from __future__ import annotations

from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.core.geodesy.local import enu_axes
from openstake.derive.job import JobNow
from openstake.derive.marks import MarkNow, mark_ecef_m

CARROW = "Carrow Sluice"
NETTLE = "Nettle Brook Culvert"
ALDER = "Alder Ford Footbridge"
# East, north, up in metres: CS6 has a wrong height in the list, CS8 and AF4 were knocked by diggers.
BLUNDERS = {(CARROW, "CS6"): (0.0, 0.0, -0.118), (CARROW, "CS8"): (0.074, -0.051, 0.012), (ALDER, "AF4"): (0.083, -0.047, 0.006)}


def true_geodetic(job: JobNow, mark: MarkNow) -> tuple[float, float, float]:
    """Return where a mark really is: latitude, longitude in degrees, ellipsoidal height in metres."""
    xyz = mark_ecef_m(job, mark)
    latitude, longitude, _ = geodetic_from_ecef(xyz, job.frame.positions_ellipsoid)
    blunder = BLUNDERS.get((job.name, mark.name), (0.0, 0.0, 0.0))
    latitude, longitude, height = geodetic_from_ecef(xyz + blunder @ enu_axes(float(latitude), float(longitude)))
    return float(latitude), float(longitude), float(height)
