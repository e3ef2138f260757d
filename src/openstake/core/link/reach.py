"""How far a radio reaches by rule, what it costs in battery, and how near its antenna people may stand.

Rules of thumb without terrain: a hill or a bank in the way decides more than any of them.
"""

from __future__ import annotations

from dataclasses import dataclass
from math import inf, log10, pi, sin, sqrt

from openstake.core.constants import EARTH_MEAN_RADIUS_M, SPEED_OF_LIGHT_M_S
from openstake.core.errors import InputError
from openstake.core.limits import BATTERY_USABLE, RADIO_STANDBY_W, USUAL_MARGIN_DB, USUAL_SENSITIVITY_DBM

REFRACTION = 4.0 / 3.0  # standard atmosphere, ITU-R P.310
# Power density after a reflection off the ground: the field is 1.6 times as strong (the usual allowance).
GROUND_REFLECTION = 2.56


def wavelength_m(frequency_mhz: float) -> float:
    return SPEED_OF_LIGHT_M_S / (frequency_mhz * 1e6)


def free_space_loss_db(frequency_mhz: float, distance_km: float) -> float:
    """Return the loss between isotropic antennas in free space.  Source: ITU-R P.525, 32.45 + 20 log f + 20 log d."""
    return 32.45 + 20.0 * log10(frequency_mhz) + 20.0 * log10(distance_km)


def two_ray_loss_db(frequency_mhz: float, distance_km: float, base_height_m: float, rover_height_m: float) -> float:
    """Return the loss over a flat reflecting ground: the direct ray and one reflected with its sign turned.

    Near by it swings between 6 dB less than free space and nothing at all.  Source: geometry of two rays.
    """
    distance_m = distance_km * 1000.0
    above, below = base_height_m + rover_height_m, base_height_m - rover_height_m
    # (a - b)(a + b) / (a + b): the two paths differ by millimetres far away.
    difference_m = (above**2 - below**2) / (sqrt(distance_m**2 + above**2) + sqrt(distance_m**2 + below**2))
    factor = 2.0 * abs(sin(pi * difference_m / wavelength_m(frequency_mhz)))
    return free_space_loss_db(frequency_mhz, distance_km) - 20.0 * log10(factor) if factor > 0.0 else inf


def plane_earth_loss_db(distance_km: float, base_height_m: float, rover_height_m: float) -> float:
    """Return what two rays come to far away: 40 log d - 20 log (h1 h2), d in metres; it does not know the frequency."""
    return 40.0 * log10(distance_km * 1000.0) - 20.0 * log10(base_height_m * rover_height_m)


def path_loss_db(frequency_mhz: float, distance_km: float, base_height_m: float, rover_height_m: float) -> float:
    """Return the larger of free space and plane earth: the rule that reach is reckoned with."""
    return max(free_space_loss_db(frequency_mhz, distance_km), plane_earth_loss_db(distance_km, base_height_m, rover_height_m))


def radio_horizon_km(base_height_m: float, rover_height_m: float) -> float:
    """Return how far two antennas see each other over a smooth Earth of 4/3 its radius: 4.12 (sqrt h1 + sqrt h2) km."""
    radius_m = REFRACTION * EARTH_MEAN_RADIUS_M
    return (sqrt(2.0 * radius_m * base_height_m) + sqrt(2.0 * radius_m * rover_height_m)) / 1000.0


def fresnel_radius_m(frequency_mhz: float, to_base_km: float, to_rover_km: float) -> float:
    """Return the radius of the first Fresnel zone at a point of the path; free of obstacles it must be for the most part.

    Source: ITU-R P.526, sqrt(lambda d1 d2 / (d1 + d2)).
    """
    one, other = to_base_km * 1000.0, to_rover_km * 1000.0
    return sqrt(wavelength_m(frequency_mhz) * one * other / (one + other))


def dbm_from_watts(power_w: float) -> float:
    return 10.0 * log10(power_w * 1000.0)


@dataclass(frozen=True, kw_only=True)
class RadioPath:
    """Both ends of a radio link: gains in dBi, heights of the radio antennas above the ground in metres.

    `sensitivity_dbm` is the weakest signal the rover's radio reads, `margin_db` what is kept in hand above it.
    """

    frequency_mhz: float
    base_height_m: float
    rover_height_m: float
    base_gain_dbi: float = 2.15
    rover_gain_dbi: float = 0.0
    sensitivity_dbm: float = USUAL_SENSITIVITY_DBM
    margin_db: float = USUAL_MARGIN_DB

    def check(self) -> None:
        """Raise InputError where a value cannot be one of a radio link on the ground."""
        for name, value, least, most, unit in (
            ("frequency_mhz", self.frequency_mhz, 10.0, 6000.0, "MHz"),
            ("base_height_m", self.base_height_m, 0.1, 200.0, "m"),
            ("rover_height_m", self.rover_height_m, 0.1, 200.0, "m"),
            ("base_gain_dbi", self.base_gain_dbi, -20.0, 30.0, "dBi"),
            ("rover_gain_dbi", self.rover_gain_dbi, -20.0, 30.0, "dBi"),
            ("sensitivity_dbm", self.sensitivity_dbm, -150.0, -50.0, "dBm"),
            ("margin_db", self.margin_db, 0.0, 60.0, "dB"),
        ):
            if not least <= value <= most:
                label = name.rsplit("_", 1)[0].replace("_", " ")
                raise InputError(f"The {label} lies between {least:g} and {most:g} {unit}; {value:g} does not.", field=name)


