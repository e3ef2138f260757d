"""The base over its mark: where its antenna is meant to be, what an average of positions is worth, what an error does."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from openstake.core.constants import DAY_S, LINE_95, METRES_PER_MINUTE_OF_LATITUDE
from openstake.core.errors import InputError
from openstake.core.evidence import Epoch, Status
from openstake.core.geodesy.ellipsoid import WGS84, ecef_from_geodetic, gaussian_radius_m
from openstake.core.geodesy.local import enu_axes
from openstake.core.limits import BIAS_95_M, OUTLIER_FLOOR_M, SHORTEST_AVERAGE_S, SHORTEST_FIXED_S
from openstake.core.series import SeriesMean, mean_of_series, outliers
from openstake.core.sigmas import horizontal_95_m
from openstake.core.vector import raised_along_normal

_STATUS_ORDER = (Status.SINGLE, Status.OTHER, Status.DGPS, Status.FLOAT, Status.FIXED)


def meant_arp_ecef(mark_ecef_m: ArrayLike, arp_height_m: float) -> NDArray[np.float64]:
    """Return where the antenna reference point is meant to be: the mark, raised along its normal; metres."""
    return raised_along_normal(mark_ecef_m, arp_height_m)


@dataclass(frozen=True, kw_only=True)
class NoiseOfMean:
    """The noise of a mean in east, north and up, metres; it says nothing of a bias.

    Precisions are the plain standard deviation of the mean, half widths hold the truth in 95 % (Student's t of `dof_*`);
    None for one epoch.  `too_short`: the span does not show how long the errors live.
    """

    precision_east_m: float | None
    precision_north_m: float | None
    precision_up_m: float | None
    half_95_east_m: float | None
    half_95_north_m: float | None
    half_95_up_m: float | None
    dof_east: float
    dof_north: float
    dof_up: float
    too_short: bool


@dataclass(frozen=True)
class MeanWorth:
    """The plain standard deviation of a mean and the half width of 95 % (Student's t of `freedom`), metres; None for one epoch."""

    precision_m: float | None
    half_95_m: float | None
    freedom: float


def _worth(part: SeriesMean, rounding_m: float) -> MeanWorth:
    if part.sigma_of_mean is None or part.half_95 is None:
        return MeanWorth(None, None, part.freedom)
    return MeanWorth(float(np.hypot(part.sigma_of_mean, rounding_m)), float(np.hypot(part.half_95, LINE_95 * rounding_m)), part.freedom)


@dataclass(frozen=True, kw_only=True)
class PositionAverage:
    """An average of received positions, Earth-centred metres, with east, north and up as series of their own.

    `offsets_m` are the used epochs' east, north, up from the mean, shape (used, 3), `time_s` their seconds since the
    first.  `resolution_m` is what the last digit of the received text is worth.
    """

    xyz_m: tuple[float, float, float]
    epochs: int
    used: int
    left_out: int
    span_s: float
    east: SeriesMean
    north: SeriesMean
    up: SeriesMean
    lowest_status: Status
    by_status: dict[Status, int]
    resolution_m: float
    time_s: NDArray[np.float64]
    offsets_m: NDArray[np.float64]

    @property
    def effective_n(self) -> float:
        """How many independent epochs it is worth, of its worst component."""
        return min(self.east.effective_n, self.north.effective_n, self.up.effective_n)

    @property
    def correlation_s(self) -> float:
        """How long its worst component remembers, in seconds of its mean step."""
        steps = max(self.used - 1, 1)
        return max(part.correlation_time for part in (self.east, self.north, self.up)) * self.span_s / steps

    @property
    def worth(self) -> tuple[MeanWorth, MeanWorth, MeanWorth]:
        """What the mean is worth in east, north and up, with what rounding of the text adds."""
        rounding_m = self.resolution_m / float(np.sqrt(12.0))
        return _worth(self.east, rounding_m), _worth(self.north, rounding_m), _worth(self.up, rounding_m)

    @property
    def accuracy_95_m(self) -> float:
        """Expected horizontal error at 95 %: what averaging cannot lower, and the noise of the mean."""
        return float(np.hypot(BIAS_95_M[self.lowest_status], self.half_95_horizontal_m or 0.0))

    @property
    def half_95_horizontal_m(self) -> float | None:
        """Radius of the circle about the mean that holds its noise in 95 %, which says nothing of its bias; None for one epoch."""
        east, north, _ = self.worth
        if east.half_95_m is None or north.half_95_m is None:
            return None
        east_m, north_m = east.half_95_m / LINE_95, north.half_95_m / LINE_95
        spread = self.east.spread * self.north.spread * (self.used - 1)
        alike = float(self.offsets_m[:, 0] @ self.offsets_m[:, 1]) / spread if spread > 0.0 else 0.0
        return horizontal_95_m(east_m, north_m, alike * east_m * north_m)

    @property
    def noise(self) -> NoiseOfMean:
        """The noise of the mean, as the pages and the terminal show it."""
        east, north, up = self.worth
        return NoiseOfMean(
            precision_east_m=east.precision_m,
            precision_north_m=north.precision_m,
            precision_up_m=up.precision_m,
            half_95_east_m=east.half_95_m,
            half_95_north_m=north.half_95_m,
            half_95_up_m=up.half_95_m,
            dof_east=east.freedom,
            dof_north=north.freedom,
            dof_up=up.freedom,
            too_short=self.is_short,
        )

    @property
    def is_short(self) -> bool:
        """Whether it is too short to tell its own noise: by its span, never by its own estimate of its memory."""
        return self.span_s < (SHORTEST_FIXED_S if self.lowest_status is Status.FIXED else SHORTEST_AVERAGE_S)


def average_of_epochs(epochs: Sequence[Epoch]) -> PositionAverage:
    """Return the robust mean of the epochs that hold a position; InputError where none does.

    Epochs far from the median (six robust sigmas in any component) are left out.  Averaging lowers the noise and leaves
    the bias: precision is not accuracy.
    """
    rows = [(epoch.latitude_deg, epoch.longitude_deg, epoch.height_m) for epoch in epochs if _is_usable(epoch)]
    usable = [epoch for epoch in epochs if _is_usable(epoch)]
    if not usable:
        if any(epoch.latitude_deg is not None for epoch in epochs):
            raise InputError(
                "The positions have no altitude or geoid separation, so their ellipsoidal height is not known. "
                "Switch the separation on in the receiver's GGA."
            )
        raise InputError("The receiver reports no position yet, so there is nothing to average. Wait for the sky.")
    places = np.array(rows, dtype=float)
    xyz = ecef_from_geodetic(places[:, 0], places[:, 1], places[:, 2], WGS84)
    origin = xyz[0]
    axes = enu_axes(float(places[0, 0]), float(places[0, 1]))
    enu = (xyz - origin) @ axes.T
    resolution_m = max(_resolution_m(epoch) for epoch in usable[:50])
    floor_m = max(OUTLIER_FLOOR_M, resolution_m)
    kept = ~np.any([outliers(enu[:, part], floor_m) for part in range(3)], axis=0)
    used = [epoch for epoch, keep in zip(usable, kept, strict=True) if keep]
    enu = enu[kept]
    east, north, up = (mean_of_series(enu[:, part]) for part in range(3))
    mean = np.array([east.mean, north.mean, up.mean])
    x, y, z = (float(value) for value in origin + mean @ axes)
    times = _times_s(used)
    return PositionAverage(
        xyz_m=(x, y, z),
        epochs=len(epochs),
        used=len(used),
        left_out=int(np.sum(~kept)),
        span_s=float(times[-1] - times[0]),
        east=east,
        north=north,
        up=up,
        lowest_status=min((epoch.status for epoch in used), key=_STATUS_ORDER.index),
        by_status=dict(Counter(epoch.status for epoch in usable)),
        resolution_m=resolution_m,
        time_s=times,
        offsets_m=enu - mean,
    )


def _is_usable(epoch: Epoch) -> bool:
    known = epoch.latitude_deg is not None and epoch.longitude_deg is not None and epoch.height_m is not None
    return known and epoch.status is not Status.NONE


def _resolution_m(epoch: Epoch) -> float:
    """Return what the last digit of the minutes as received is worth, in metres of latitude; 0 where there is no text."""
    fraction = epoch.latitude_text.partition(",")[0].partition(".")[2]
    return METRES_PER_MINUTE_OF_LATITUDE * 10.0 ** -len(fraction) if epoch.latitude_text else 0.0


def _times_s(epochs: Sequence[Epoch]) -> NDArray[np.float64]:
    """Return seconds since the first epoch, over midnight too; epochs without a time follow the one before by 0 s."""
    times, last = [], None
    now = 0.0
    for epoch in epochs:
        time_s = epoch.time_of_day_s
        if time_s is not None:
            step = 0.0 if last is None else (time_s - last) % DAY_S
            # A clock that goes back a little would read as a day: it stands still instead.
            now += step if step < DAY_S / 2 else 0.0
            last = time_s
        times.append(now)
    return np.array(times)


@dataclass(frozen=True, kw_only=True)
class BaseErrorEffect:
    """What an error of the base coordinate does: metres at every point, ppm of scale, metres at the far end."""

    shift_horizontal_m: float
    shift_up_m: float
    scale_ppm: float
    far_m: float
    far_scale_m: float
    far_height_m: float


def base_error_effect(horizontal_m: float, up_m: float, far_m: float, latitude_deg: float) -> BaseErrorEffect:
    """Return what an error of a base coordinate does to a job whose farthest point lies `far_m` away.

    The whole site moves by the error.  Beyond that a wrong height changes the scale by e/R and a wrong place tilts the
    level surface by e/R: 6.4 m give 1 ppm.

    Formula: similarity of the vertical at the base, R the Gaussian radius of the ellipsoid at the latitude.
    """
    radius_m = gaussian_radius_m(latitude_deg)
    return BaseErrorEffect(
        shift_horizontal_m=horizontal_m,
        shift_up_m=up_m,
        scale_ppm=up_m / radius_m * 1e6,
        far_m=far_m,
        far_scale_m=far_m * abs(up_m) / radius_m,
        far_height_m=far_m * horizontal_m / radius_m,
    )
