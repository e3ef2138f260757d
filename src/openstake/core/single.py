"""Single-point positions: one receiver, pseudoranges and broadcast orbits of all constellations, nothing else.  Metres off, by its nature."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from openstake.core.constants import EARTH_ROTATION_RAD_S, SPEED_OF_LIGHT_M_S
from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.core.limits import SINGLE_LARGEST_PDOP, SINGLE_LARGEST_RESIDUAL_M, SINGLE_MASK_DEG
from openstake.core.observation import CARRIER_MHZ, ObservationEpoch, Observed, clock_of
from openstake.core.sky.atmosphere import klobuchar_delay_m, troposphere_delay_m
from openstake.core.sky.broadcast import Ephemeris, KeplerOrbit, Orbit, SatelliteState, best_ephemeris
from openstake.core.sky.geometry import azimuth_elevation_deg
from openstake.core.sky.glonass import GlonassEphemeris, GlonassOrbit
from openstake.core.sky.orbits import rotated_with_earth

_FARTHEST_M = 1e9
_FEWEST = 4
Broadcast = Ephemeris | GlonassEphemeris


@dataclass(frozen=True, kw_only=True)
class _Band:
    """A signal of a pair: its codes in RINEX 3, the first that is there is taken; its frequency; and what `delay_s` takes off the clock
    of a message for a receiver that hears it alone."""

    codes: tuple[str, ...]
    hertz: float
    delay_s: Callable[[Any], float] = lambda _: 0.0


@dataclass(frozen=True, kw_only=True)
class _Pair:
    """Two signals of a constellation that are freed of the ionosphere together, by the clock of a kind of message."""

    first: _Band
    second: _Band
    messages: tuple[str, ...] = ()


def _band(letter: str, digit: str, tracking: str) -> dict[str, Any]:
    return {"codes": tuple(f"C{digit}{attribute}" for attribute in tracking), "hertz": CARRIER_MHZ[letter][digit] * 1e6}


def _pairs() -> dict[str, tuple[_Pair, ...]]:
    """Return the pairs of each constellation, the better first.

    Sources of the group delays: IS-GPS-200, 20.3.3.3.3.2; IS-QZSS-PNT, 5.8; Galileo OS SIS ICD, 5.1.5; BeiDou SIS ICD, B1I 3.0, 5.2.4.10
    (the clock is that of B3I); NavIC SIS ICD, 5.4 (from memory).
    """
    gps, quasi, galileo, navic = (CARRIER_MHZ[letter] for letter in "GJEI")

    def times(ratio: float) -> Callable[[Any], float]:
        return lambda message: float(ratio * message.group_delay_s)

    def e5b(ratio: float) -> Callable[[Any], float]:
        return lambda message: float(ratio * message.second_group_delay_s)

    e5a_ratio, e5b_ratio = ((galileo["1"] / galileo[digit]) ** 2 for digit in "57")
    return {
        "G": (
            _Pair(
                first=_Band(**_band("G", "1", "WPCXL"), delay_s=times(1.0)),
                second=_Band(**_band("G", "2", "WPXLSC"), delay_s=times((gps["1"] / gps["2"]) ** 2)),
            ),
        ),
        "J": (
            _Pair(
                first=_Band(**_band("J", "1", "CXLS"), delay_s=times(1.0)),
                second=_Band(**_band("J", "2", "XLS"), delay_s=times((quasi["1"] / quasi["2"]) ** 2)),
            ),
        ),
        "E": (
            _Pair(
                first=_Band(**_band("E", "1", "CXB"), delay_s=times(1.0)),
                second=_Band(**_band("E", "5", "XQI"), delay_s=times(e5a_ratio)),
                messages=("FNAV",),
            ),
            _Pair(
                first=_Band(**_band("E", "1", "CXB"), delay_s=e5b(1.0)),
                second=_Band(**_band("E", "7", "XQI"), delay_s=e5b(e5b_ratio)),
                messages=("INAV",),
            ),
        ),
        "C": (
            _Pair(first=_Band(**_band("C", "2", "IXQ"), delay_s=times(1.0)), second=_Band(**_band("C", "6", "IXQ"))),
            _Pair(first=_Band(**_band("C", "2", "IXQ"), delay_s=times(1.0)), second=_Band(**_band("C", "7", "IXQ"), delay_s=e5b(1.0))),
        ),
        "I": (
            _Pair(
                first=_Band(**_band("I", "5", "ABCX"), delay_s=times((navic["9"] / navic["5"]) ** 2)),
                second=_Band(**_band("I", "9", "ABCX"), delay_s=times(1.0)),
            ),
        ),
        # Both frequencies of a satellite lie in the same ratio on every channel.
        "R": (_Pair(first=_Band(**_band("R", "1", "PC")), second=_Band(**_band("R", "2", "PC"))),),
    }


_PAIRS = _pairs()
# How much coarser a constellation's code is than the others': receivers delay each channel of GLONASS by metres of its own (common practice).
_CODE_NOISE = {"R": 3.0}
_CLOCKS = tuple(letter for letter in _PAIRS if clock_of(letter) == letter)


@dataclass(frozen=True)
class Ionosphere:
    """Klobuchar's broadcast coefficients."""

    alpha: tuple[float, ...]
    beta: tuple[float, ...]


