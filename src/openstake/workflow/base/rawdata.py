"""Raw data of others and our own: single-point positions out of RINEX, RINEX out of a base's stream."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta
from pathlib import Path

import numpy as np

from openstake.core.errors import FileError
from openstake.core.evidence import Epoch, StationReference
from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.core.geodesy.local import enu_from_ecef_difference
from openstake.core.judge.sky import judge_elements, judge_excluded
from openstake.core.observation import CONSTELLATION_NAMES, ObservationEpoch
from openstake.core.single import Broadcast, Ionosphere, SinglePosition, single_position
from openstake.core.time_scales import GPS_START, gps_from_unix_s, utc_of_gps
from openstake.wire.nmea.write import Fix, gga, rmc
from openstake.wire.rinex.from_msm import MsmEpochs
from openstake.wire.rinex.navigation import read_navigation
from openstake.wire.rinex.observations import read_observations
from openstake.wire.rinex.write import RinexHeader, write_observations
from openstake.wire.rtcm3.frame import FrameReader
from openstake.wire.rtcm3.station import Descriptor, decode_descriptor, decode_reference
from openstake.workflow.captures import OccupationRead, lines_of, occupation_view, pieces


@dataclass(frozen=True, kw_only=True)
class PositionRead:
    """A single-point position, degrees and ellipsoidal metres."""

    gps_s: float
    latitude_deg: float
    longitude_deg: float
    height_m: float
    satellites: int
    pdop: float
    residual_m: float


@dataclass(frozen=True)
class OffsetRead:
    """How far something lies from something else, metres."""

    east_m: float
    north_m: float
    up_m: float


@dataclass(frozen=True, kw_only=True)
class SinglePositions(OccupationRead):
    """The single-point positions of a RINEX file and their average; `epochs` are those of the file, `constellations` those used."""

    marker: str
    constellations: str
    two_frequencies: bool
    positions: list[PositionRead]
    from_header_m: OffsetRead | None


@dataclass(frozen=True, kw_only=True)
class RinexWritten:
    """What a RINEX file of ours holds."""

    epochs: int
    first: str
    last: str
    satellites: int
    without_phase: list[str]
    unknown_signals: list[str]


def single_positions(observations: Path, navigation: Path) -> tuple[SinglePositions, list[Epoch]]:
    """Return the single-point positions of a RINEX file and their average, and the positions as epochs of a receiver."""
    observed = read_observations(lines_of(observations), str(observations))
    orbits = read_navigation(lines_of(navigation), str(navigation))
    ionosphere = Ionosphere(orbits.alpha, orbits.beta) if orbits.alpha and orbits.beta else None
    messages: dict[str, Sequence[Broadcast]] = {**orbits.ephemerides, **orbits.glonass}
    positions: list[SinglePosition] = []
    count, first_s = 0, 0.0
    for epoch in observed.epochs:
        count, first_s = count + 1, first_s or epoch.gps_s
        position = single_position(epoch, messages, ionosphere)
        if position is not None:
            positions.append(position)
    if not positions:
        raise FileError(
            f"No epoch of {observations} could be solved: the orbits of {navigation} hold for "
            f"{_span(messages)}, the observations begin at {_date(first_s)}."
        )
    epochs = [_as_epoch(position) for position in positions]
    view = occupation_view(epochs, [])
    excluded: dict[str, list[float]] = {}
    for name, residual_m in (item for position in positions for item in position.excluded):
        excluded.setdefault(name, []).append(residual_m)
    of_sky = [*judge_elements(orbits.impossible, orbits.leap_seconds, orbits.leap_seconds_then), *judge_excluded(excluded, len(positions))]
    average = replace(view, epochs=count, findings=[*view.findings, *of_sky])
    used = {letter for position in positions for letter in position.constellations}
    result = SinglePositions(
        **vars(average),
        marker=observed.marker,
        constellations=", ".join(name for letter, name in CONSTELLATION_NAMES.items() if letter in used),
        two_frequencies=all(position.two_frequencies for position in positions),
        positions=[_position_view(position) for position in positions],
        from_header_m=_from_header(observed.approximate_xyz_m, positions),
    )
    return result, epochs


def _date(gps_s: float) -> str:
    return f"{GPS_START + timedelta(seconds=gps_s):%Y-%m-%d %H:%M}"


def _span(messages: Mapping[str, Sequence[Broadcast]]) -> str:
    times = [item.orbit_time_s for listed in messages.values() for item in listed]
    return f"{_date(min(times))} to {_date(max(times))}"


def _as_epoch(position: SinglePosition) -> Epoch:
    latitude, longitude, height = (float(value) for value in geodetic_from_ecef(position.xyz_m))
    moment = utc_of_gps(position.gps_s)
    return Epoch(
        time_of_day_s=(moment - moment.replace(hour=0, minute=0, second=0, microsecond=0)).total_seconds(),
        date=moment.date(),
        quality=1,
        latitude_text="",
        longitude_text="",
        latitude_deg=latitude,
        longitude_deg=longitude,
        altitude_m=height,
        separation_m=0.0,
        satellites=position.satellites,
        hdop=None,
        age_s=None,
        station_id=None,
        pdop=position.pdop,
    )


def _position_view(position: SinglePosition) -> PositionRead:
    latitude, longitude, height = (float(value) for value in geodetic_from_ecef(position.xyz_m))
    return PositionRead(
        gps_s=position.gps_s,
        latitude_deg=latitude,
        longitude_deg=longitude,
        height_m=height,
        satellites=position.satellites,
        pdop=position.pdop,
        residual_m=position.residual_m,
    )


def _from_header(header_m: tuple[float, float, float] | None, positions: list[SinglePosition]) -> OffsetRead | None:
    """Return how far the mean lies from the header's approximate position, east, north, up in metres."""
    if header_m is None:
        return None
    latitude, longitude, _ = geodetic_from_ecef(header_m)
    mean = np.mean([np.subtract(position.xyz_m, header_m) for position in positions], axis=0)
    east, north, up = enu_from_ecef_difference(mean, float(latitude), float(longitude))
    return OffsetRead(float(east), float(north), float(up))


