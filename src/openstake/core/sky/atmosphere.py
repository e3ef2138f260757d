"""What the atmosphere adds to a pseudorange: models that need no data but the broadcast coefficients."""

from __future__ import annotations

from collections.abc import Sequence
from math import cos, exp, pi, radians, sin

from openstake.core.constants import DAY_S, SPEED_OF_LIGHT_M_S


def klobuchar_delay_m(
    alpha: Sequence[float],
    beta: Sequence[float],
    latitude_deg: float,
    longitude_deg: float,
    azimuth_deg: float,
    elevation_deg: float,
    gps_s: float,
) -> float:
    """Return the ionosphere's delay on GPS L1 in metres; about half of the true one is left.

    Source: IS-GPS-200, section 20.3.3.5.2.5 (angles in semicircles there).
    """
    elevation, azimuth = elevation_deg / 180.0, radians(azimuth_deg)
    latitude, longitude = latitude_deg / 180.0, longitude_deg / 180.0
    earth_angle = 0.0137 / (elevation + 0.11) - 0.022
    pierce_latitude = min(max(latitude + earth_angle * cos(azimuth), -0.416), 0.416)
    pierce_longitude = longitude + earth_angle * sin(azimuth) / cos(pierce_latitude * pi)
    magnetic = pierce_latitude + 0.064 * cos((pierce_longitude - 1.617) * pi)
    local_s = (4.32e4 * pierce_longitude + gps_s) % DAY_S
    slant = 1.0 + 16.0 * (0.53 - elevation) ** 3
    amplitude = max(sum(a * magnetic**n for n, a in enumerate(alpha)), 0.0)
    period = max(sum(b * magnetic**n for n, b in enumerate(beta)), 72_000.0)
    phase = 2.0 * pi * (local_s - 50_400.0) / period
    delay_s = 5e-9 + (amplitude * (1.0 - phase**2 / 2.0 + phase**4 / 24.0) if abs(phase) < 1.57 else 0.0)
    return SPEED_OF_LIGHT_M_S * slant * delay_s


def troposphere_delay_m(latitude_deg: float, height_m: float, elevation_deg: float) -> float:
    """Return the troposphere's delay in metres, from a standard atmosphere at 70 % humidity: 2.4 m at sea level, overhead.

    Source: J. Saastamoinen, 1972, zenith delays, mapped with 1/sin of the elevation (from memory);
    standard atmosphere 1013.25 hPa, 15 °C, 6.5 °C/km.
    """
    height = min(max(height_m, 0.0), 10_000.0)
    pressure_hpa = 1013.25 * (1.0 - 2.2557e-5 * height) ** 5.2568
    kelvin = 288.15 - 6.5e-3 * height
    vapour_hpa = 6.108 * 0.7 * exp((17.15 * kelvin - 4684.0) / (kelvin - 38.45))
    flattening = 1.0 - 0.00266 * cos(2.0 * radians(latitude_deg)) - 0.00028 * height / 1000.0
    zenith_m = 0.0022768 * pressure_hpa / flattening + 0.002277 * (1255.0 / kelvin + 0.05) * vapour_hpa
    return float(zenith_m) / sin(radians(max(elevation_deg, 3.0)))
