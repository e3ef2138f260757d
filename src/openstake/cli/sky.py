"""`openstake sky`: which satellites will be seen from a place, how good their geometry is, and when it is best."""

from __future__ import annotations

from dataclasses import asdict
from datetime import datetime
from pathlib import Path

import click

from openstake.cli import finding_lines, show
from openstake.core.errors import InputError
from openstake.core.limits import SINGLE_MASK_DEG
from openstake.core.sky.skyline import NO_SKYLINE
from openstake.core.units import degrees_from_text
from openstake.wire.tables.skyline import read_skyline
from openstake.workflow.captures import lines_of
from openstake.workflow.sky.expected import Place, SkyExpected, SkyFiles, SkyQuestion, sky_expected

_FILE = click.Path(path_type=Path)


@click.command()
@click.option("--at", "place", required=True, help="Where: LAT,LON or LAT,LON,H (degrees, ellipsoidal metres).")
@click.option("--from", "begins", required=True, help="From when, UTC: 2024-01-10T00:00Z.")
@click.option("--hours", type=float, default=24.0, show_default=True)
@click.option("--step", type=float, default=60.0, show_default=True, help="Seconds between two moments.")
@click.option("--nav", multiple=True, type=_FILE, help="A navigation file (RINEX 2 to 4).")
@click.option("--heard", multiple=True, type=_FILE, help="A capture of a base's stream with ephemerides (RTCM 1019, 1020 and their like).")
@click.option("--sp3", multiple=True, type=_FILE, help="A file of precise orbits (SP3 c or d).")
@click.option("--tle", multiple=True, type=_FILE, help="A file of mean elements (TLE with names, or OMM).")
@click.option("--mask", type=float, default=SINGLE_MASK_DEG, show_default=True, help="Degrees above the horizon.")
@click.option("--skyline", type=_FILE, help="A text file of azimuth and elevation, degrees, a corner a line.")
@click.option("--base", help="The base of the baseline: LAT,LON or LAT,LON,H. Geometry is then of what both see.")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")
def sky(
    place: str,
    begins: str,
    hours: float,
    step: float,
    nav: tuple[Path, ...],
    heard: tuple[Path, ...],
    sp3: tuple[Path, ...],
    tle: tuple[Path, ...],
    mask: float,
    skyline: Path | None,
    base: str | None,
    as_json: bool,
) -> None:
    """Say which satellites stand above a place over some hours, and how good their geometry is."""
    question = SkyQuestion(
        place=_place(place, "at"),
        begins=_moment(begins),
        hours=hours,
        step_s=step,
        mask_deg=mask,
        skyline=NO_SKYLINE if skyline is None else read_skyline(lines_of(skyline), str(skyline)),
        base=None if base is None else _place(base, "base"),
    )
    found = sky_expected(SkyFiles(navigation=nav, heard=heard, precise=sp3, mean_elements=tle), question)
    said = asdict(found)
    said["best"] = [{"from": item.begins, "to": item.ends, "pdop": item.pdop} for item in found.best]
    show(said, as_json, _lines(found) + finding_lines(found.findings))


def _place(text: str, field: str) -> Place:
    parts = [part.strip() for part in text.split(",")]
    if len(parts) not in (2, 3):
        raise InputError(f"'{text[:60]}' is not a place: write LAT,LON or LAT,LON,H.", field=field)
    try:
        height_m = float(parts[2]) if len(parts) == 3 else 0.0
    except ValueError:
        raise InputError(f"'{parts[2][:20]}' is not a height in metres.", field=field) from None
    if not -1000.0 <= height_m <= 10_000.0:
        raise InputError("A height lies between -1000 and 10 000 m.", field=field)
    return degrees_from_text(parts[0], "latitude"), degrees_from_text(parts[1], "longitude"), height_m


def _moment(text: str) -> datetime:
    try:
        return datetime.fromisoformat(text)
    except ValueError:
        raise InputError(f"'{text[:40]}' is not a time. Write it as 2024-01-10T00:00Z.", field="from") from None


def _lines(found: SkyExpected) -> list[str]:
    elements = found.elements
    lines = [
        f"{elements.satellites} satellites by {elements.source}, elements up to {elements.oldest_age_s / 3600.0:.1f} h from their time"
    ]
    known = [epoch for epoch in found.epochs if epoch.pdop is not None]
    if known:
        best, worst = (choose(known, key=lambda epoch: epoch.pdop or 0.0) for choose in (min, max))
        lines.append(f"PDOP {best.pdop:.2f} at {best.time}, {worst.pdop:.2f} at {worst.time}")
    lines += [f"good {span.begins} to {span.ends}, PDOP at most {span.pdop:.2f}" for span in found.best]
    first = found.epochs[0]
    lines += ["", f"at {first.time}:"]
    for item in first.satellites:
        words = "hidden" if item.hidden else "" if item.healthy else "not healthy"
        lines.append(f"{item.id:5}{item.azimuth_deg:7.1f}°{item.elevation_deg:6.1f}°  {words}".rstrip())
    return lines
