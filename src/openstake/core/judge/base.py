"""Rules on the base: what is on the air against what was meant."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from openstake.core.evidence import StationReference
from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.core.geodesy.local import enu_from_ecef_difference
from openstake.core.geodesy.slips import Slip, fitting
from openstake.core.judge.finding import Finding, Severity, finding
from openstake.core.limits import AUTONOMOUS_WITHIN_M, LARGEST_GGA_STATION_ID, MARK_FITS_M, OFFSET_FITS_M, ON_AIR_AGREES_M, TALLEST_SET_UP_M
from openstake.core.units import METRES_PER_UNIT, text_from_metres
from openstake.core.vector import raised_along_normal


@dataclass(frozen=True)
class OnAir:
    """On the air − meant at the base, metres: east, north, up of the ARP."""

    east_m: float
    north_m: float
    up_m: float

    @property
    def agrees(self) -> bool:
        return max(abs(self.east_m), abs(self.north_m), abs(self.up_m)) <= ON_AIR_AGREES_M


def on_air_difference(meant_arp_m: tuple[float, float, float], station: StationReference) -> OnAir:
    """Return on the air − meant in east, north and up at the meant ARP, metres."""
    latitude, longitude, _ = geodetic_from_ecef(meant_arp_m)
    east, north, up = enu_from_ecef_difference(np.subtract(station.xyz_m, meant_arp_m), float(latitude), float(longitude))
    return OnAir(float(east), float(north), float(up))


@dataclass(frozen=True)
class OtherMark:
    """Another mark of the job: its name and Earth-centred place, metres."""

    name: str
    xyz_m: tuple[float, float, float]


@dataclass(frozen=True, kw_only=True)
class MeantBase:
    """What the base is meant to send, and what else it might be sending.

    `autonomous`: the coordinate that is meant is an autonomous one.  `slips` are where slips of the hand would put the
    mark.  Metres.
    """

    arp_m: tuple[float, float, float]
    arp_height_m: float
    station_id: int
    autonomous: bool = False
    phase_centre_up_m: float | None = None
    other_marks: Sequence[OtherMark] = ()
    slips: Sequence[Slip] = ()
    unit: str = "m"


def judge_base(base: MeantBase, station: StationReference | None) -> list[Finding]:
    """Return what the decoded station message says against what was meant; None: it is not heard."""
    meant_station_id = base.station_id
    found = []
    if base.autonomous:
        found.append(
            finding(
                "base-autonomous",
                Severity.LOOK,
                "The base's coordinate is an autonomous average: expect the whole site to be off by up to about 5 m.",
                "Averaging lowers the noise and leaves the bias.",
                "Good for relative work only. Check a known mark and re-seat the base before staking anything.",
            )
        )
    if station is None:
        found.append(
            finding(
                "base-not-heard",
                Severity.LOOK,
                "The base's station message has not been heard: what is on the air is unchecked.",
                "The stream is not connected here (a radio rover hears NMEA alone), or 1006 is not sent.",
                "Give the address of the base's stream, or wait 10 s for the next station message.",
            )
        )
        return found
    if station.virtual:
        found.append(
            finding(
                "virtual-station",
                Severity.LOOK,
                f"Station {station.station_id} on the air is virtual: it is not this base.",
                "The address is a network's mountpoint.",
                "Listen to the base's own mountpoint.",
            )
        )
    difference = on_air_difference(base.arp_m, station)
    if not difference.agrees:
        found.append(_disagrees(difference, base, station))
    if station.station_id != meant_station_id:
        found.append(
            finding(
                "station-id-disagrees",
                Severity.LOOK,
                f"The base on the air is station {station.station_id}; station {meant_station_id} is meant.",
                "The ID was typed differently in the receiver, or this is somebody else's stream.",
                "Look at mountpoint and ID; the position decides whether it is this base.",
                heard=station.station_id,
                meant=meant_station_id,
            )
        )
    if not station.antenna_height_m:
        found.append(
            finding(
                "base-height-not-stated",
                Severity.NOTE,
                "The antenna height on the air is not stated (1005, or a 1006 with 0).",
                "Many bases send the ARP alone.",
                "Nothing to do: the ARP coordinate decides, and it is compared.",
            )
        )
    elif difference.agrees and abs(station.antenna_height_m - base.arp_height_m) > ON_AIR_AGREES_M:
        found.append(
            finding(
                "base-height-field-differs",
                Severity.NOTE,
                f"The antenna height on the air is {text_from_metres(station.antenna_height_m, base.unit)}; "
                f"{text_from_metres(base.arp_height_m, base.unit)} is meant, and yet the ARP agrees.",
                "Mark and height were typed differently and add up alike, or the receiver counts from another feature.",
                "The ARP decides. Look at what was typed before the height is used for anything else.",
            )
        )
    if meant_station_id > LARGEST_GGA_STATION_ID:
        found.append(
            finding(
                "station-id-hidden",
                Severity.NOTE,
                f"Station ID {meant_station_id} does not fit the rover's GGA, which shows 0 to {LARGEST_GGA_STATION_ID}.",
                "RTCM allows 4095.",
                "Use a smaller ID, so that the rover can show which base it hears.",
            )
        )
    return found


def _disagrees(difference: OnAir, base: MeantBase, station: StationReference) -> Finding:
    east, north, up = difference.east_m, difference.north_m, difference.up_m
    flat_m = float(np.hypot(east, north))
    return finding(
        "base-position-disagrees",
        Severity.STOP,
        f"Station {station.station_id} sends an ARP that is {text_from_metres(abs(up), base.unit)} {'above' if up >= 0 else 'below'} and "
        f"{text_from_metres(flat_m, base.unit)} beside the one that is meant.",
        _cause(difference, base, np.array(station.xyz_m)),
        "Stop the base, type coordinate and height from this page into the receiver, and start it again.",
        east_m=round(east, 4),
        north_m=round(north, 4),
        up_m=round(up, 4),
    )


_FOOT_M = METRES_PER_UNIT["ft"]


def _cause(difference: OnAir, base: MeantBase, sent_m: NDArray[np.float64]) -> str:
    """Return the likely cause of a difference: the most particular that fits."""
    up, flat_m = difference.up_m, float(np.hypot(difference.east_m, difference.north_m))
    over_the_mark = flat_m <= ON_AIR_AGREES_M
    found = (
        (_height_cause(up, base) if over_the_mark else None)
        or _mark_cause(base, sent_m)
        or _slip_cause(base, sent_m)
        or (_unit_cause(up, base) if over_the_mark else None)
    )
    if found is not None:
        return found
    if flat_m < AUTONOMOUS_WITHIN_M:
        return "The receiver broadcasts another coordinate: an autonomous one, or one it remembers from before."
    return "The receiver broadcasts the coordinate of another mark, or one in another frame or unit."


def _height_cause(up_m: float, base: MeantBase) -> str | None:
    """Return why only the height is off: left out, added twice, or counted to the phase centre."""
    height, above = base.arp_height_m, base.phase_centre_up_m
    if abs(up_m + height) <= OFFSET_FITS_M:
        return "The mark's height was sent as the ARP: the antenna height was left out at the receiver."
    if abs(up_m - height) <= OFFSET_FITS_M:
        return "The antenna height was added twice: the ARP was typed as the mark's coordinate."
    if above is not None and abs(up_m - above) <= ON_AIR_AGREES_M * 2:
        return f"The phase centre was sent in place of the ARP: it lies {text_from_metres(above, base.unit)} above it."
    return None


def _mark_cause(base: MeantBase, sent_m: NDArray[np.float64]) -> str | None:
    """Return which other mark's coordinate is sent."""
    for mark in base.other_marks:
        if (above_mark := _above(mark, sent_m)) is not None:
            usual = min(abs(above_mark), abs(above_mark - base.arp_height_m)) <= MARK_FITS_M
            stands = "" if usual else f", with an ARP {text_from_metres(above_mark, base.unit)} above it"
            return f"The coordinate of {mark.name} is in the receiver{stands}."
    return None


