"""`openstake listen`: what devices send now, without a job."""

from __future__ import annotations

import os
import signal
import sys
from dataclasses import asdict
from typing import Any

import click

from openstake.cli import finding_lines, show
from openstake.core.units import counted
from openstake.live.network import HOST
from openstake.live.transport import open_source
from openstake.wire.address import HOW_TO_WRITE, split_url, without_password
from openstake.workflow.watch import listen_report


def _address(url: str | None, name: str) -> tuple[str, str | None] | None:
    """Return an address without its password, and the password: from the address, else from the environment."""
    if url is None:
        return None
    if split_url(url).scheme == "replay":
        open_source(url, None, HOST).close()  # a file that is none is no device that does not answer
    address, password = without_password(url)
    return address, password or os.environ.get(f"OPENSTAKE_{name}_PASSWORD")


@click.command()
@click.option("--rover", required=True, help=f"The rover's NMEA. {HOW_TO_WRITE}")
@click.option("--base", help="The base's stream of corrections.")
@click.option("--receiver", help="The base receiver's own NMEA.")
@click.option("--seconds", required=True, type=click.FloatRange(0.1, 86_400.0), help="How long, by the wall clock.")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")
def listen(rover: str, base: str | None, receiver: str | None, seconds: float, as_json: bool) -> None:
    """Listen to devices for a while and say what they send and what is wrong with it.  Ctrl-C ends it early.

    A password may stand in OPENSTAKE_ROVER_PASSWORD, OPENSTAKE_BASE_PASSWORD or OPENSTAKE_RECEIVER_PASSWORD: a command
    line is public.
    """
    addresses = [_address(url, name) for url, name in ((rover, "ROVER"), (base, "BASE"), (receiver, "RECEIVER"))]
    stop = HOST.clock.event()
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, lambda *_: stop.set())
    progress = _progress if sys.stderr.isatty() and not as_json else lambda elapsed_s, epochs: None
    assert addresses[0] is not None, "the rover's address is required"
    heard = listen_report.hear(addresses[0], addresses[1], addresses[2], seconds, stop, HOST, progress)
    # "from" is no name that a field can have.
    gaps = {"gaps": [{"from": gap.start, "to": gap.end} for gap in heard.gaps]}
    show(asdict(heard) | gaps, as_json, _lines(heard))


def _progress(elapsed_s: float, epochs: int) -> None:
    click.echo(f"\r{elapsed_s:5.0f} s, {epochs} epochs ", nl=False, err=True)


def _lines(heard: listen_report.ListenReport) -> list[str]:
    span = f", {heard.first} to {heard.last}" if heard.first else ""
    lines = [f"{counted(heard.epochs, 'epoch')}{span}"]
    lines += [f"  {status}: {count}" for status, count in heard.by_status.items() if count]
    for words, value in _facts(heard):
        if value is not None:
            lines.append(words.format(value))
    if heard.scatter is not None:
        part = heard.scatter
        lines.append(
            f"scatter of one epoch while it stood: east {part.east_m:.4f}, north {part.north_m:.4f}, up {part.up_m:.4f} m "
            f"({part.effective_n:.0f} independent)"
        )
    lines += [f"jump of {jump.size_m:.3f} m at {jump.time}" for jump in heard.jumps]
    lines += [f"gap {gap.start} to {gap.end}" for gap in heard.gaps]
    if heard.base is not None:
        names = ", ".join(f"{row.number} ({row.count})" for row in heard.base.messages)
        lines.append(f"base: {heard.base.frames} frames, {heard.base.bad_crc} damaged: {names}")
    return lines + finding_lines(heard.findings)


def _facts(heard: listen_report.ListenReport) -> list[tuple[str, Any]]:
    return [
        ("time to fix {:.0f} s", heard.time_to_fix_s),
        ("fixed {:.1%} of the epochs", heard.fix_ratio),
        ("age {:.1f} s (median)", heard.age_s.median),
        ("age {:.1f} s at most", heard.age_s.max),
        ("age rises {:+.3f} s a second at worst", heard.age_s.slope_per_s),
        ("satellites {} at least", heard.satellites.min),
        ("station {}", heard.station_id),
        ("{:.3f} m from the base", heard.base_distance_m),
    ]
