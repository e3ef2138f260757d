"""`openstake occupation`: what the average of a log of positions is worth."""

from __future__ import annotations

from pathlib import Path

import click

from openstake.cli import finding_lines, show
from openstake.workflow import captures


@click.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")
def occupation(file: Path, as_json: bool) -> None:
    """Average a log of positions (NMEA): precision of the mean, and the accuracy to expect."""
    result = captures.read_occupation(file)
    show(result, as_json, _lines(result) + finding_lines(result.findings))


def _lines(result: captures.OccupationRead) -> list[str]:
    def metres(value: float | None) -> str:
        return "not known" if value is None else f"{value:.4f} m"

    return [
        f"{result.used} of {result.epochs} epochs over {result.span_s:.0f} s, lowest status {result.status}",
        f"{result.latitude_deg:.9f} {result.longitude_deg:.9f} {result.height_m:.4f} m (ellipsoidal)",
        f"spread of one epoch: east {metres(result.spread_east_m)}, north {metres(result.spread_north_m)}, up {metres(result.spread_up_m)}",
        f"worth {result.effective_n:.1f} independent epochs (correlation time {result.correlation_s:.0f} s)",
        f"standard deviation of the mean: east {metres(result.precision_east_m)}, "
        f"north {metres(result.precision_north_m)}, up {metres(result.precision_up_m)}",
        f"half width of 95 %: east {metres(result.half_95_east_m)}, north {metres(result.half_95_north_m)}, "
        f"up {metres(result.half_95_up_m)}{' (too short to tell)' if result.too_short else ''}",
        f"accuracy to expect (95 %, horizontal): {result.expected_accuracy_m:.2f} m",
    ]