@dataclass(frozen=True, kw_only=True)
class SinglePosition:
    """One epoch's position, Earth-centred WGS 84 metres, with its satellites, geometry and receiver clock (metres).

    `biases_m` are the clocks of the other constellations' satellites less `clock_m`, by letter; `excluded` the satellites that were taken
    out, each with its residual (observed − computed, metres); `constellations` the letters of those that were used.
    """

    gps_s: float
    xyz_m: tuple[float, float, float]
    satellites: int
    two_frequencies: bool
    pdop: float
    clock_m: float
    residual_m: float  # root mean square
    biases_m: tuple[tuple[str, float], ...] = ()
    excluded: tuple[tuple[str, float], ...] = ()
    constellations: str = ""


@dataclass(frozen=True, kw_only=True)
class _Ranged:
    """A satellite with its pseudorange cleared of its own clock, and where it was when it sent.

    `ionosphere_ratio` is its ionosphere's delay in terms of that on GPS L1.
    """

    name: str
    range_m: float
    position_m: NDArray[np.float64]
    two_frequencies: bool
    ionosphere_ratio: float

    @property
    def clock(self) -> str:
        return clock_of(self.name)


def single_position(
    epoch: ObservationEpoch,
    ephemerides: Mapping[str, Sequence[Broadcast]],
    ionosphere: Ionosphere | None = None,
    mask_deg: float = SINGLE_MASK_DEG,
) -> SinglePosition | None:
    """Return the position of one epoch from its pseudoranges; None where fewer than four satellites can be used.

    Every constellation of which there are orbits is used, each with a receiver clock of its own.  Two frequencies are freed of the
    ionosphere; where too few satellites have both, all use one and the broadcast model.  Weights go with sin² of the elevation; a residual
    above 25 m is taken out, the largest first.

    Source: least squares of linearised ranges; IS-GPS-200, section 20.3.3.3.3.3 (ionosphere-free range).
    """
    seen = [_ranged(name, values, epoch.gps_s, ephemerides.get(name, ()), True) for name, values in epoch.satellites.items()]
    ranged = [item for item in seen if item is not None]
    if len(ranged) < _FEWEST + 1:
        seen = [_ranged(name, values, epoch.gps_s, ephemerides.get(name, ()), False) for name, values in epoch.satellites.items()]
        ranged = [item for item in seen if item is not None]
    excluded: tuple[tuple[str, float], ...] = ()
    while len(ranged) >= _FEWEST:
        solved = _solve(epoch.gps_s, ranged, ionosphere, mask_deg)
        if solved is None:
            return None
        position, residuals, used = solved
        worst = int(np.argmax(np.abs(residuals)))
        if abs(residuals[worst]) <= SINGLE_LARGEST_RESIDUAL_M or len(used) <= _FEWEST:
            return replace(position, excluded=excluded)
        excluded += ((used[worst].name, float(residuals[worst])),)
        ranged = [item for item in ranged if item is not used[worst]]
    return None


