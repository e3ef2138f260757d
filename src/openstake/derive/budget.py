"""The error budget of what is measured in a job: its settings, and the circumstances of a shot as they stand."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from sqlalchemy.orm import Session

from openstake.core.base_sources import AUTONOMOUS_SIGMAS_M
from openstake.core.budget import Budget, BudgetSettings, Circumstances, budget_of
from openstake.core.constants import CIRCLE_95, LINE_95
from openstake.core.kit.gear import Pole
from openstake.core.limits import LONGEST_BASELINE_M
from openstake.derive.applied import applied_now, fit_sigmas_m
from openstake.derive.base import is_autonomous
from openstake.derive.job import JobNow
from openstake.derive.kit import KitNow
from openstake.derive.points import Point
from openstake.store.models import BaseCoordinate, BudgetSettingsRow, Shot
from openstake.store.records.settings import SettingsLine


def _same(settings: BudgetSettings) -> BudgetSettings:
    return settings


def _words(settings: BudgetSettings) -> str:
    return (
        f"Error budget changed: vector {settings.vector_horizontal_m:g} m and {settings.vector_horizontal_ppm:g} ppm horizontally, "
        f"{settings.vector_vertical_m:g} m and {settings.vector_vertical_ppm:g} ppm in height."
    )


BUDGET = SettingsLine(BudgetSettingsRow, BudgetSettings, _same, "budget-settings", "The error budget has been changed", _words)


@dataclass(frozen=True)
class PoleUsed:
    """The rover's pole of a job as the kit has it: its bubble's sensitivity (None where nobody said), whether legs hold it."""

    bubble_arcmin: float | None = None
    held: bool = False


def pole_used(kit: KitNow) -> PoleUsed:
    """Return the pole of the job's first rover that has one."""
    poles: list[Pole] = kit.poles(base=False)
    return PoleUsed(poles[0].bubble_arcmin, poles[0].kind != "pole") if poles else PoleUsed()


def base_sigmas_m(coordinate: BaseCoordinate) -> tuple[float, float]:
    """Return one sigma of a base's coordinate, of an axis horizontally and in height: as it stands with it, or that of an autonomous one."""
    if is_autonomous(coordinate):
        return AUTONOMOUS_SIGMAS_M
    return coordinate.accuracy_horizontal_95_m / CIRCLE_95, coordinate.accuracy_vertical_95_m / LINE_95


def circumstances_of(shot: Shot, point: Point, pole: PoleUsed, absolute: bool) -> Circumstances:
    """Return how a shot was measured, as its base and its heights stand now."""
    flat, up = base_sigmas_m(point.coordinate)
    return Circumstances(
        baseline_m=min(point.distance_m, LONGEST_BASELINE_M),
        absolute=absolute,
        base_horizontal_m=flat,
        base_vertical_m=up,
        base_height_m=point.base_height.sigma_m,
        seconds=shot.seconds,
        age_s=point.age_s,
        pole_height_m=point.rover_height.arp_height_m,
        bubble_arcmin=pole.bubble_arcmin,
        held=pole.held,
        fixed_rod=point.rover_height.method == "rod",
        claim_east_m=shot.sigma_east_m,
        claim_north_m=shot.sigma_north_m,
        claim_covariance_en_m2=shot.covariance_en_m2 or 0.0,
        claim_vertical_m=shot.sigma_up_m,
    )


def budget_of_shot(shot: Shot, point: Point, pole: PoleUsed, settings: BudgetSettings, absolute: bool = False) -> Budget:
    """Return the budget of a shot, relative to its base mark or absolute."""
    return budget_of(circumstances_of(shot, point, pole, absolute), settings)


def budgets_in_fit(
    session: Session, job: JobNow, shots: Sequence[Shot], derived: Sequence[Point], pole: PoleUsed, settings: BudgetSettings
) -> list[Budget | None]:
    """Return the budgets of shots in the local grid, by the fit in use; None without one.

    NaN in one cannot be said: the fit does not know how good it is there.
    """
    applied = applied_now(session, job.id)
    if applied is None or not shots:
        return [None] * len(shots)
    grid = np.array([(point.east_m, point.north_m, point.height_m) for point in derived])
    rests = set(applied.rests_on)
    return [
        budget_of(
            replace(
                circumstances_of(shot, point, pole, absolute=False),
                fit_horizontal_m=flat,
                fit_vertical_m=up,
                fit_rests_on_base=not rests.isdisjoint(point.base_height.ids),
            ),
            settings,
        )
        for shot, point, (flat, up) in zip(shots, derived, fit_sigmas_m(job, applied, grid).tolist(), strict=True)
    ]


def settings_of(session: Session, job_id: str) -> BudgetSettings:
    """Return what a job takes for its budget."""
    return BUDGET.read(session, job_id)[1]
