"""What scale and rotation a local fit is expected to find, from the projection and from what is known of the local system."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Distances = Literal["ground", "grid"]
North = Literal["eye", "true", "grid", "typed"]


@dataclass(frozen=True)
class ExpectedFit:
    """The scale and the rotation (degrees, anticlockwise from the GNSS grid to the local one; None where nobody knows) to expect."""

    scale: float
    rotation_deg: float | None


def expected_of(
    distances: Distances,
    north: North,
    combined_factor: float,
    convergence_deg: float,
    project_factor: float = 1.0,
    typed_deg: float | None = None,
) -> ExpectedFit:
    """Return what to expect at a place: its combined factor (grid = ground × factor) and convergence (grid north east of true: +).

    `project_factor` is what the job's own coordinates are divided by already (1 in a plain grid).  From a grid into ground distances
    the scale is 1/CF, into a local grid 1; a local north that is true north is turned by −convergence.

    Source: definition of the combined factor, NOAA Manual NOS NGS 5; the rest by geometry.
    """
    scale = project_factor / combined_factor if distances == "ground" else 1.0
    turned: dict[North, float | None] = {"eye": None, "true": -convergence_deg, "grid": 0.0, "typed": typed_deg}
    return ExpectedFit(scale, turned[north])