def as_nmea(epochs: Iterable[Epoch]) -> bytes:
    """Return epochs as GGA and RMC, so that a log of positions can be looked at like any other."""
    parts = []
    for epoch in epochs:
        day = datetime.combine(epoch.date or date(1970, 1, 1), datetime.min.time())
        fix = Fix(
            moment=day + timedelta(seconds=epoch.time_of_day_s or 0.0),
            quality=1,
            latitude_deg=epoch.latitude_deg,
            longitude_deg=epoch.longitude_deg,
            altitude_m=epoch.altitude_m,
            separation_m=epoch.separation_m,
            satellites=epoch.satellites or 0,
            hdop=None,
            age_s=None,
            station_id=None,
            sigma_east_m=None,
            sigma_north_m=None,
            sigma_up_m=None,
        )
        parts.append(gga(fix) + rmc(fix))
    return b"".join(parts)


class StreamToRinex:
    """A base's bytes to a RINEX file: observations, and what the stream says of position, antenna and receiver."""

    def __init__(self, near_unix_s: float, interval_s: float) -> None:
        self.epochs = MsmEpochs(near_gps_s=gps_from_unix_s(near_unix_s), interval_s=interval_s)
        self.kept: list[ObservationEpoch] = []
        self.station: StationReference | None = None
        self.descriptor: Descriptor | None = None
        self._reader = FrameReader()

    def feed(self, content: Iterable[bytes]) -> None:
        for piece in content:
            frames = list(self._reader.feed(piece))
            for frame in frames:
                try:
                    if frame.number in (1005, 1006):
                        self.station = decode_reference(frame.payload)
                    elif frame.number in (1007, 1008, 1033):
                        self.descriptor = _fuller(self.descriptor, decode_descriptor(frame.payload))
                except ValueError:
                    continue
            self.kept += self.epochs.feed(frames)

    def close(self, header: RinexHeader) -> str:
        """Return the file; FileError where the stream held no observations."""
        self.kept += self.epochs.feed(self._reader.close())
        self.kept += self.epochs.close()
        if self.descriptor is not None:
            said = self.descriptor
            header = replace(
                header,
                receiver=said.receiver or "",
                receiver_serial=said.receiver_serial or "",
                firmware=said.firmware or "",
                antenna=said.antenna,
                antenna_serial=said.antenna_serial or "",
            )
        notes = list(header.comments)
        if self.epochs.without_phase:
            names = " ".join(sorted(self.epochs.without_phase))
            notes.append(f"No phase for {names}: no message said their frequency channel.")
        header = replace(header, glonass_channels=dict(self.epochs.channels), comments=tuple(notes))
        try:
            return write_observations(header, self.kept)
        except ValueError:
            raise FileError("The stream holds no MSM observations in this stretch, so there is no RINEX file to write.") from None


def _fuller(known: Descriptor | None, fresh: Descriptor) -> Descriptor:
    """Return the descriptor that says more: a 1033 names the receiver, a 1007 does not."""
    return fresh if known is None or fresh.receiver or not known.receiver else known


def capture_to_rinex(path: Path, near_unix_s: float, interval_s: float, marker: str) -> tuple[str, RinexWritten]:
    """Return a capture of corrections as RINEX 3, and what is in it."""
    maker = StreamToRinex(near_unix_s, interval_s)
    maker.feed(pieces(path))
    place = maker.station.xyz_m if maker.station else (0.0, 0.0, 0.0)
    text = maker.close(RinexHeader(marker=marker, approximate_xyz_m=place, antenna_height_m=0.0, made_unix_s=near_unix_s))
    return text, summary(maker)


def summary(maker: StreamToRinex) -> RinexWritten:
    """Return what a RINEX file of ours holds."""
    return RinexWritten(
        epochs=len(maker.kept),
        first=_date(maker.kept[0].gps_s),
        last=_date(maker.kept[-1].gps_s),
        satellites=len({name for epoch in maker.kept for name in epoch.satellites}),
        without_phase=sorted(maker.epochs.without_phase),
        unknown_signals=sorted(maker.epochs.unknown_signals),
    )
