"""Captures from elsewhere: an RTCM 3 file or an NMEA log, read piece by piece in flat memory."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

from openstake.core.errors import FileError, InputError
from openstake.core.evidence import Epoch, StationReference, Status
from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.core.judge.average import judge_average
from openstake.core.judge.finding import Finding
from openstake.core.judge.log import judge_log
from openstake.core.judge.stream import judge_stream
from openstake.core.occupation import NoiseOfMean, average_of_epochs
from openstake.core.units import counted
from openstake.wire.nmea.epoch import EpochReader
from openstake.wire.nmea.summary import LogSummary
from openstake.wire.rtcm3.frame import FrameReader
from openstake.wire.rtcm3.summary import StreamSummary
from openstake.wire.textlines import lines_in

_PIECE_BYTES = 1 << 16
# A capture without one whole frame or sentence in this much is none: reading on would only cost time.
_PATIENCE_BYTES = 4 << 20


@dataclass(frozen=True, kw_only=True)
class MessageRead:
    """One message number of a capture."""

    number: int
    count: int
    bytes: int
    mean_interval_s: float | None


@dataclass(frozen=True, kw_only=True)
class StationRead:
    """A base position of a capture: the ARP, Earth-centred, and in degrees and ellipsoidal height where it has them."""

    station_id: int
    x_m: float
    y_m: float
    z_m: float
    antenna_height_m: float | None
    latitude_deg: float | None
    longitude_deg: float | None
    height_m: float | None


@dataclass(frozen=True, kw_only=True)
class ObservablesRead:
    """How much one message of observables held at most."""

    constellation: str
    form: str
    satellites: int
    cells: int


@dataclass(frozen=True, kw_only=True)
class StreamRead:
    """What an RTCM 3 capture holds, and what it lacks."""

    frames: int
    bad_crc: int
    skipped_bytes: int
    messages: list[MessageRead]
    stations: list[StationRead]
    observables: list[ObservablesRead]
    findings: list[Finding]


@dataclass(frozen=True, kw_only=True)
class OccupationRead(NoiseOfMean):
    """The average of a log of positions and what it is worth; metres."""

    epochs: int
    used: int
    span_s: float
    latitude_deg: float
    longitude_deg: float
    height_m: float
    effective_n: float
    status: Status
    expected_accuracy_m: float
    spread_east_m: float
    spread_north_m: float
    spread_up_m: float
    correlation_s: float
    findings: list[Finding]


@dataclass(frozen=True, kw_only=True)
class FixedRead:
    """The mean of the fixed epochs of a log, with the scatter of one of them."""

    latitude_deg: float | None = None
    longitude_deg: float | None = None
    height_m: float | None = None
    sigma_east_m: float | None = None
    sigma_north_m: float | None = None
    sigma_up_m: float | None = None
    count: int = 0


@dataclass(frozen=True)
class AgeRead:
    """The age of corrections in a log, seconds."""

    median: float | None
    max: float | None


@dataclass(frozen=True)
class SatellitesRead:
    """The satellites used in a log."""

    min: float | None
    median: float | None


@dataclass(frozen=True)
class GapRead:
    """A stretch without epochs, by the log's own times."""

    start: str
    end: str


@dataclass(frozen=True, kw_only=True)
class LogRead:
    """What an NMEA log holds."""

    epochs: int
    by_status: dict[str, int]
    first: str | None
    last: str | None
    fixed: FixedRead
    age_s: AgeRead
    satellites: SatellitesRead
    gaps: list[GapRead]
    bad_checksum: int
    findings: list[Finding]


def beginning_of(path: Path, most_bytes: int) -> bytes:
    """Return a file, or of a larger one a byte more than its reader takes, which then refuses it; FileError where it cannot be read."""
    try:
        with path.open("rb") as file:
            return file.read(most_bytes + 1)
    except OSError as error:
        raise FileError(f"{path} cannot be read: {error.strerror or error}.") from None


