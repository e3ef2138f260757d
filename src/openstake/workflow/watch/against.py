"""Where a rover is, against the control list: before any shot it shows a wrong place, system, datum or kind of height."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from threading import Lock
from typing import TypeVar

import numpy as np

from openstake.core.geodesy.ellipsoid import WGS84, ecef_from_geodetic
from openstake.core.geodesy.readings import datum_shifts_m, other_readings
from openstake.core.judge.finding import Finding
from openstake.core.judge.place import Control, RoverPlace, judge_place, place_95_m
from openstake.core.limits import DATUM_AFTER_S
from openstake.core.rtk.rover import RoverState
from openstake.derive.job import JobNow

T = TypeVar("T")
# Systems and shifts of a place take a second or two when they are first asked, and an instrument is asked several times a second.
_COMPUTING = Lock()


def against_control(job: JobNow, control: Control, state: RoverState) -> list[Finding]:
    """Return what a rover's place says of the control list; nothing where the job has no place on Earth or no datum yet."""
    epoch, frame = state.epoch, job.frame
    if job.lies_nowhere or frame.datum_is_unsaid:
        return []
    if epoch.latitude_deg is None or epoch.longitude_deg is None or epoch.height_m is None:
        return []
    xyz = ecef_from_geodetic(epoch.latitude_deg, epoch.longitude_deg, epoch.height_m, WGS84)
    east, north, height = (float(value) for value in frame.grid_from_ecef(xyz))
    latitude, longitude, _ = (float(value) for value in frame.datum_geodetic_from_ecef(xyz))
    if not np.isfinite((east, north)).all():
        return []
    lift = epoch.separation_m
    if job.geoid is not None and np.isfinite(own := float(job.geoid.undulation_m(latitude, longitude))):
        lift = own
    horizontal, vertical = place_95_m(epoch.status, epoch.claim)
    stands = state.stood is not None and state.stood.span_s >= DATUM_AFTER_S
    rover = RoverPlace(
        east_m=east, north_m=north, height_m=height, horizontal_95_m=horizontal, vertical_95_m=vertical, undulation_m=lift, stands=stands
    )
    flat = control.grid_m[np.isfinite(control.grid_m[:, :2]).all(axis=1), :2]

    def readings() -> list[tuple[str, float]]:
        return list(other_readings(frame, latitude, longitude, np.array([east, north]), flat))

    def shifts() -> Mapping[str, tuple[float, float]]:
        return datum_shifts_m(frame, latitude, longitude)

    return judge_place(rover, control, lambda: _at_once(readings, []), lambda: _at_once(shifts, {}), job.length_unit)


def _at_once(compute: Callable[[], T], nothing: T) -> T:
    """Return what is computed; who asks while another does waits for nothing, and gets nothing yet."""
    if not _COMPUTING.acquire(blocking=False):
        return nothing
    try:
        return compute()
    finally:
        _COMPUTING.release()
