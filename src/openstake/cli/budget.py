"""`openstake budget`: what a point is good for, link by link."""

from __future__ import annotations

from dataclasses import asdict

import click

from openstake.cli import show
from openstake.core.budget import TERMS, Circumstances, budget_of, with_terms
from openstake.core.errors import InputError
from openstake.core.units import metres_from_text


@click.command()
@click.option("--baseline", required=True, help="How far from the base: 2.5km, 800 m, 3000 ft.")
@click.option("--absolute", is_flag=True, help="With the base's own coordinate; else relative to the base mark.")
@click.option("--set", "changed", multiple=True, help="TERM.horizontal=M or TERM.vertical=M, one sigma.")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")
def budget(baseline: str, absolute: bool, changed: tuple[str, ...], as_json: bool) -> None:
    """Say what a point is good for at 95 %, and which link contributes what.

    Terms are one sigma, horizontal per axis.  TERM is one of base_coordinate, base_centring, base_height, vector, age, multipath, pole_lean,
    rover_height, geoid, local_fit.
    """
    found = with_terms(budget_of(Circumstances(baseline_m=_baseline_m(baseline), absolute=absolute)), _changed(changed))
    said = {
        "horizontal_95_m": found.horizontal_95_m,
        "vertical_95_m": found.vertical_95_m,
        "terms": [{key: value for key, value in asdict(term).items() if key != "words"} for term in found.terms],
    }
    lines = [f"{term.words:<22} {1000 * term.horizontal_m:7.1f} {1000 * term.vertical_m:7.1f}   {term.source}" for term in found.terms]
    to = "absolute" if absolute else "relative to the base mark"
    show(
        said,
        as_json,
        [
            f"one sigma, mm        horizontal  height   ({to})",
            *lines,
            f"at 95 %: {1000 * found.horizontal_95_m:.1f} mm horizontally, {1000 * found.vertical_95_m:.1f} mm in height",
        ],
    )


def _baseline_m(text: str) -> float:
    bare = text.strip()
    if bare.lower().endswith("km"):
        return 1000.0 * metres_from_text(bare[:-2], "m")
    return metres_from_text(bare, "m")


def _changed(changed: tuple[str, ...]) -> dict[str, tuple[float | None, float | None]]:
    sizes: dict[str, tuple[float | None, float | None]] = {}
    for text in changed:
        name, _, value = text.partition("=")
        term, _, side = name.partition(".")
        if term not in TERMS or side not in ("horizontal", "vertical"):
            raise InputError(f"--set is TERM.horizontal=M or TERM.vertical=M; '{text[:40]}' is neither. TERM: {', '.join(TERMS)}.")
        metres = metres_from_text(value, "m")
        if not 0.0 <= metres <= 1000.0:
            raise InputError(f"A sigma lies between 0 and 1000 m; {value[:20]} does not.")
        flat, up = sizes.get(term, (None, None))
        sizes[term] = (metres, up) if side == "horizontal" else (flat, metres)
    return sizes
