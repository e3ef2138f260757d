"""Rules on a stream of corrections: what it lacks for a rover of any make."""

from __future__ import annotations

from collections.abc import Collection, Sequence

import numpy as np

from openstake.core.evidence import ObservableSet, StationReference
from openstake.core.judge.finding import Finding, Severity, finding, ranked

EXPECTED_CONSTELLATIONS = ("GPS", "GLONASS", "Galileo", "BeiDou")


def judge_stream(
    observables: Sequence[ObservableSet],
    message_numbers: Collection[int],
    stations: Sequence[StationReference],
    station_ids: Collection[int],
    frames: int,
    bad_crc: int,
    reserved: int = 0,
) -> list[Finding]:
    """Return what a stream's content says, worst first."""
    found = [
        *_position(stations, observables),
        *_observables(observables, message_numbers),
        *_ids(station_ids),
        *_damage(frames, bad_crc),
        *_reserved(frames, reserved),
    ]
    return list(ranked(found))


def _position(stations: Sequence[StationReference], observables: Sequence[ObservableSet]) -> list[Finding]:
    found = []
    if not stations:
        found.append(
            finding(
                "no-station-position",
                Severity.STOP,
                "No station position (1005 or 1006) in the stream: a rover cannot fix against this base.",
                "The base was not started with a coordinate, or its message set leaves the position out."
                if observables
                else "The file holds other messages only.",
                "Add 1006 every 10 s to the base's messages, and start the base with its coordinate.",
            )
        )
    for station_id in sorted({station.station_id for station in stations}):
        found += _changed([station for station in stations if station.station_id == station_id])
    if any(station.virtual for station in stations):
        found.append(
            finding(
                "virtual-station",
                Severity.NOTE,
                "The base of this stream is virtual: a position computed by a network, not a mark.",
                "The stream comes from a network solution.",
                "Do not treat vectors to this base as measured; check on control as usual.",
            )
        )
    return found


def _changed(positions: Sequence[StationReference]) -> list[Finding]:
    places = {station.xyz_m for station in positions}
    heights = [height for station in positions if (height := station.antenna_height_m) is not None]
    if len(places) < 2 and len(set(heights)) < 2:
        return []
    first = positions[0]
    moved_m = max(float(np.linalg.norm(np.subtract(place, first.xyz_m))) for place in places)
    also = "" if len(set(heights)) < 2 else f", antenna height from {heights[0]} to {heights[-1]} m"
    seen = max(len(places), len(set(heights)))
    return [
        finding(
            "station-position-changed",
            Severity.STOP,
            f"Station {first.station_id} changed its position by {moved_m:.3f} m within the stream{also}: {seen} in all.",
            "The base was restarted with another coordinate or height, or two bases share one ID.",
            "Find out which position is meant. Points from before and after the change do not belong together.",
            station_id=first.station_id,
            moved_m=round(moved_m, 4),
            positions=seen,
        )
    ]


def _observables(observables: Sequence[ObservableSet], message_numbers: Collection[int]) -> list[Finding]:
    if not observables:
        return [
            finding(
                "no-observables",
                Severity.STOP,
                "No observables in the stream: there is nothing for a rover to difference.",
                "The base sends descriptors only, or a format of one make inside other messages.",
                "Switch on MSM observables at 1 Hz at the base.",
            )
        ]
    found = []
    sent = {item.constellation for item in observables}
    if all(item.form == "legacy" for item in observables):
        found.append(
            finding(
                "legacy-only",
                Severity.LOOK,
                "All observables are legacy messages, which carry GPS and GLONASS only.",
                "An older base, or a message set chosen for an older rover.",
                "Send MSM4 or MSM5 instead if every rover reads them: more satellites, faster and safer fixes.",
            )
        )
    missing = [name for name in EXPECTED_CONSTELLATIONS if name not in sent]
    if missing:
        names = ", ".join(missing)
        found.append(
            finding(
                "constellation-missing",
                Severity.NOTE,
                f"The base sends no {names}: a rover can only use what the base sends.",
                "The base does not track them, or their messages are switched off.",
                "Switch their messages on where the base tracks them and the link carries them.",
                missing=names,
            )
        )
    if "GLONASS" in sent and 1230 not in message_numbers:
        found.append(
            finding(
                "no-glonass-biases",
                Severity.LOOK,
                "GLONASS observables come without their code-phase biases (1230).",
                "Message 1230 is switched off at the base.",
                "Send 1230 every 10 s, or a rover of another make may not fix GLONASS.",
            )
        )
    return found


def _ids(station_ids: Collection[int]) -> list[Finding]:
    if len(station_ids) < 2:
        return []
    names = ", ".join(str(station_id) for station_id in sorted(station_ids))
    return [
        finding(
            "station-ids-mixed",
            Severity.LOOK,
            f"The stream holds messages of {len(station_ids)} station IDs: {names}.",
            "Two bases share a channel, or the ID was changed during the stream.",
            "Give each base its own ID and channel.",
            stations=names,
        )
    ]


def _reserved(frames: int, reserved: int) -> list[Finding]:
    if not reserved:
        return []
    return [
        finding(
            "reserved-bits-set",
            Severity.NOTE,
            f"{reserved} of {frames} frames have reserved bits that are not zero. They were read.",
            "A newer edition of the standard, or a sender that does not keep to this one.",
            "Look whether every rover reads this base: a strict one may drop these frames.",
            reserved=reserved,
            frames=frames,
        )
    ]


def _damage(frames: int, bad_crc: int) -> list[Finding]:
    if not bad_crc:
        return []
    percent = 100.0 * bad_crc / (frames + bad_crc)
    return [
        finding(
            "damaged-frames",
            Severity.LOOK,
            f"{bad_crc} of {frames + bad_crc} frames ({percent:.1f} %) came damaged and were left out.",
            "A weak or disturbed link, a serial port that drops bytes, or a file cut and joined.",
            "Raise the antenna, look at the cable and the baud rate; check that no second base sends here.",
            bad_crc=bad_crc,
            frames=frames,
        )
    ]
