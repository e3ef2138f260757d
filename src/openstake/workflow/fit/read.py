"""A local fit from a table of pairs: computed, diagnosed, judged."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from openstake.core.judge.finding import Finding, ranked
from openstake.core.judge.fit import Suspected
from openstake.core.localfit.expected import ExpectedFit
from openstake.core.localfit.horizontal import fit_horizontal
from openstake.core.localfit.pair import HorizontalModel, Pair, VerticalModel
from openstake.core.localfit.parameters import parameters_of, pipeline_of
from openstake.core.localfit.vertical import fit_vertical
from openstake.wire.tables.pairs import MOST_BYTES, read_pairs
from openstake.workflow.captures import beginning_of
from openstake.workflow.fit.diagnosis import HorizontalRead, PointRead, VerticalRead, diagnosed


@dataclass(frozen=True, kw_only=True)
class FitRead:
    """A fit with its diagnosis; `test` says by what residuals are judged."""

    horizontal: HorizontalRead
    vertical: VerticalRead | None
    test: Literal["Baarda", "tau"]
    points: list[PointRead]
    suspects: list[Suspected]
    proj_pipeline: str
    findings: tuple[Finding, ...]


def read_fit(path: Path, scale: float | None, vertical: VerticalModel) -> FitRead:
    """Return the fit of a table: scale None is free, else it is held.  FileError, InputError where it cannot be."""
    pairs = read_pairs(beginning_of(path, MOST_BYTES))
    return fit_of(pairs, "similarity" if scale is None else "rotation", 1.0 if scale is None else scale, vertical)


def fit_of(pairs: list[Pair], model: HorizontalModel, scale: float, vertical_model: VerticalModel) -> FitRead:
    """Return the fit of pairs with its diagnosis."""
    flat, up = fit_horizontal(pairs, model, scale), fit_vertical(pairs, vertical_model)
    found = diagnosed(pairs, flat, up, ExpectedFit(1.0, None))
    return FitRead(
        horizontal=found.horizontal,
        vertical=found.vertical,
        test=found.test,
        points=found.points,
        suspects=found.suspects,
        proj_pipeline=pipeline_of(parameters_of(flat, up, False, None)),
        findings=ranked(found.findings),
    )
