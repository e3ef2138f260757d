"""`openstake fit`: a local fit from a table of pairs."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import cast

import click

from openstake.cli import finding_lines, show
from openstake.core.errors import InputError
from openstake.core.localfit.pair import VerticalModel
from openstake.workflow.fit.diagnosis import PointRead
from openstake.workflow.fit.read import FitRead, read_fit


@click.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--scale", default="free", help="free, one, or the scale that is held.")
@click.option("--vertical", type=click.Choice(["none", "constant", "plane"]), default="constant")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")
def fit(file: Path, scale: str, vertical: str, as_json: bool) -> None:
    """Fit GNSS coordinates to local ones, and say how far to trust it.

    FILE is a CSV with the header name,local_e_m,local_n_m,local_h_m,gnss_e_m,gnss_n_m,gnss_h_m,use (hv, h, v or check), and where
    they are known sigma_h_m,sigma_v_m.  Residuals are fitted − given.
    """
    found = read_fit(file, _scale(scale), cast(VerticalModel, vertical))
    show(asdict(found), as_json, _lines(found) + finding_lines(found.findings))


def _scale(text: str) -> float | None:
    if text in ("free", "one"):
        return None if text == "free" else 1.0
    try:
        return float(text)
    except ValueError:
        raise InputError(f"--scale is free, one, or a number; '{text[:20]}' is none of them.") from None


def _lines(found: FitRead) -> list[str]:
    flat, up = found.horizontal, found.vertical
    lines = [
        f"horizontal: scale {flat.scale:.9f} ({flat.scale_ppm:+.2f} ppm), rotation {flat.rotation_deg:.7f}°, redundancy {flat.redundancy}",
        f"  E_local = {flat.a:.12f} E − {flat.b:.12f} N + {flat.shift_e_m:.4f} m",
        f"  N_local = {flat.b:.12f} E + {flat.a:.12f} N + {flat.shift_n_m:.4f} m",
        f"  {_quality(flat.sigma0_m, flat.variance_factor)}",
    ]
    if up is not None:
        lines += [
            f"vertical, {up.model}: {up.constant_m:+.4f} m, slopes {up.slope_east_ppm:+.2f} east and {up.slope_north_ppm:+.2f} north ppm, "
            f"redundancy {up.redundancy}",
            f"  {_quality(up.sigma0_m, up.variance_factor)}",
        ]
    lines.append("residuals, fitted − given (left out: predicted by the others), mm in east, north, up:")
    return lines + [_point_line(point) for point in found.points]


def _quality(sigma0_m: float | None, factor: float | None) -> str:
    if sigma0_m is not None:
        return f"one sigma of a component {1000 * sigma0_m:.2f} mm, estimated"
    return f"variance factor {factor:.3f}" if factor is not None else "nothing is left over: no residuals"


def _point_line(point: PointRead) -> str:
    def millimetres(*values: float | None) -> str:
        return " ".join("      –" if value is None else f"{1000 * value:7.1f}" for value in values)

    residual = millimetres(point.residual_e_m, point.residual_n_m, point.residual_h_m)
    left_out = millimetres(point.left_out_e_m, point.left_out_n_m, point.left_out_h_m)
    return f"  {point.name:<12} {point.use:<5} {residual}   ({left_out})"
