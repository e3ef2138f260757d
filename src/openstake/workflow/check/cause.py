"""The checks of one base as the cause-finder sees them: differences, sigmas, times, and every number that is known of the site."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from sqlalchemy.orm import Session

from openstake.core.antenna import pole_words
from openstake.core.causes import CheckSeen, Place, SiteSeen
from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.core.geodesy.local import enu_from_ecef_difference
from openstake.core.geodesy.plates import frame_shifts_m, year_of
from openstake.core.judge.cause import HeightsSeen, judge_causes, named_heights, named_poles
from openstake.core.judge.finding import Finding
from openstake.core.limits import POLE_TWICE_M
from openstake.core.sigmas import grid_axes, in_grid
from openstake.derive.base import BaseNow, is_autonomous, three
from openstake.derive.claims import claim_of
from openstake.derive.heights import ROVER_HEIGHT_SIGMA_M, as_typed
from openstake.derive.job import JobNow
from openstake.derive.kit import KitNow
from openstake.derive.marks import current_marks
from openstake.workflow.check.checks import Checked

MOST_CHECKS = 60  # of a day; the newest where there are more


def causes_found(session: Session, job: JobNow, kit: KitNow, base: BaseNow, checks: Sequence[Checked]) -> list[Finding]:
    """Return what all checks of a base say together: fixed ones, from this base, by what is in force now."""
    used = [item for item in checks if not item.point.not_fixed and not item.point.virtual][-MOST_CHECKS:]
    if len({item.mark.id for item in used}) < 2:
        return []
    seen = [_seen(item, base) for item in used]
    return judge_causes(
        seen,
        _site(session, job, kit, base, used),
        not is_autonomous(base.coordinate),
        job.length_unit,
        all(item.check.agrees for item in used),
    )


def _seen(item: Checked, base: BaseNow) -> CheckSeen:
    check, mark = item.check, item.mark
    sigmas = in_grid(claim_of(item.shot), item.convergence_deg)
    flat, up = (float(np.hypot(sigma, POLE_TWICE_M)) for sigma in (max(sigmas.east_m, sigmas.north_m), sigmas.up_m))
    return CheckSeen(
        mark=mark.name,
        east_m=mark.east_m,
        north_m=mark.north_m,
        off_m=(check.east_m, check.north_m, check.up_m),
        sigma_m=(flat, flat, float(np.hypot(up, ROVER_HEIGHT_SIGMA_M))),
        mark_sigma_m=(mark.sigma_horizontal_m, mark.sigma_vertical_m),
        at_h=(item.shot.created_s - base.occupation.started_s) / 3600.0,
        pole=pole_words(as_typed(item.point.rover_height)),
    )


def _site(session: Session, job: JobNow, kit: KitNow, base: BaseNow, used: Sequence[Checked]) -> SiteSeen:
    marks = tuple(
        Place(name=mark.name, east_m=mark.east_m, north_m=mark.north_m, height_m=mark.ellipsoidal_height_m)
        for mark in current_marks(session, job)
    )
    base_mark = used[-1].base_mark
    east, north, height = three(job.frame.grid_from_ecef(base.mark_m))
    offsets = [(name, kit.phase_centre_m(at_base)) for name, at_base in (("base antenna", True), ("rover antenna", False))]
    poles = {item.point.rover_height.id: as_typed(item.point.rover_height) for item in used}
    texts = {(pole.text, pole.arp_height_m): pole for pole in poles.values()}
    heights = HeightsSeen(
        base_readings=base.height.readings,
        rover_readings=tuple(texts.values()),
        base_arp_m=base.height.arp_height_m,
        pole_m=used[-1].point.rover_height.arp_height_m,
        phase_centres_m=tuple((name, offset) for name, offset in offsets if offset is not None),
    )
    return SiteSeen(
        base=Place(name=base_mark.name, east_m=east, north_m=north, height_m=height),
        base_sigma_m=(base_mark.sigma_horizontal_m, base_mark.sigma_vertical_m),
        heights=named_heights(heights),
        marks=marks,
        frames=() if job.lies_nowhere else _frames(base, used[-1].convergence_deg),
        poles=named_poles(heights.rover_readings),
    )


def _frames(base: BaseNow, convergence_deg: float) -> tuple[tuple[str, tuple[float, float, float]], ...]:
    """Return what taking one frame for another would shift the base by, in the grid's axes there, metres."""
    latitude, longitude, _ = (float(value) for value in geodetic_from_ecef(base.mark_m))
    axes = grid_axes(convergence_deg)
    return tuple(
        (f"{name} and a global frame (ITRF, WGS 84)", three(axes @ enu_from_ecef_difference(shift, latitude, longitude)))
        for name, shift in frame_shifts_m(base.mark_m, year_of(base.occupation.started_s)).items()
    )
