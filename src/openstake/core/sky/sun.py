"""Where the sun stands: a direction that anybody in the field can see."""

from __future__ import annotations

from datetime import UTC, datetime

from openstake.core.limits import SUN_SEEN_ABOVE_DEG


def sun_azimuth_deg(unix_s: float, latitude_deg: float, longitude_deg: float) -> float | None:
    """Return the sun's azimuth, degrees clockwise from true north; None where it stands too low to be seen.

    Source: astral, after the NOAA solar calculator (J. Meeus, Astronomical Algorithms).
    """
    from astral import Observer
    from astral.sun import azimuth, elevation

    observer, moment = Observer(latitude_deg, longitude_deg), datetime.fromtimestamp(unix_s, UTC)
    if elevation(observer, moment) < SUN_SEEN_ABOVE_DEG:
        return None
    return float(azimuth(observer, moment)) % 360.0
