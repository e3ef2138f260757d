"""`openstake stream` and `openstake log`: what a capture holds."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path

import click

from openstake.cli import finding_lines, show
from openstake.core.units import counted
from openstake.workflow import captures


@click.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")
def stream(file: Path, as_json: bool) -> None:
    """Say what an RTCM 3 capture holds, and what it lacks."""
    result = captures.read_stream(file)
    show(result, as_json, _stream_lines(result))


def _place(station: captures.StationRead) -> str:
    if station.latitude_deg is None or station.longitude_deg is None or station.height_m is None:
        return f"X {station.x_m:.4f} Y {station.y_m:.4f} Z {station.z_m:.4f} m, which is not a place on Earth"
    return f"{station.latitude_deg:.9f} {station.longitude_deg:.9f} height {station.height_m:.4f} m (ARP, ellipsoidal)"


def _stream_lines(result: captures.StreamRead) -> list[str]:
    lines = [
        f"{counted(result.frames, 'frame')}, {result.bad_crc} damaged, {result.skipped_bytes} bytes outside frames",
        "",
        "message  count     bytes  interval s",
    ]
    for row in result.messages:
        interval = "" if row.mean_interval_s is None else f"{row.mean_interval_s:.2f}"
        lines.append(f"{row.number:>7}  {row.count:>5}  {row.bytes:>8}  {interval:>10}")
    for station in result.stations:
        height = "not stated" if station.antenna_height_m is None else f"{station.antenna_height_m:.4f} m"
        lines += ["", f"station {station.station_id}: {_place(station)}, antenna height {height}"]
    for sent in result.observables:
        lines.append(f"{sent.constellation} {sent.form}: up to {sent.satellites} satellites, {sent.cells} cells")
    return lines + finding_lines(result.findings)


@click.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")
def log(file: Path, as_json: bool) -> None:
    """Say what an NMEA log holds: epochs by status, the fixed mean, gaps."""
    result = captures.read_log(file)
    # "from" is no name that a field can have.
    gaps = {"gaps": [{"from": gap.start, "to": gap.end} for gap in result.gaps]}
    show(asdict(result) | gaps, as_json, _log_lines(result))


def _log_lines(result: captures.LogRead) -> list[str]:
    lines = [f"{counted(result.epochs, 'epoch')}, {result.first} to {result.last}"]
    lines += [f"  {status}: {count}" for status, count in result.by_status.items() if count]
    fixed = result.fixed
    if fixed.count:
        lines.append(
            f"fixed mean of {fixed.count}: {fixed.latitude_deg:.9f} {fixed.longitude_deg:.9f} height {fixed.height_m:.4f} m (ellipsoidal)"
        )
        if fixed.sigma_up_m is not None:
            lines.append(
                f"scatter of one epoch: east {fixed.sigma_east_m:.4f}, north {fixed.sigma_north_m:.4f}, up {fixed.sigma_up_m:.4f} m"
            )
    lines += [f"gap {gap.start} to {gap.end}" for gap in result.gaps]
    return lines + finding_lines(result.findings)
