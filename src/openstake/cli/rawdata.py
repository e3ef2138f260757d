"""`openstake single` and `openstake rinex`: raw data to positions, and a base's stream to raw data."""

from __future__ import annotations

from datetime import UTC, date, datetime
from pathlib import Path

import click

from openstake.cli import finding_lines, show
from openstake.core.errors import FileError, InputError
from openstake.workflow.base import rawdata

# GPS time begins in 1980; the satellites of MSM came later still.
FIRST_DAY, LAST_DAY = date(1980, 1, 6), date(2170, 1, 1)


@click.command()
@click.argument("observations", type=click.Path(path_type=Path))
@click.argument("navigation", type=click.Path(path_type=Path))
@click.option("--nmea", type=click.Path(path_type=Path), help="Write the positions to this file, as a log of a receiver.")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")
def single(observations: Path, navigation: Path, nmea: Path | None, as_json: bool) -> None:
    """Compute single-point positions from RINEX observations and a navigation file."""
    result, epochs = rawdata.single_positions(observations, navigation)
    if nmea is not None:
        _write(nmea, rawdata.as_nmea(epochs))
    show(result, as_json, _single_lines(result) + finding_lines(result.findings))


def _write(path: Path, content: bytes) -> None:
    try:
        path.write_bytes(content)
    except OSError as error:
        raise FileError(f"{path} cannot be written: {error.strerror or error}.") from None


def _single_lines(result: rawdata.SinglePositions) -> list[str]:
    bands = "two frequencies" if result.two_frequencies else "one frequency and the broadcast ionosphere"
    lines = [
        f"{len(result.positions)} of {result.epochs} epochs solved over {result.span_s:.0f} s, {result.constellations}, {bands}",
        f"{result.latitude_deg:.8f} {result.longitude_deg:.8f} {result.height_m:.2f} m (WGS 84, ellipsoidal)",
        f"spread of one epoch: east {result.spread_east_m:.2f}, north {result.spread_north_m:.2f}, up {result.spread_up_m:.2f} m",
    ]
    header = result.from_header_m
    if header is not None:
        lines.append(f"mean from the header's position: east {header.east_m:.2f}, north {header.north_m:.2f}, up {header.up_m:.2f} m")
    return lines


@click.command()
@click.argument("capture", type=click.Path(path_type=Path))
@click.argument("out", type=click.Path(path_type=Path))
@click.option("--date", "day", required=True, help="The day of the capture (2026-11-25): the stream says no week.")
@click.option("--interval", "interval_s", type=float, default=0.0, help="Keep epochs on multiples of so many seconds.")
@click.option("--marker", default="BASE", help="The marker's name.")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")
def rinex(capture: Path, out: Path, day: str, interval_s: float, marker: str, as_json: bool) -> None:
    """Write the observations of an RTCM 3 capture (MSM) as a RINEX 3 file."""
    if not 0.0 <= interval_s <= 3600.0:
        raise InputError(f"The interval is 0 (all epochs) to 3600 s; {interval_s:g} was given.", field="interval")
    try:
        of_day = date.fromisoformat(day)
    except ValueError:
        raise InputError(f"'{day[:40]}' is not a date. Write it as 2026-11-25.", field="date") from None
    if not FIRST_DAY <= of_day <= LAST_DAY:
        raise InputError(f"No stream of this kind is of {day}: dates run from {FIRST_DAY} to {LAST_DAY}.", field="date")
    noon = datetime(of_day.year, of_day.month, of_day.day, 12, tzinfo=UTC)
    text, result = rawdata.capture_to_rinex(capture, noon.timestamp(), interval_s, marker)
    _write(out, text.encode())
    show(result, as_json, _rinex_lines(result))


def _rinex_lines(result: rawdata.RinexWritten) -> list[str]:
    lines = [f"{result.epochs} epochs, {result.satellites} satellites, {result.first} to {result.last} (GPS time)"]
    if result.without_phase:
        lines.append(f"no phase for {' '.join(result.without_phase)}: no message said their frequency channel")
    if result.unknown_signals:
        lines.append(f"signals without a RINEX code, left out: {', '.join(result.unknown_signals)}")
    return lines