def _ranged(name: str, values: Mapping[str, Observed], gps_s: float, messages: Sequence[Broadcast], two: bool) -> _Ranged | None:
    """Return a satellite's range by the first pair of signals that it has whole, or where `two` is not asked for by the first of one."""
    for pair in _PAIRS.get(name[0], ()):
        usable = [item for item in messages if not pair.messages or getattr(item, "message", "") in pair.messages]
        first, second = (_heard(values, band) for band in (pair.first, pair.second))
        message = best_ephemeris(usable, gps_s) if first is not None and (second is not None or not two) else None
        if first is None or message is None:
            continue
        if two and second is not None:
            one_part, other_part = _shares(pair)
            range_m = one_part * first + other_part * second
            delay_s = one_part * pair.first.delay_s(message) + other_part * pair.second.delay_s(message)
        else:
            range_m, delay_s = first, pair.first.delay_s(message)
        sent_s = gps_s - range_m / SPEED_OF_LIGHT_M_S
        state = _state(message, sent_s - _roughly_ahead_s(message, sent_s))
        return _Ranged(
            name=name,
            range_m=range_m + SPEED_OF_LIGHT_M_S * (state.clock_s - delay_s),
            position_m=state.xyz_m,
            two_frequencies=two,
            ionosphere_ratio=(CARRIER_MHZ["G"]["1"] * 1e6 / pair.first.hertz) ** 2,
        )
    return None


def _heard(values: Mapping[str, Observed], band: _Band) -> float | None:
    return next((values[code].value for code in band.codes if code in values), None)


def _shares(pair: _Pair) -> tuple[float, float]:
    """Return what each of two ranges counts in the one that is free of the ionosphere."""
    first, second = pair.first.hertz**2, pair.second.hertz**2
    return first / (first - second), -second / (first - second)


def _roughly_ahead_s(message: Broadcast, gps_s: float) -> float:
    """Return a clock to some nanoseconds, in which a satellite moves by micrometres."""
    if isinstance(message, GlonassEphemeris):
        return message.clock_s
    return message.clock_s + message.clock_rate * (gps_s - message.clock_time_s)


def _state(message: Broadcast, gps_s: float) -> SatelliteState:
    found = _orbit_of(message).states(np.array([gps_s]))
    return SatelliteState(found.xyz_m[0], float(found.clock_s[0]))


@lru_cache(maxsize=1024)
def _orbit_of(message: Broadcast) -> Orbit:
    return GlonassOrbit([message]) if isinstance(message, GlonassEphemeris) else KeplerOrbit([message])


@dataclass(frozen=True, kw_only=True)
class _Equations:
    """The ranges of one step as equations: who is used, the clocks by letter, slopes (n, 3 + clocks), observed − computed (n,), weights'
    roots (n,)."""

    used: list[_Ranged]
    clocks: list[str]
    design: NDArray[np.float64]
    misfit: NDArray[np.float64]
    root: NDArray[np.float64]

    def change(self) -> NDArray[np.float64] | None:
        """Return what place and clocks change by, shape (3 + clocks,); None where the geometry does not tell."""
        try:
            found = np.linalg.lstsq(self.design * self.root[:, None], self.misfit * self.root, rcond=None)[0]
        except np.linalg.LinAlgError:
            return None
        return np.asarray(found) if np.isfinite(found).all() and float(np.abs(found).max()) < _FARTHEST_M else None

    def pdop(self) -> float | None:
        try:
            pdop = float(np.sqrt(np.trace(np.linalg.inv(self.design.T @ self.design)[:3, :3])))
        except np.linalg.LinAlgError:
            return None
        return pdop if pdop < SINGLE_LARGEST_PDOP else None


