"""`openstake iso17123` and `openstake reseat`: proofs that need no job."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from pathlib import Path

import click

from openstake.cli import finding_lines, show
from openstake.core.errors import InputError
from openstake.core.iso17123 import FieldTest, Independent, Predetermined
from openstake.core.judge.fieldtest import chance_words
from openstake.core.judge.finding import Finding, ranked
from openstake.core.judge.reseat import judge_reseat
from openstake.core.reseat import reseat as reseated
from openstake.workflow.check.fieldtest import read_test


@click.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--sigma-xy", type=float, help="Predetermined sigma of a position, east and north together, metres.")
@click.option("--sigma-h", type=float, help="Predetermined sigma of a height, metres.")
@click.option("--distance", type=float, help="Horizontal distance of the two points, measured without GNSS, metres.")
@click.option("--height-difference", type=float, help="Height of point 2 above point 1, measured without GNSS, metres.")
@click.option("--earlier", type=click.Path(path_type=Path), help="A full test of before, whose uncertainty is compared.")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")
def iso17123(
    file: Path,
    sigma_xy: float | None,
    sigma_h: float | None,
    distance: float | None,
    height_difference: float | None,
    earlier: Path | None,
    as_json: bool,
) -> None:
    """Evaluate a field test after ISO 17123-8 (from memory of the standard).

    FILE is a CSV with the header series,set,point,east_m,north_m,height_m: 3 series (the full test) or 1 (the simplified
    one) of 5 sets of 2 points.
    """
    usual = Predetermined()
    sigma = (
        None
        if sigma_xy is None and sigma_h is None
        else Predetermined(usual.xy_m if sigma_xy is None else sigma_xy, usual.h_m if sigma_h is None else sigma_h)
    )
    result = read_test(file, sigma, Independent(distance, height_difference), earlier)
    document = asdict(result)
    show(document.pop("test") | document, as_json, _lines(result.test) + finding_lines(result.findings))


def _lines(result: FieldTest) -> list[str]:
    head = "full test, 3 series" if result.s_xy_m is not None else "simplified test, 1 series"
    lines = [f"ISO 17123-8, {head}; sigma {1000 * result.sigma_xy_m:.1f} mm and {1000 * result.sigma_h_m:.1f} mm in height"]
    if result.s_xy_m is not None and result.s_h_m is not None:
        lines.append(
            f"s_xy {1000 * result.s_xy_m:.2f} mm ({result.dof_xy} degrees of freedom), s_h {1000 * result.s_h_m:.2f} mm ({result.dof_h})"
        )
    return (
        lines
        + [
            f"  {'passed' if item.passed else 'FAILED'}  {item.name}: {item.statistic:.5f}, limit {item.limit:.5f}, for all together {item.corrected_limit:.5f}"
            for item in result.tests
        ]
        + [chance_words(result)]
    )


@dataclass(frozen=True, kw_only=True)
class ReseatRead:
    """A re-seat, metres: known − observed, Earth-centred and in the local axes at the known mark, and the new base."""

    shift_x_m: float
    shift_y_m: float
    shift_z_m: float
    shift_east_m: float
    shift_north_m: float
    shift_up_m: float
    base_x_m: float
    base_y_m: float
    base_z_m: float
    findings: tuple[Finding, ...]


def _xyz(name: str, text: str) -> tuple[float, float, float]:
    try:
        x, y, z = (float(part) for part in text.split(","))
    except ValueError:
        raise InputError(f"--{name} is '{text[:60]}': give X,Y,Z in metres, with points and between commas.") from None
    return x, y, z


@click.command()
@click.option("--base", required=True, help="The base's coordinate: Earth-centred X,Y,Z in metres.")
@click.option("--known", required=True, help="The mark as it is known: X,Y,Z.")
@click.option("--observed", required=True, help="The mark as it was observed from that base: X,Y,Z.")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")
def reseat(base: str, known: str, observed: str, as_json: bool) -> None:
    """Say by how much a base is to be shifted so that a known mark comes out right, and whether it should be.

    Write --base=X,Y,Z with an equals sign: a number may be negative.
    """
    found = reseated(_xyz("base", base), _xyz("known", known), _xyz("observed", observed))
    x, y, z = found.shift_m
    base_x, base_y, base_z = found.base_m
    result = ReseatRead(
        shift_x_m=x,
        shift_y_m=y,
        shift_z_m=z,
        shift_east_m=found.east_m,
        shift_north_m=found.north_m,
        shift_up_m=found.up_m,
        base_x_m=base_x,
        base_y_m=base_y,
        base_z_m=base_z,
        findings=ranked(judge_reseat(found)),
    )
    lines = [
        f"shift (known - observed): east {found.east_m:+.4f}, north {found.north_m:+.4f}, up {found.up_m:+.4f} m",
        f"Earth-centred: {x:+.4f} {y:+.4f} {z:+.4f} m",
        "the base goes to " + " ".join(f"{value:.4f}" for value in found.base_m),
    ]
    show(result, as_json, lines + finding_lines(result.findings))
