"""A local fit as it is kept: what a choice gave, and what was applied, whatever becomes of the marks it was made from."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from openstake.core.localfit.geometry import Reach
from openstake.core.localfit.pair import Use
from openstake.core.localfit.parameters import FitParameters


@dataclass(frozen=True, kw_only=True)
class FitResult:
    """What a choice gave when it was made: its parameters (None where there was no fit), how many marks, and how good."""

    parameters: FitParameters | None
    marks_h: int
    marks_v: int
    words: str


@dataclass(frozen=True, kw_only=True)
class AppliedMark:
    """A mark as an applied fit had it: residuals fitted − given, metres; None where nothing was left over."""

    line_id: str
    name: str
    use: Use
    residual_e_m: float | None
    residual_n_m: float | None
    residual_h_m: float | None


@dataclass(frozen=True, kw_only=True)
class AppliedFit:
    """A fit that was applied: its parameters, how far it reaches, its marks, and in one line how good it was."""

    parameters: FitParameters
    reach: Reach
    marks: tuple[AppliedMark, ...]
    words: str
    agrees: bool
    redundancy: int


def redundancy_of_old(reach: Mapping[str, Any], redundancy: int) -> dict[str, Any]:
    """Return a stored reach; of one that was stored before its redundancy was, a variance of 1 is that of given sigmas."""
    if "redundancy" in reach:
        return dict(reach)
    flat, up = (reach[name] in (None, 1.0) for name in ("variance_m2", "up_variance_m2"))
    return {**reach, "redundancy": None if flat else redundancy, "up_redundancy": None if up else max(redundancy // 2, 1)}
