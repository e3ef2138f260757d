"""The local fit in use: applied, dropped, applied again; and every point in both systems."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from sqlalchemy.orm import Session

from openstake.core.errors import ConflictError, NotFoundError
from openstake.core.judge.finding import contradicting
from openstake.core.limits import ShortText
from openstake.core.localfit.geometry import Reach
from openstake.core.localfit.kept import AppliedFit, AppliedMark
from openstake.core.localfit.parameters import FitParameters, pipeline_of
from openstake.derive import points
from openstake.derive.applied import applied_now, local_of
from openstake.derive.fit import fit_now, in_fit_grid
from openstake.derive.job import JobNow, job_of
from openstake.store.book import lost_race
from openstake.store.models import FitApplied
from openstake.store.records import lines
from openstake.store.records.fits import applied_rows, last_applied
from openstake.store.records.labels import labels_of
from openstake.store.records.shots import OF_THE_JOB, shots_page
from openstake.workflow.command import Transaction, command
from openstake.workflow.context import Context
from openstake.workflow.fit.choose import page
from openstake.workflow.fit.diagnosis import known
from openstake.workflow.fit.judged import judged

MOST_POINTS = 200


@dataclass(frozen=True)
class FitApply:
    """Use the fit as it is shown, in place of the applied row that is seen; `accepted`: although something speaks against it."""

    chosen_id: ShortText | None = None
    replaces_id: ShortText | None = None
    accepted: bool = False


@dataclass(frozen=True)
class FitDrop:
    """Use no fit any more; the one that is seen."""

    replaces_id: ShortText


@dataclass(frozen=True)
class FitReapply:
    """Use a fit again that was applied before."""

    applied_id: ShortText


@dataclass(frozen=True, kw_only=True)
class FitOnce:
    """A fit that was applied at some time: `in_use` now or not; `dropped`: this row says that none is used."""

    id: str
    at_s: float
    words: str
    scale_ppm: float
    rotation_deg: float
    in_use: bool
    dropped: bool


@dataclass(frozen=True)
class BothQuery:
    """`after` is where the last page ended."""

    after: ShortText = ""


@dataclass(frozen=True, kw_only=True)
class PointInBoth:
    """A point in the job's coordinates and in local ones, metres; what the fit alone gives there at 95 %; inside its marks or not."""

    id: str
    name: str
    east_m: float
    north_m: float
    height_m: float
    local_e_m: float
    local_n_m: float
    local_h_m: float | None
    fit_95_m: float | None
    inside: bool


@dataclass(frozen=True, kw_only=True)
class FitUse:
    """The fits that were applied, newest first, and the points in both systems, newest first, by the one in use, else by the one shown."""

    once: list[FitOnce]
    by: str
    points: list[PointInBoth]
    next: str | None


# --- applied ---


@command(page)
def apply(tx: Transaction, request: FitApply) -> None:
    """Use the fit as it is shown."""
    job = tx.job
    job.needs_datum()
    now = fit_now(tx.session, job)
    if now.chosen_id != request.chosen_id:
        raise ConflictError("The fit has been changed in the meantime. Look at it and try again.")
    item = judged(tx.session, job, now)
    if now.parameters is None or now.reach is None or item.found is None:
        raise ConflictError(f"There is no fit to apply: {now.problem}")
    stops = contradicting(item.findings)
    if stops and not request.accepted:
        raise ConflictError(f"{stops[0].sentence} Apply it anyway only if you say so.", field="accepted")
    old = _head(tx.session, tx.job_id, request.replaces_id)
    marks = [
        AppliedMark(
            line_id=now.marks[place].line_id,
            name=point.name,
            use=point.use,
            residual_e_m=point.residual_e_m,
            residual_n_m=point.residual_n_m,
            residual_h_m=point.residual_h_m,
        )
        for place, point in zip(now.measured, item.found.points, strict=True)
    ]
    used = [now.marks[place] for place, pair in zip(now.measured, now.pairs, strict=True) if pair.use != "check"]
    rests = sorted({row_id for mark in used for row_id in mark.rests_on()})
    words = item.headline.sentence
    row = FitApplied(
        job_id=tx.job_id,
        data=AppliedFit(
            parameters=now.parameters,
            reach=now.reach,
            marks=tuple(marks),
            words=words,
            agrees=not stops,
            redundancy=item.found.horizontal.redundancy,
        ),
        rests_on=tuple(rests),
        replaces_id=old.id if old else None,
        created_s=tx.now_s,
    )
    tx.add(row)
    tx.tell(
        "fit-applied",
        f"Local fit applied: {words}. {pipeline_of(now.parameters)}",
        fit=row.id,
        a=now.parameters.a,
        b=now.parameters.b,
        shift_e_m=now.parameters.shift_e_m,
        shift_n_m=now.parameters.shift_n_m,
    )


