"""`openstake agree` and `openstake airload`: do two ends agree, and does the stream fit the link."""

from __future__ import annotations

from pathlib import Path

import click

from openstake.cli import finding_lines, show
from openstake.core.errors import InputError
from openstake.core.link.airload import FORMS, Stream, part_from_text, rate_from_text, satellites_from_text
from openstake.workflow.link import ends as link


@click.command()
@click.argument("base", type=click.Path(path_type=Path))
@click.argument("rover", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")
def agree(base: Path, rover: Path, as_json: bool) -> None:
    """Compare the profiles of a base and a rover, setting by setting."""
    result = link.agreement(link.end_of_file(link.profile_file(base), base.name), link.end_of_file(link.profile_file(rover), rover.name))
    show(result, as_json, _agree_lines(result))


def _agree_lines(result: link.Agreement) -> list[str]:
    lines = [f"{'':26}{result.base[:24]:26}{result.rover[:24]}"]
    for row in result.rows:
        if row.state != "not needed":
            one, other = (str(value) if value is not None else "-" for value in (row.base, row.rover))
            lines.append(f"{row.label:26}{one:26}{other:26}{row.state}")
    lines += ["", "Both ends agree." if result.agrees else "The ends do not agree."]
    return lines + finding_lines(result.findings)


@click.command()
@click.option("--form", required=True, type=click.Choice(FORMS), help="MSM form, or legacy (1004, 1012).")
@click.option("--satellites", required=True, help="Satellites by constellation: G10,R8,E9,C12.")
@click.option("--signals", type=int, default=2, show_default=True, help="Signals of each satellite.")
@click.option("--interval", type=float, default=1.0, show_default=True, help="Seconds between epochs.")
@click.option("--rate", help="The link's rate: 9.11kbps, 9600bps.")
@click.option("--position-interval", type=float, help="Seconds between station positions (1006).")
@click.option("--duty-limit", help="Part of the time that may be sent: 10%.")
@click.option("--spreading-factor", type=int, help="Chirp spread-spectrum link, in place of a rate.")
@click.option("--bandwidth", type=float, help="Its bandwidth in kHz.")
@click.option("--coding", type=click.Choice(["4/5", "4/6", "4/7", "4/8"]), help="Its coding rate.")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")
def airload(
    form: str,
    satellites: str,
    signals: int,
    interval: float,
    rate: str | None,
    position_interval: float | None,
    duty_limit: str | None,
    spreading_factor: int | None,
    bandwidth: float | None,
    coding: str | None,
    as_json: bool,
) -> None:
    """Say what a stream of corrections needs on the air, and whether the link carries it."""
    stream = Stream(
        form=form, satellites=satellites_from_text(satellites), signals=signals, interval_s=interval, position_interval_s=position_interval
    )
    limit = part_from_text(duty_limit) if duty_limit else None
    chirp = None if rate is not None else _chirp(spreading_factor, bandwidth, coding)
    rate_bps = chirp.rate_bps if chirp else rate_from_text(rate or "")
    result = link.load_of(stream, rate_bps, limit, chirp)
    show(result, as_json, _load_lines(result))


def _chirp(spreading_factor: int | None, bandwidth_khz: float | None, coding: str | None) -> link.Chirp:
    if spreading_factor is None or bandwidth_khz is None or coding is None:
        raise InputError("Give --rate, or --spreading-factor, --bandwidth (kHz) and --coding of a chirp link.")
    return link.Chirp(spreading_factor, bandwidth_khz, int(coding[2:]))


def _load_lines(result: link.Load) -> list[str]:
    lines = [
        f"{result.bytes_per_epoch} bytes an epoch, {result.bits_per_second:.0f} of {result.rate_bps:.0f} bit/s "
        f"({100 * result.share:.0f} %), {100 * result.duty:.0f} % of the time on the air, "
        f"{result.latency_s:.2f} s for one epoch",
        "It fits." if result.fits else "It does not fit.",
    ]
    if result.packet_bytes is not None:
        lines.append(f"A packet of {result.packet_bytes} bytes is {result.packet_time_on_air_s:.3f} s on the air.")
    for way in result.remedies:
        lines.append(f"  {way.words}: {100 * way.share:.0f} %{' (fits)' if way.fits else ''}")
    return lines + finding_lines(result.findings)