def pieces(path: Path) -> Iterator[bytes]:
    """Yield a file in pieces; FileError where it cannot be opened or is empty."""
    try:
        if path.is_dir():
            raise FileError(f"{path} is a folder. Name a file.")
        with path.open("rb") as file:
            piece = file.read(_PIECE_BYTES)
            if not piece:
                raise FileError(f"{path} is empty.")
            while piece:
                yield piece
                piece = file.read(_PIECE_BYTES)
    except OSError as error:
        raise FileError(f"{path} cannot be read: {error.strerror or error}.") from None


def read_stream(path: Path) -> StreamRead:
    """Return what an RTCM 3 capture holds; FileError where it has no valid frame."""
    reader, summary = FrameReader(), StreamSummary()
    read_bytes = 0
    for piece in pieces(path):
        read_bytes += len(piece)
        for frame in reader.feed(piece):
            summary.add(frame)
        if not reader.frames and read_bytes >= _PATIENCE_BYTES:
            break
    for frame in reader.close():
        summary.add(frame)
    if not reader.frames:
        raise FileError(f"{path} holds no valid RTCM 3 frame in its first {read_bytes} bytes. Is it a raw capture of corrections?")
    observables = list(summary.observables.values())
    findings = judge_stream(
        observables, summary.messages, summary.stations, summary.station_ids, reader.frames, reader.bad_crc, reader.reserved
    )
    return StreamRead(
        frames=reader.frames,
        bad_crc=reader.bad_crc,
        skipped_bytes=reader.skipped_bytes,
        messages=messages_read(summary),
        stations=[station_read(station) for station in summary.stations],
        observables=[
            ObservablesRead(constellation=row.constellation, form=row.form, satellites=row.satellites, cells=row.cells)
            for row in observables
        ],
        findings=findings,
    )


def messages_read(summary: StreamSummary) -> list[MessageRead]:
    """Return the message numbers of a stream in order."""
    return [
        MessageRead(number=row.number, count=row.count, bytes=row.bytes, mean_interval_s=row.mean_interval_s)
        for _, row in sorted(summary.messages.items())
    ]


def station_read(station: StationReference) -> StationRead:
    """Return a station as it is read out."""
    latitude, longitude, height = (float(value) for value in geodetic_from_ecef(station.xyz_m))
    known = latitude == latitude  # a station at the centre of the Earth has no latitude
    return StationRead(
        station_id=station.station_id,
        x_m=station.x_m,
        y_m=station.y_m,
        z_m=station.z_m,
        antenna_height_m=station.antenna_height_m,
        latitude_deg=latitude if known else None,
        longitude_deg=longitude if known else None,
        height_m=height if known else None,
    )


def read_occupation(path: Path) -> OccupationRead:
    """Return the average of a log of positions and what it is worth; FileError where it has none."""
    epochs, said = epochs_of_log(path)
    return occupation_view(epochs, said)


def epochs_of_log(path: Path) -> tuple[list[Epoch], list[Finding]]:
    """Return the epochs of an NMEA log in order, and what is wrong with the log itself."""
    epochs: list[Epoch] = []
    summary, reader = _read_epochs(pieces(path), str(path), epochs.append)
    without_separation = sum(epoch.status is not Status.NONE and epoch.height_m is None for epoch in epochs)
    return epochs, log_findings(summary, reader, without_separation)


def epochs_of_content(content: bytes, name: str) -> list[Epoch]:
    """Return the epochs of an NMEA log that was sent."""
    epochs: list[Epoch] = []
    _read_epochs(iter((content,)), name, epochs.append)
    return epochs