def _head(session: Session, job_id: str, seen_id: str | None) -> FitApplied | None:
    """Return the latest applied row; ConflictError where it is not the one that is seen in use."""
    row = last_applied(session, job_id)
    in_use = None if row is None or row.dropped else row.id
    if in_use != seen_id:
        what = "Another fit has been applied"
        raise (lost_race(session, what, row) if row else ConflictError(f"{what} in the meantime. Look at it and try again."))
    return row


@command(page)
def drop(tx: Transaction, request: FitDrop) -> None:
    """Use no fit any more: points have the job's coordinates alone; nothing is lost."""
    old = _head(tx.session, tx.job_id, request.replaces_id)
    if old is None or old.dropped:
        raise ConflictError("No fit is in use.")
    tx.replace(old, dropped=True)
    tx.tell("fit-dropped", "Local fit dropped: the job works in its own coordinates.", fit=old.id)


@command(page)
def reapply(tx: Transaction, request: FitReapply) -> None:
    """Use a fit again that was applied before, with the numbers that it had."""
    again = tx.session.get(FitApplied, request.applied_id)
    if again is None or again.job_id != tx.job_id:
        raise NotFoundError("This fit was never applied in this job.")
    head = last_applied(tx.session, tx.job_id)
    row = FitApplied(job_id=tx.job_id, data=again.data, rests_on=again.rests_on, replaces_id=head.id if head else None, created_s=tx.now_s)
    tx.add(row)
    tx.tell("fit-applied", f"Local fit applied again: {again.data.words}.", fit=row.id, again=again.id)


# --- every point in both systems ---


def uses(context: Context, job_id: str, query: BothQuery) -> FitUse:
    """Return the fits that were applied, and a page of the job's points in both systems."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        rows = applied_rows(session, job_id)
        head = next(iter(lines.current(rows)), None)
        applied, shown = applied_now(session, job_id), fit_now(session, job)
        fit, reach = (shown.parameters, shown.reach) if applied is None else (applied.parameters, applied.reach)
        listed, following = ([], None) if fit is None or reach is None else _in_both(session, job, fit, reach, query)
    once = []
    for row in rows:
        found = row.data
        once.append(
            FitOnce(
                id=row.id,
                at_s=row.created_s,
                words=found.words,
                scale_ppm=found.parameters.scale_ppm,
                rotation_deg=found.parameters.rotation_deg,
                in_use=row is head and not row.dropped,
                dropped=row.dropped,
            )
        )
    by = "the fit in use" if applied is not None else "the fit shown, which is not applied" if fit is not None else ""
    return FitUse(once=once, by=by, points=listed, next=following)


def _in_both(session: Session, job: JobNow, fit: FitParameters, reach: Reach, query: BothQuery) -> tuple[list[PointInBoth], str | None]:
    """Return a page of the job's points in both systems."""
    shots, following = shots_page(session, job.id, query.after, MOST_POINTS, True, OF_THE_JOB)
    labels = labels_of(session, job.id, [shot.id for shot in shots])
    shots = [shot for shot in shots if shot.id not in labels or not labels[shot.id].taken_out]
    derived = points.derive_all(session, job, shots)
    grid = np.array([(point.east_m, point.north_m, point.height_m) for point in derived]).reshape(-1, 3)
    local, places = local_of(job, fit, grid), in_fit_grid(job, fit.site, grid)[:, :2]
    horizontal, inside = reach.horizontal_95_m(places), reach.holds(places)
    return [
        PointInBoth(
            id=shot.id,
            name=labels[shot.id].name if shot.id in labels else shot.name,
            east_m=point.east_m,
            north_m=point.north_m,
            height_m=point.height_m,
            local_e_m=float(local[n, 0]),
            local_n_m=float(local[n, 1]),
            local_h_m=known(local[n, 2]),
            fit_95_m=known(horizontal[n]),
            inside=bool(inside[n]),
        )
        for n, (shot, point) in enumerate(zip(shots, derived, strict=True))
    ], following
