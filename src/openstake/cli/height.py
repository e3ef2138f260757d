"""`openstake height`: readings of tape or rod to the height of the ARP, with what they say of each other."""

from __future__ import annotations

from dataclasses import dataclass

import click

from openstake.cli import finding_lines, show
from openstake.core.antenna import HeightSigmas, MeasuredTo, TypedReading, check_reading, mean_height
from openstake.core.errors import InputError
from openstake.core.judge.finding import Finding
from openstake.core.judge.height import KnownAntenna, judge_heights
from openstake.core.limits import HEIGHTS_AGREE_M
from openstake.core.units import metres_from_text


@click.command()
@click.option("--reading", "texts", multiple=True, required=True, help="A reading with its unit; give as many as there are.")
@click.option("--kind", type=click.Choice(["vertical", "slant"]), required=True, help="Straight up, or to a rim.")
@click.option("--rim-radius", help="How far the rim lies from the antenna's axis.")
@click.option("--feature-to-arp", default="0m", help="How far the ARP lies above the feature measured; negative if below.")
@click.option("--sigma", default="0.001m", help="One standard deviation of one tape reading.")
@click.option("--sigma-radius", default="0m", help="The same of the radius; exact where not given.")
@click.option("--sigma-offset", default="0m", help="The same of the offset; exact where not given.")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")
def height(
    texts: tuple[str, ...],
    kind: str,
    rim_radius: str | None,
    feature_to_arp: str,
    sigma: str,
    sigma_radius: str,
    sigma_offset: str,
    as_json: bool,
) -> None:
    """Reduce height readings to the ARP: mean, spread, standard deviation, and what does not fit."""
    if kind == "slant" and rim_radius is None:
        raise InputError("A slant needs the rim's radius: --rim-radius 0.120m.", field="rim-radius")
    radius_m = _positive("rim-radius", rim_radius) if rim_radius else 0.0
    to = MeasuredTo(
        name="feature", label="Feature", method=kind, rim_radius_m=radius_m, feature_to_arp_m=metres_from_text(feature_to_arp, None)
    )
    sigmas = HeightSigmas(_positive("sigma", sigma), _positive("sigma-radius", sigma_radius), _positive("sigma-offset", sigma_offset))
    result = reduced([_reading(text, to) for text in texts], radius_m, sigmas)
    show(result, as_json, _lines(result) + finding_lines(result.findings))


def _positive(name: str, text: str) -> float:
    metres = metres_from_text(text, None)
    if metres < 0.0:
        raise InputError(f"--{name} cannot be negative; '{text}' was given.", field=name)
    return metres


def _reading(text: str, to: MeasuredTo) -> TypedReading:
    metres = metres_from_text(text, None)
    check_reading(metres)
    return TypedReading(text=text, reading_m=metres, to=to)


@dataclass(frozen=True, kw_only=True)
class ReadingReduced:
    """A reading and the ARP height it makes, None where it cannot be."""

    text: str
    reading_m: float
    arp_height_m: float | None
    sigma_m: float | None
    from_mean_m: float | None


@dataclass(frozen=True, kw_only=True)
class HeightReduced:
    """The mean of the readings and what they say of each other, metres; None where no reading is possible."""

    arp_height_m: float | None
    sigma_m: float | None
    spread_m: float | None
    readings: list[ReadingReduced]
    findings: list[Finding]


def reduced(readings: list[TypedReading], radius_m: float, sigmas: HeightSigmas) -> HeightReduced:
    """Return the readings reduced to the ARP; heights are null where no reading is possible."""
    possible = [reading for reading in readings if reading.is_possible]
    mean = mean_height(possible, sigmas) if possible else None
    to = readings[0].to
    # What else the antenna has: its rim, where a vertical height was given with one.
    rim = MeasuredTo(name="rim", label="Rim", method="slant", rim_radius_m=radius_m, feature_to_arp_m=to.feature_to_arp_m)
    antenna = KnownAntenna([rim]) if to.method == "vertical" and radius_m > 0.0 else None
    rows = [
        ReadingReduced(
            text=reading.text,
            reading_m=reading.reading_m,
            arp_height_m=reading.arp_height_m if reading.is_possible else None,
            sigma_m=mean_height([reading], sigmas).sigma_m if reading.is_possible else None,
            from_mean_m=reading.arp_height_m - mean.arp_height_m if mean and reading.is_possible else None,
        )
        for reading in readings
    ]
    found = judge_heights(readings, antenna)
    if mean is None:
        return HeightReduced(arp_height_m=None, sigma_m=None, spread_m=None, readings=rows, findings=found)
    # Readings that contradict each other have no standard deviation: one of them is wrong.
    sigma_m = mean.sigma_m if mean.spread_m <= HEIGHTS_AGREE_M else None
    return HeightReduced(arp_height_m=mean.arp_height_m, sigma_m=sigma_m, spread_m=mean.spread_m, readings=rows, findings=found)


def _lines(result: HeightReduced) -> list[str]:
    if result.arp_height_m is None or result.spread_m is None:
        return ["No height: no reading is possible."]
    worth = "the readings contradict each other" if result.sigma_m is None else f"± {result.sigma_m * 1000:.1f} mm (one sigma)"
    lines = [f"ARP {result.arp_height_m:.4f} m above the mark, {worth}"]
    lines.append(f"spread of the readings {result.spread_m * 1000:.1f} mm")
    for row in result.readings:
        made = "cannot be" if row.arp_height_m is None else f"{row.arp_height_m:.4f} m"
        lines.append(f"  {row.text:>14}  {made}")
    return lines
