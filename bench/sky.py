"""What a day of sky costs: 120 satellites, minute by minute, with a skyline, against skyfield's directions in the same run."""

from __future__ import annotations

import gzip
import time
from collections.abc import Sequence
from datetime import datetime
from pathlib import Path

import numpy as np
from skyfield.api import EarthSatellite, load, wgs84

from openstake.core.geodesy.ellipsoid import ecef_from_geodetic
from openstake.core.sky.broadcast import KeplerOrbit, Orbit
from openstake.core.sky.expected import best_spans, directions_of, dops_of, in_sight
from openstake.core.sky.glonass import glonass_orbits
from openstake.core.sky.skyline import skyline_of
from openstake.core.time_scales import gps_seconds
from openstake.wire.orbits import read_mean_elements
from openstake.wire.rinex.navigation import read_navigation

DATA = Path(__file__).parent.parent / "tests" / "data"
SATELLITES, MINUTES, RIVALS = 120, 1440, 10
SITE = (53.45, -2.24, 50.0)


def ours(orbits: Sequence[Orbit], start_s: float) -> float:
    """Return the seconds of a day: directions, skyline, dilutions and the best hours, nothing remembered."""
    moments = start_s + 60.0 * np.arange(MINUTES)
    start = time.perf_counter()
    seen = directions_of(orbits, [ecef_from_geodetic(*SITE)], moments)[0]
    dops = dops_of(seen, in_sight(seen, 10.0, skyline_of([(0, 20), (90, 5), (180, 30), (270, 10)])))
    best_spans(dops, 60.0)
    return time.perf_counter() - start


def broadcast() -> list[Orbit]:
    """Return satellites by broadcast messages of six hours, carried on for the rest of the day, not computed yet."""
    text = gzip.decompress((DATA / "rinex" / "mixed-six-hours.rnx.gz").read_bytes()).decode()
    read = read_navigation(text.splitlines())
    kepler = [KeplerOrbit(listed) for listed in read.ephemerides.values()]
    return [*kepler, *glonass_orbits(read.glonass)][-SATELLITES:]


def mean() -> list[Orbit]:
    """Return satellites by the same elements as the rival's."""
    orbits = read_mean_elements((DATA / "gnss_tle_jan2018.txt").read_text(), "tle").orbits
    return [*orbits, *orbits][:SATELLITES]


def theirs() -> float:
    """Return the seconds that skyfield takes for the directions of as many satellites, without skyline or dilutions."""
    lines = [line for line in (DATA / "gnss_tle_jan2018.txt").read_text().splitlines() if line.strip()]
    scale, site = load.timescale(), wgs84.latlon(*SITE)
    times = scale.utc(2018, 1, 21, 0, np.arange(MINUTES))
    start = time.perf_counter()
    for at in range(0, 3 * RIVALS, 3):
        (EarthSatellite(lines[at + 1], lines[at + 2], lines[at], scale) - site).at(times).altaz()
    return (time.perf_counter() - start) * SATELLITES / RIVALS


def main() -> None:
    other = theirs()
    for words, made, day in (
        ("the same mean elements", mean, datetime(2018, 1, 21)),
        ("broadcast ephemerides", broadcast, datetime(2024, 1, 10)),
    ):
        mine = min(ours(made(), gps_seconds(day, 0.0)) for _ in range(3))
        print(
            f"| Sky of {SATELLITES} satellites, {MINUTES:,} moments, skyline, by {words}, s | {mine:.2f} | {other:.1f} (skyfield, directions alone) | "
            f"{other / mine:.0f} |"
        )


if __name__ == "__main__":
    main()
