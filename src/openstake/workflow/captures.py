"""Captures from elsewhere: an RTCM 3 file or an NMEA log, read piece by piece in flat memory."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

from openstake.core.errors import FileError
from openstake.core.evidence import Epoch, StationReference, Status
from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.core.judge.log import judge_log
from openstake.core.judge.stream import judge_stream
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


def read_log(path: Path) -> dict[str, Any]:
    """Return what an NMEA log holds; FileError where it has no GGA epoch."""
    reader, summary = EpochReader(), LogSummary()
    without_separation = read_bytes = 0

    def take(epochs: Iterator[Epoch]) -> None:
        nonlocal without_separation
        for epoch in epochs:
            summary.add(epoch)
            without_separation += epoch.status is not Status.NONE and epoch.height_m is None

    for piece in pieces(path):
        read_bytes += len(piece)
        take(reader.feed(piece))
        if not reader.sentences and read_bytes >= _PATIENCE_BYTES:
            break
    take(reader.close())
    if not summary.epochs:
        raise FileError(
            f"{path} holds no position sentence (GGA) with a good checksum: {reader.sentences} other sentences, "
            f"{reader.bad_checksum} with a wrong checksum, {reader.no_checksum} without one."
        )
    gaps, fixed = summary.gaps(), summary.fixed
    age_median, age_max = summary.age_median_max_s
    satellites_min, satellites_median = summary.satellites_min_median
    first_gap = f"from {gaps[0].start} to {gaps[0].end}" if gaps else ""
    findings = judge_log(
        summary.epochs, summary.by_status, age_max, len(gaps), first_gap,
        reader.bad_checksum, reader.no_checksum, without_separation, summary.backward,
    )  # fmt: skip
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
