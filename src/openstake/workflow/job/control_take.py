"""Control and points of another job taken over into this one's list: the same numbers, in the same system, never shifted."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

from sqlalchemy.orm import Session

from openstake.core.constants import CIRCLE_95, LINE_95
from openstake.core.errors import InputError
from openstake.core.limits import ShortText
from openstake.core.mark import GivenMark
from openstake.core.units import counted
from openstake.derive import points
from openstake.derive.budget import budget_of_shot, pole_used, settings_of
from openstake.derive.job import JobNow, job_of
from openstake.derive.kit import kit_of
from openstake.derive.marks import current_marks, row_of
from openstake.store.models import Shot
from openstake.store.records.labels import labels_of
from openstake.store.records.shots import OF_THE_JOB, shots_of_job
from openstake.workflow.command import Transaction, carry_out
from openstake.workflow.context import Context
from openstake.workflow.job.control_files import Accepted


@dataclass(frozen=True)
class TakeOver:
    """What to take over: the control list of another job, or its points as they are now."""

    job_id: ShortText
    what: Literal["control", "points"] = "control"


def take_over(context: Context, job_id: str, request: TakeOver) -> Accepted:
    """Put marks of another job into this one's list; a name that is there already stays as it is, and is counted.

    InputError where the two jobs are not in one system: nothing is shifted that nobody named.
    """

    def work(tx: Transaction) -> tuple[int, int]:
        job, other = tx.job, job_of(tx.session, request.job_id)
        _refuse_another_system(job, other)
        given = _control(tx.session, other) if request.what == "control" else _points(tx.session, other)
        if not given:
            raise InputError(f"{other.name} has no {request.what}.", field="job_id")
        there = {mark.name for mark in current_marks(tx.session, job)}
        taken = [mark for mark in given if mark.name not in there]
        if not taken:
            raise InputError(f"Every name of {other.name} is in this list already.", field="job_id")
        rows = [row_of(mark, tx.job_id, f"job {other.name}"[:200], tx.now_s) for mark in taken]
        tx.session.add_all(rows)
        tx.session.flush()
        left = len(given) - len(taken)
        tx.tell(
            "control-imported",
            f"{counted(len(taken), 'mark')} taken over from the {request.what} of {other.name}; {counted(left, 'name')} in this list already.",
            job=other.id,
            marks=[row.id for row in rows],
        )
        return len(taken), left

    accepted, refused = carry_out(context, job_id, work)
    return Accepted(accepted, refused)


def _refuse_another_system(job: JobNow, other: JobNow) -> None:
    if other.id == job.id:
        raise InputError("Choose another job than this one.", field="job_id")
    for what, ours, theirs in (
        ("system", job.system_statement, other.system_statement),
        ("frame", f"{job.positions_label} {job.settings.frame_epoch}", f"{other.positions_label} {other.settings.frame_epoch}"),
        ("vertical system", job.settings.vertical_system, other.settings.vertical_system),
    ):
        if ours != theirs:
            raise InputError(
                f"{other.name} has the {what} {theirs.strip()[:80] or 'not stated'}, this job {ours.strip()[:80] or 'not stated'}. No shift is "
                "applied that nobody named: settle both jobs alike, or take a file with the coordinates of this one.",
                field="job_id",
            )


def _control(session: Session, other: JobNow) -> list[GivenMark]:
    return [
        replace(
            mark.given,
            sigma_horizontal_m=mark.sigma_horizontal_m,
            sigma_vertical_m=mark.sigma_vertical_m,
            source=f"job {other.name}{f', {mark.given.source}' if mark.given.source else ''}"[:200],
        )
        for mark in current_marks(session, other)
    ]


def _points(session: Session, other: JobNow) -> list[GivenMark]:
    """Return the points of a job as marks: provisional, with the sigmas of their budget, absolute; the newest of a name."""
    labels = {shot_id: label for shot_id, label in labels_of(session, other.id).items() if not label.taken_out}
    shots = [shot for shot in shots_of_job(session, other.id, OF_THE_JOB, Shot.mark_id.is_(None)) if shot.id in labels]
    pole, usual = pole_used(kit_of(session, other.id)), settings_of(session, other.id)
    found: dict[str, GivenMark] = {}
    for shot, point in zip(shots, points.derive_all(session, other, shots), strict=True):
        label, budget = labels[shot.id], budget_of_shot(shot, point, pole, usual, absolute=True)
        found[label.name] = GivenMark(
            name=label.name,
            east_m=point.east_m,
            north_m=point.north_m,
            height_m=point.height_m,
            height_kind="ellipsoidal",
            sigma_horizontal_m=budget.horizontal_95_m / CIRCLE_95,
            sigma_vertical_m=budget.vertical_95_m / LINE_95,
            order="provisional",
            source=f"point of job {other.name}"[:200],
            note=" ".join(said for said in (label.code, label.note) if said),
        )
    return list(found.values())
