"""`openstake iso17123`: proofs that need no job."""

from __future__ import annotations

from pathlib import Path

import click

from openstake.cli import finding_lines, show
from openstake.core.iso17123 import Independent, Predetermined
from openstake.workflow.check.fieldtest import FieldTestRead, read_test


@click.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--sigma-xy", type=float, help="Predetermined sigma of a position, east and north together, metres.")
@click.option("--sigma-h", type=float, help="Predetermined sigma of a height, metres.")
@click.option("--distance", type=float, help="Horizontal distance of the two points, measured without GNSS, metres.")
@click.option("--height-difference", type=float, help="Height of point 2 above point 1, measured without GNSS, metres.")
@click.option(
    "--earlier", type=click.Path(path_type=Path), help="A full test of before, whose uncertainty is compared."
)
@click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")
def iso17123(
    file: Path, sigma_xy: float | None, sigma_h: float | None, distance: float | None, height_difference: float | None,
    earlier: Path | None, as_json: bool,
) -> None:  # fmt: skip
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
    show(result, as_json, _lines(result) + finding_lines(result.findings))


def _lines(result: FieldTestRead) -> list[str]:
    head = "full test, 3 series" if result.s_xy_m is not None else "simplified test, 1 series"
    lines = [
        f"ISO 17123-8, {head}; sigma {1000 * result.sigma_xy_m:.1f} mm and {1000 * result.sigma_h_m:.1f} mm in height"
    ]
    if result.s_xy_m is not None and result.s_h_m is not None:
        lines.append(
            f"s_xy {1000 * result.s_xy_m:.2f} mm ({result.dof_xy} degrees of freedom), s_h {1000 * result.s_h_m:.2f} mm ({result.dof_h})"
        )
    return lines + [
        f"  {'passed' if item.passed else 'FAILED'}  {item.name}: {item.statistic:.5f}, limit {item.limit:.5f}"
        for item in result.tests
    ]