def margin_db(path: RadioPath, power_w: float, distance_km: float) -> float:
    """Return how much stronger than needed the signal is at a distance, in dB; negative where it is too weak."""
    loss = path_loss_db(path.frequency_mhz, distance_km, path.base_height_m, path.rover_height_m)
    received = dbm_from_watts(power_w) + path.base_gain_dbi + path.rover_gain_dbi - loss
    return received - path.sensitivity_dbm


def reach_km(path: RadioPath, power_w: float) -> float:
    """Return how far a power reaches with the margin kept: by free space, plane earth and horizon, whichever is least."""
    allowed = dbm_from_watts(power_w) + path.base_gain_dbi + path.rover_gain_dbi - path.sensitivity_dbm - path.margin_db
    by_free_space: float = 10.0 ** ((allowed - 32.45 - 20.0 * log10(path.frequency_mhz)) / 20.0)
    by_plane_earth: float = 10.0 ** ((allowed + 20.0 * log10(path.base_height_m * path.rover_height_m)) / 40.0) / 1000.0
    return min(by_free_space, by_plane_earth, radio_horizon_km(path.base_height_m, path.rover_height_m))


def lowest_power_w(path: RadioPath, distance_km: float) -> float:
    """Return the least power that reaches a distance with the margin kept; inf beyond the horizon."""
    if distance_km > radio_horizon_km(path.base_height_m, path.rover_height_m):
        return inf
    return float(10.0 ** ((path.margin_db - margin_db(path, 1.0, distance_km)) / 10.0))


def battery_hours(volts: float, amp_hours: float, draw_sending_w: float, duty: float) -> float:
    """Return how long a battery feeds a radio that sends a part of the time, using four fifths of it."""
    return volts * amp_hours * BATTERY_USABLE / (RADIO_STANDBY_W + (draw_sending_w - RADIO_STANDBY_W) * duty)


def draw_at_w(power_w: float, highest_power_w: float, draw_at_highest_w: float) -> float:
    """Return what a radio draws while sending at a power, in proportion between standby and its highest (common practice)."""
    return RADIO_STANDBY_W + (draw_at_highest_w - RADIO_STANDBY_W) * power_w / highest_power_w


def exposure_limits_w_m2(frequency_mhz: float) -> tuple[float, float]:
    """Return the power density allowed for the public and for workers, whole body, 30 minutes.

    Source: ICNIRP 2020, table 5 (from memory): 2 and 10 from 30 to 400 MHz, f/200 and f/40 to 2 GHz, 10 and 50 above.
    Local limits decide.
    """
    if frequency_mhz < 400.0:
        return 2.0, 10.0
    if frequency_mhz <= 2000.0:
        return frequency_mhz / 200.0, frequency_mhz / 40.0
    return 10.0, 50.0


def exposure_distance_m(power_w: float, gain_dbi: float, limit_w_m2: float, duty: float = 1.0, ground_reflection: bool = False) -> float:
    """Return how far from an antenna the power density falls to a limit: S = EIRP / (4 pi r2), times 2.56 with the ground."""
    eirp_w = power_w * duty * 10.0 ** (gain_dbi / 10.0)
    factor = GROUND_REFLECTION if ground_reflection else 1.0
    return sqrt(eirp_w * factor / (4.0 * pi * limit_w_m2))


@dataclass(frozen=True, kw_only=True)
class PowerLevel:
    """One power a radio can send with, and what it gives."""

    power_w: float
    reach_km: float
    margin_db: float | None
    battery_hours: float | None
    public_m: float
    worker_m: float


def power_levels(
    path: RadioPath,
    powers_w: list[float],
    distance_km: float | None,
    duty: float,
    battery: tuple[float, float] | None = None,
    draw_at_highest_w: float | None = None,
) -> list[PowerLevel]:
    """Return every power of a radio with its reach, its margin at the distance to cover, its hours, and the distances to keep.

    The distances count the ground's reflection and sending all the time: the careful side.
    """
    path.check()
    public, worker = exposure_limits_w_m2(path.frequency_mhz)
    highest = max(powers_w)
    levels = []
    for power_w in sorted(powers_w):
        hours = None
        if battery is not None and draw_at_highest_w is not None:
            hours = battery_hours(*battery, draw_at_w(power_w, highest, draw_at_highest_w), duty)
        beyond = distance_km is not None and distance_km > radio_horizon_km(path.base_height_m, path.rover_height_m)
        kept = None if distance_km is None or beyond else margin_db(path, power_w, distance_km)
        levels.append(
            PowerLevel(
                power_w=power_w,
                reach_km=reach_km(path, power_w),
                margin_db=kept,
                battery_hours=hours,
                public_m=exposure_distance_m(power_w, path.base_gain_dbi, public, ground_reflection=True),
                worker_m=exposure_distance_m(power_w, path.base_gain_dbi, worker, ground_reflection=True),
            )
        )
    return levels


@dataclass(frozen=True, kw_only=True)
class Trade:
    """Two ways to reach farther, in dB and km gained."""

    raised_db: float
    raised_km: float
    doubled_db: float
    doubled_km: float


def raise_or_double(path: RadioPath, power_w: float, raise_m: float = 2.0) -> Trade:
    """Compare raising the base's radio antenna with doubling the power, where plane earth rules."""
    now = reach_km(path, power_w)
    higher = RadioPath(**(vars(path) | {"base_height_m": path.base_height_m + raise_m}))
    return Trade(
        raised_db=20.0 * log10(higher.base_height_m / path.base_height_m),
        raised_km=reach_km(higher, power_w) - now,
        doubled_db=10.0 * log10(2.0),
        doubled_km=reach_km(path, 2.0 * power_w) - now,
    )