def occupation_view(epochs: list[Epoch], said: list[Finding]) -> OccupationRead:
    """Return the average of epochs as the terminal shows it."""
    try:
        average = average_of_epochs(epochs)
    except InputError as error:
        raise FileError(error.sentence) from None
    latitude, longitude, height = (float(value) for value in geodetic_from_ecef(average.xyz_m))
    findings = judge_average(average) + [item for item in said if item.code != "no-fixed-epochs"]
    return OccupationRead(
        epochs=average.epochs,
        used=average.used,
        span_s=average.span_s,
        latitude_deg=latitude,
        longitude_deg=longitude,
        height_m=height,
        **vars(average.noise),
        effective_n=average.effective_n,
        status=average.lowest_status,
        expected_accuracy_m=average.accuracy_95_m,
        spread_east_m=average.east.spread,
        spread_north_m=average.north.spread,
        spread_up_m=average.up.spread,
        correlation_s=average.correlation_s,
        findings=findings,
    )


def read_log(path: Path) -> LogRead:
    """Return what an NMEA log holds; FileError where it has no GGA epoch."""
    without_separation = 0

    def take(epoch: Epoch) -> None:
        nonlocal without_separation
        without_separation += epoch.status is not Status.NONE and epoch.height_m is None

    summary, reader = _read_epochs(pieces(path), str(path), take)
    gaps, fixed = summary.gaps(), summary.fixed
    age_median, age_max = summary.age_median_max_s
    satellites_min, satellites_median = summary.satellites_min_median
    findings = log_findings(summary, reader, without_separation)
    mean = FixedRead()
    if fixed is not None:
        mean = FixedRead(
            latitude_deg=fixed.latitude_deg,
            longitude_deg=fixed.longitude_deg,
            height_m=fixed.height_m,
            sigma_east_m=fixed.sigma_east_m,
            sigma_north_m=fixed.sigma_north_m,
            sigma_up_m=fixed.sigma_up_m,
            count=fixed.count,
        )
    return LogRead(
        epochs=summary.epochs,
        by_status=dict(summary.by_status),
        first=summary.first,
        last=summary.last,
        fixed=mean,
        age_s=AgeRead(age_median, age_max),
        satellites=SatellitesRead(satellites_min, satellites_median),
        gaps=[GapRead(gap.start, gap.end) for gap in gaps],
        bad_checksum=reader.bad_checksum,
        findings=findings,
    )


def _read_epochs(content: Iterator[bytes], name: str, take: Callable[[Epoch], None]) -> tuple[LogSummary, EpochReader]:
    """Read a log piece by piece, handing each epoch over; FileError where it has no GGA epoch."""
    reader, summary = EpochReader(), LogSummary()
    read_bytes = 0

    def each(epochs: Iterator[Epoch]) -> None:
        for epoch in epochs:
            summary.add(epoch)
            take(epoch)

    for piece in content:
        read_bytes += len(piece)
        each(reader.feed(piece))
        if not reader.sentences and read_bytes >= _PATIENCE_BYTES:
            break
    each(reader.close())
    if not summary.epochs:
        raise FileError(
            f"{name} holds no position sentence (GGA or GNS) that can be read: {counted(reader.sentences, 'sentence')} with a good checksum, "
            f"{reader.unreadable} of them with values that cannot be; {reader.bad_checksum} with a wrong one, {reader.no_checksum} without."
        )
    return summary, reader


def log_findings(summary: LogSummary, reader: EpochReader, without_separation: int) -> list[Finding]:
    """Return what the counts of NMEA say."""
    gaps = summary.gaps()
    first_gap = f"from {gaps[0].start} to {gaps[0].end}" if gaps else ""
    return judge_log(
        summary.epochs,
        summary.by_status,
        summary.age_median_max_s[1],
        len(gaps),
        first_gap,
        reader.bad_checksum,
        reader.no_checksum,
        reader.unreadable,
        without_separation,
        summary.backward,
    )


# --- text ---


def lines_of(path: Path) -> Iterator[str]:
    """Yield the lines of a text file, unpacked where it is packed; FileError where it is none."""
    return lines_in(pieces(path), str(path))