def _solve(
    gps_s: float, ranged: Sequence[_Ranged], ionosphere: Ionosphere | None, mask_deg: float
) -> tuple[SinglePosition, NDArray[np.float64], list[_Ranged]] | None:
    """Return the position, its residuals and the satellites used; None where it does not settle."""
    here, clocks_m = np.zeros(3), dict.fromkeys((item.clock for item in ranged), 0.0)
    for step in range(12):
        rough = step < 3  # from the centre of the Earth: no mask and no atmosphere until the place is known
        found = _equations(gps_s, ranged, ionosphere, mask_deg, here, clocks_m, rough)
        moved = found.change() if found is not None else None
        if found is None or moved is None:
            return None
        equations, change = found, moved
        here = here + change[:3]
        for clock, by_m in zip(equations.clocks, change[3:], strict=True):
            clocks_m[clock] += float(by_m)
        if not rough and float(np.linalg.norm(change[:3])) < 1e-4:
            break
    residuals = equations.misfit - equations.design @ change
    pdop = equations.pdop()
    if pdop is None:
        return None
    x, y, z = (float(value) for value in here)
    first, *others = equations.clocks
    position = SinglePosition(
        gps_s=gps_s,
        xyz_m=(x, y, z),
        satellites=len(equations.used),
        two_frequencies=all(item.two_frequencies for item in equations.used),
        pdop=pdop,
        clock_m=clocks_m[first],
        residual_m=float(np.sqrt(np.mean(residuals**2))),
        biases_m=tuple((letter, clocks_m[letter] - clocks_m[first]) for letter in others),
        constellations="".join(sorted({item.name[0] for item in equations.used})),
    )
    return position, residuals, equations.used


def _equations(
    gps_s: float,
    ranged: Sequence[_Ranged],
    ionosphere: Ionosphere | None,
    mask_deg: float,
    here: NDArray[np.float64],
    clocks_m: Mapping[str, float],
    rough: bool,
) -> _Equations | None:
    """Return the equations about a place; None where too few satellites stand above the mask."""
    ranges_m, delays_m = np.array([item.range_m for item in ranged]), np.zeros(len(ranged))
    clock_m = np.array([clocks_m[item.clock] for item in ranged])
    satellites = rotated_with_earth(
        np.array([item.position_m for item in ranged]), EARTH_ROTATION_RAD_S * (ranges_m - clock_m) / SPEED_OF_LIGHT_M_S
    )
    away = here - satellites
    lengths_m = np.maximum(np.linalg.norm(away, axis=1), 1.0)
    roots = np.array([_CODE_NOISE.get(item.clock, 1.0) for item in ranged]) ** -1.0
    if rough:
        kept = list(range(len(ranged)))
    else:
        seen = azimuth_elevation_deg(satellites, here)
        kept = [n for n, (_, elevation_deg) in enumerate(seen) if elevation_deg >= mask_deg]
        latitude, longitude, height = (float(value) for value in geodetic_from_ecef(here))
        place = (latitude, longitude, height)
        delays_m[kept] = [_atmosphere_m(ranged[n], place, float(seen[n, 0]), float(seen[n, 1]), ionosphere, gps_s) for n in kept]
        roots = roots * np.sin(np.radians(np.maximum(seen[:, 1], 0.0)))
    used = [ranged[n] for n in kept]
    clocks = list(dict.fromkeys(item.clock for item in sorted(used, key=lambda item: _CLOCKS.index(item.clock))))
    if len(used) < 3 + len(clocks):
        return None
    columns = np.array([[float(item.clock == clock) for clock in clocks] for item in used])
    return _Equations(
        used=used,
        clocks=clocks,
        design=np.hstack([(away / lengths_m[:, None])[kept], columns]),
        misfit=(ranges_m - (lengths_m + clock_m + delays_m))[kept],
        root=roots[kept],
    )


def _atmosphere_m(
    item: _Ranged, place: tuple[float, float, float], azimuth_deg: float, elevation_deg: float, ionosphere: Ionosphere | None, gps_s: float
) -> float:
    """Return what the atmosphere adds to a range at a place (latitude, longitude, ellipsoidal height), metres."""
    latitude, longitude, height = place
    delay_m = troposphere_delay_m(latitude, height, elevation_deg)
    if item.two_frequencies or ionosphere is None:
        return delay_m
    l1_m = klobuchar_delay_m(ionosphere.alpha, ionosphere.beta, latitude, longitude, azimuth_deg, elevation_deg, gps_s)
    return delay_m + item.ionosphere_ratio * l1_m
