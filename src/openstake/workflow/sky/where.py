"""Where the rover stands that is heard now: its skyline is that of the mark beside it."""

from __future__ import annotations

import numpy as np

from openstake.core.errors import FrameError
from openstake.core.geodesy.ellipsoid import ecef_from_geodetic
from openstake.derive.job import JobNow
from openstake.live.session import RunningSession
from openstake.workflow.moment import heard_epoch


def rover_grid_m(job: JobNow, running: RunningSession | None) -> tuple[float, float] | None:
    """Return where the first rover is heard to stand, grid east and north; None where it is not, or where the job's datum is not said."""
    epoch = None if running is None else heard_epoch(running.moment())
    if epoch is None or epoch.latitude_deg is None or epoch.longitude_deg is None:
        return None
    place = ecef_from_geodetic(epoch.latitude_deg, epoch.longitude_deg, epoch.height_m or 0.0)
    try:
        east, north, _ = (float(value) for value in job.frame.grid_from_ecef(place))
    except FrameError:
        return None
    return (east, north) if np.isfinite([east, north]).all() else None