def _slip_cause(base: MeantBase, sent_m: NDArray[np.float64]) -> str | None:
    slip = _slip(base, sent_m)
    return None if slip is None else f"What was typed into the receiver fits if {slip.words}."


def _unit_cause(up_m: float, base: MeantBase) -> str:
    """Return which other antenna height is sent, in another unit where that fits."""
    height = base.arp_height_m
    sent = f"{text_from_metres(height + up_m, base.unit)} would fit what it sends"
    for words, factor in (("feet were taken as metres", 1.0 / _FOOT_M), ("metres were taken as feet", _FOOT_M)):
        if abs(height + up_m - height * factor) <= OFFSET_FITS_M:
            return f"The antenna height's {words}: {sent}."
    return f"Another antenna height is in the receiver: {sent}."


def _above(mark: OtherMark, sent_m: NDArray[np.float64]) -> float | None:
    """Return how far a place lies above a mark, metres; None where it does not stand over it as an antenna would."""
    latitude, longitude, _ = geodetic_from_ecef(mark.xyz_m)
    east, north, up = enu_from_ecef_difference(sent_m - np.array(mark.xyz_m), float(latitude), float(longitude))
    stands = np.hypot(east, north) <= MARK_FITS_M and -MARK_FITS_M <= up <= TALLEST_SET_UP_M
    return float(up) if stands else None


def _slip(base: MeantBase, sent_m: NDArray[np.float64]) -> Slip | None:
    """Return the slip that explains what is sent; slips move the mark, the ARP stands above it."""
    lowered = raised_along_normal(sent_m, -base.arp_height_m)
    return fitting(iter(base.slips), lowered)
