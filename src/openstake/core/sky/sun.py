"""Where the sun stands: a direction that anybody in the field can see."""

from __future__ import annotations

from datetime import UTC, date, datetime, tzinfo

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


def sun_times_s(day: date, zone: tzinfo, latitude_deg: float, longitude_deg: float) -> tuple[float | None, float | None]:
    """Return when the sun rises and sets on a day of a time zone, Unix seconds; None where it does not.

    Its upper limb at a level horizon, with 34 minutes of arc of refraction.  Source: astral, after the NOAA solar calculator.
    """
    from astral import Observer
    from astral.sun import sunrise, sunset

    observer = Observer(latitude_deg, longitude_deg)
    found: list[float | None] = []
    for of_day in (sunrise, sunset):
        try:
            found.append(of_day(observer, day, tzinfo=zone).timestamp())
        except ValueError:  # it stays up, or down
            found.append(None)
    return found[0], found[1]
