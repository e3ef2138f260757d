"""Rules on the base: what is on the air against what was meant."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from openstake.core.evidence import StationReference
from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.core.geodesy.local import enu_from_ecef_difference
from openstake.core.judge.finding import Finding, Severity, finding
from openstake.core.units import text_from_metres

# 1005/1006 count tenths of a millimetre; what is typed has millimetres: more than 2 mm apart is another number.
AGREES_WITHIN_M = 0.002
LARGEST_GGA_STATION_ID = 1023


@dataclass(frozen=True)
class OnAir:
    """On the air − meant at the base, metres: east, north, up of the ARP."""

    east_m: float
    north_m: float
    up_m: float

    @property
    def agrees(self) -> bool:
        return max(abs(self.east_m), abs(self.north_m), abs(self.up_m)) <= AGREES_WITHIN_M


def on_air_difference(meant_arp_m: tuple[float, float, float], station: StationReference) -> OnAir:
    """Return on the air − meant in east, north and up at the meant ARP, metres."""
    latitude, longitude, _ = geodetic_from_ecef(meant_arp_m)
    east, north, up = enu_from_ecef_difference(
        np.subtract(station.xyz_m, meant_arp_m), float(latitude), float(longitude)
    )
    return OnAir(float(east), float(north), float(up))


def judge_base(
    meant_arp_m: tuple[float, float, float],
    meant_arp_height_m: float,
    meant_station_id: int,
    station: StationReference | None,
    autonomous: bool,
    unit: str = "m",
) -> list[Finding]:
    """Return what the decoded station message says against what was meant; None: it is not heard."""
    found = []
    if autonomous:
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
    difference = on_air_difference(meant_arp_m, station)
    if not difference.agrees:
        found.append(_disagrees(difference, meant_arp_height_m, station, unit))
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


def _disagrees(difference: OnAir, arp_height_m: float, station: StationReference, unit: str) -> Finding:
    east, north, up = difference.east_m, difference.north_m, difference.up_m
    flat_m = float(np.hypot(east, north))
    if flat_m <= AGREES_WITHIN_M and abs(up + arp_height_m) <= 0.01:
        cause = "The mark's height was sent as the ARP: the antenna height was left out at the receiver."
    elif flat_m <= AGREES_WITHIN_M:
        cause = f"Another antenna height is in the receiver: {text_from_metres(arp_height_m + up, unit)} would fit what it sends."
    elif flat_m < 30.0:
        cause = "The receiver broadcasts another coordinate: an autonomous one, or one it remembers from before."
    else:
        cause = "The receiver broadcasts the coordinate of another mark, or one in another frame or unit."
    return finding(
        "base-position-disagrees",
        Severity.STOP,
        f"Station {station.station_id} sends an ARP that is {text_from_metres(abs(up), unit)} {'above' if up >= 0 else 'below'} and "
        f"{text_from_metres(flat_m, unit)} beside the one that is meant.",
        cause,
        "Stop the base, type coordinate and height from this page into the receiver, and start it again.",
        east_m=round(east, 4),
        north_m=round(north, 4),
        up_m=round(up, 4),
    )
