"""Averages of what a receiver reported, as they stand: from their stored epochs, and as the pages show them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from sqlalchemy.orm import Session

from openstake.core.evidence import RefersTo, Status
from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.core.judge.average import judge_average
from openstake.core.judge.finding import Finding
from openstake.core.occupation import NoiseOfMean, PositionAverage, average_of_epochs
from openstake.core.vector import lowering_to_mark_m, raised_along_normal
from openstake.derive.base import three
from openstake.derive.cache import Cache
from openstake.store.models import HeightReading, PositionAverageRow
from openstake.store.records.averages import epochs_of_average
from openstake.store.records.epochs import epoch_of_columns

_MOST_DRAWN = 400


@dataclass(frozen=True, kw_only=True)
class AverageResult(NoiseOfMean):
    """An average of a receiver's positions; the accuracy is at 95 %, horizontal.

    `east_m`, `north_m`, `up_m` are the positions − their mean, at `time_s` after the first; long ones are thinned.
    """

    used: int
    epochs: int
    span_s: float
    status: Status
    latitude_deg: float
    longitude_deg: float
    height_m: float
    spread_horizontal_m: float
    spread_up_m: float
    effective_n: float
    correlation_s: float
    accuracy_95_m: float
    half_95_horizontal_m: float | None
    east_m: list[float]
    north_m: list[float]
    up_m: list[float]
    time_s: list[float]
    findings: list[Finding]


def average_result(average: PositionAverage, unit: str = "m") -> AverageResult:
    """Return an average as pages show it, with what to draw of its wander."""
    latitude, longitude, height = (float(value) for value in geodetic_from_ecef(average.xyz_m))
    step = max(1, len(average.offsets_m) // _MOST_DRAWN)
    drawn = average.offsets_m[::step]
    return AverageResult(
        used=average.used,
        epochs=average.epochs,
        span_s=average.span_s,
        status=average.lowest_status,
        latitude_deg=latitude,
        longitude_deg=longitude,
        height_m=height,
        spread_horizontal_m=max(average.east.spread, average.north.spread),
        spread_up_m=average.up.spread,
        **vars(average.noise),
        effective_n=average.effective_n,
        correlation_s=average.correlation_s,
        accuracy_95_m=average.accuracy_95_m,
        half_95_horizontal_m=average.half_95_horizontal_m,
        east_m=np.round(drawn[:, 0], 4).tolist(),
        north_m=np.round(drawn[:, 1], 4).tolist(),
        up_m=np.round(drawn[:, 2], 4).tolist(),
        time_s=np.round(average.time_s[::step], 2).tolist(),
        findings=judge_average(average, unit),
    )


# A page asks for the same average every few seconds.
_REMEMBERED: Cache[PositionAverage] = Cache(16)


def stored_average(session: Session, average_id: str) -> PositionAverage:
    """Return an average from its stored epochs."""
    found = _REMEMBERED.of([average_id]).get(average_id)
    if found is None:
        found = average_of_epochs([epoch_of_columns(row) for row in epochs_of_average(session, average_id)])
        _REMEMBERED.keep({average_id: found})
    return found


def average_mark_m(session: Session, row: PositionAverageRow) -> tuple[float, float, float]:
    """Return the mark under a rover's average: its pole, and its phase centre where positions mean it, taken off."""
    reading = session.get(HeightReading, row.height_reading_id or "")
    height = reading.arp_height_m if reading else 0.0
    above = lowering_to_mark_m(RefersTo(row.refers_to), height, row.arp_to_apc_m)
    return three(raised_along_normal((row.x_m, row.y_m, row.z_m), -above))
