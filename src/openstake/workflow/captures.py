"""Captures from elsewhere: an RTCM 3 file or an NMEA log, read piece by piece in flat memory."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

from openstake.core.errors import FileError, InputError
from openstake.core.evidence import Epoch, StationReference, Status
from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.core.judge.average import judge_average
from openstake.core.judge.finding import Finding
from openstake.core.judge.log import judge_log
from openstake.core.judge.stream import judge_stream
from openstake.core.occupation import average_of_epochs
from openstake.wire.nmea.epoch import EpochReader
from openstake.wire.nmea.summary import LogSummary
from openstake.wire.rtcm3.frame import FrameReader
from openstake.wire.rtcm3.summary import StreamSummary

_PIECE_BYTES = 1 << 16
# A capture without one whole frame or sentence in this much is none: reading on would only cost time.
_PATIENCE_BYTES = 4 << 20


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


def read_stream(path: Path) -> dict[str, Any]:
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
        raise FileError(
            f"{path} holds no valid RTCM 3 frame in its first {read_bytes} bytes. Is it a raw capture of corrections?"
        )
    observables = list(summary.observables.values())
    findings = judge_stream(
        observables, summary.messages, summary.stations, summary.station_ids, reader.frames, reader.bad_crc
    )
    return {
        "frames": reader.frames,
        "bad_crc": reader.bad_crc,
        "skipped_bytes": reader.skipped_bytes,
        "messages": [
            {"number": row.number, "count": row.count, "bytes": row.bytes, "mean_interval_s": row.mean_interval_s}
            for _, row in sorted(summary.messages.items())
        ],
        "stations": [_station(station) for station in summary.stations],
        "observables": [
            {"constellation": row.constellation, "form": row.form, "satellites": row.satellites, "cells": row.cells}
            for row in observables
        ],
        "findings": [item.as_dict() for item in findings],
    }


def _station(station: StationReference) -> dict[str, Any]:
    latitude, longitude, height = (float(value) for value in geodetic_from_ecef(station.xyz_m))
    known = latitude == latitude  # a station at the centre of the Earth has no latitude
    return {
        "station_id": station.station_id,
        "x_m": station.x_m,
        "y_m": station.y_m,
        "z_m": station.z_m,
        "antenna_height_m": station.antenna_height_m,
        "latitude_deg": latitude if known else None,
        "longitude_deg": longitude if known else None,
        "height_m": height if known else None,
    }


def read_occupation(path: Path) -> dict[str, Any]:
    """Return the average of a log of positions and what it is worth; FileError where it has none."""
    epochs, log_findings = epochs_of_log(path)
    return occupation_view(epochs, log_findings)


def epochs_of_log(path: Path) -> tuple[list[Epoch], list[Finding]]:
    """Return the epochs of an NMEA log in order, and what is wrong with the log itself."""
    epochs: list[Epoch] = []
    summary, reader = _read_epochs(pieces(path), str(path), epochs.append)
    without_separation = sum(epoch.status is not Status.NONE and epoch.height_m is None for epoch in epochs)
    return epochs, _log_findings(summary, reader, without_separation)


def epochs_of_content(content: bytes, name: str) -> list[Epoch]:
    """Return the epochs of an NMEA log that was sent."""
    epochs: list[Epoch] = []
    _read_epochs(iter((content,)), name, epochs.append)
    return epochs


def occupation_view(epochs: list[Epoch], log_findings: list[Finding]) -> dict[str, Any]:
    """Return the average of epochs as the terminal shows it."""
    try:
        average = average_of_epochs(epochs)
    except InputError as error:
        raise FileError(error.sentence) from None
    latitude, longitude, height = (float(value) for value in geodetic_from_ecef(average.xyz_m))
    east, north, up = average.precisions_m
    findings = judge_average(average) + [item for item in log_findings if item.code != "no-fixed-epochs"]
    return {
        "epochs": average.epochs, "used": average.used, "span_s": average.span_s, "latitude_deg": latitude,
        "longitude_deg": longitude, "height_m": height, "precision_east_m": east, "precision_north_m": north,
        "precision_up_m": up, "effective_n": average.effective_n, "status": average.lowest_status.value,
        "expected_accuracy_m": average.accuracy_95_m, "spread_east_m": average.east.spread,
        "spread_north_m": average.north.spread, "spread_up_m": average.up.spread,
        "correlation_s": average.correlation_s, "findings": [item.as_dict() for item in findings],
    }  # fmt: skip


def read_log(path: Path) -> dict[str, Any]:
    """Return what an NMEA log holds; FileError where it has no GGA epoch."""
    without_separation = 0

    def take(epoch: Epoch) -> None:
        nonlocal without_separation
        without_separation += epoch.status is not Status.NONE and epoch.height_m is None

    summary, reader = _read_epochs(pieces(path), str(path), take)
    gaps, fixed = summary.gaps(), summary.fixed
    age_median, age_max = summary.age_median_max_s
    satellites_min, satellites_median = summary.satellites_min_median
    findings = _log_findings(summary, reader, without_separation)
    return {
        "epochs": summary.epochs,
        "by_status": dict(summary.by_status),
        "first": summary.first,
        "last": summary.last,
        "fixed": {
            "latitude_deg": fixed.latitude_deg if fixed else None,
            "longitude_deg": fixed.longitude_deg if fixed else None,
            "height_m": fixed.height_m if fixed else None,
            "sigma_east_m": fixed.sigma_east_m if fixed else None,
            "sigma_north_m": fixed.sigma_north_m if fixed else None,
            "sigma_up_m": fixed.sigma_up_m if fixed else None,
            "count": fixed.count if fixed else 0,
        },
        "age_s": {"median": age_median, "max": age_max},
        "satellites": {"min": satellites_min, "median": satellites_median},
        "gaps": [{"from": gap.start, "to": gap.end} for gap in gaps],
        "bad_checksum": reader.bad_checksum,
        "findings": [item.as_dict() for item in findings],
    }


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
            f"{name} holds no position sentence (GGA) with a good checksum: {reader.sentences} other sentences, "
            f"{reader.bad_checksum} with a wrong checksum, {reader.no_checksum} without one."
        )
    return summary, reader


def _log_findings(summary: LogSummary, reader: EpochReader, without_separation: int) -> list[Finding]:
    gaps = summary.gaps()
    first_gap = f"from {gaps[0].start} to {gaps[0].end}" if gaps else ""
    return judge_log(
        summary.epochs, summary.by_status, summary.age_median_max_s[1], len(gaps), first_gap,
        reader.bad_checksum, reader.no_checksum, without_separation, summary.backward,
    )  # fmt: skip
