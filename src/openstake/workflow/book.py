"""The Book: what happened, in order; and the points to take home."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from sqlalchemy import Row, Select, select

from openstake.core.budget import Budget
from openstake.core.limits import ShortText
from openstake.core.units import METRES_PER_UNIT
from openstake.store.book import Verification, verify
from openstake.store.models import BookEntry, PointLabel, Shot
from openstake.wire.address import hidden_passwords, holds_password
from openstake.wire.tables.cells import csv_text
from openstake.workflow.context import Context
from openstake.workflow.now import points
from openstake.workflow.now.applied import LocalPlace, local_of_points
from openstake.workflow.now.budget import budget_of_shot, budgets_in_fit, pole_used, settings_of
from openstake.workflow.now.job import job_of
from openstake.workflow.now.kit import kit_of
from openstake.workflow.now.labels import labels_of
from openstake.workflow.now.points import Point

MOST_LINES = 500


@dataclass(frozen=True)
class BookQuery:
    """`after` is where the last page ended."""

    after: ShortText = ""


@dataclass(frozen=True)
class BookLine:
    """One line of the Book, by the crew or by the program."""

    id: str
    sequence: int
    at_s: float
    kind: str
    sentence: str
    side: Literal["crew", "machine"]
    hash: str


@dataclass(frozen=True)
class BookView:
    """A page of a job's lines, newest first; `verification` comes with the first page, `next` asks for the lines before.

    `passwords` says, with the first page, that lines hold one: it is hidden here, and cannot be taken out of the Book.
    """

    lines: list[BookLine]
    next: str | None
    verification: Verification | None
    passwords: str


def view(context: Context, job_id: str, query: BookQuery) -> BookView:
    """Return a page of a job's lines, newest first, and with the first page whether the whole Book is whole."""
    with context.database.read() as session:
        job_of(session, job_id)
        lines = select(BookEntry).where(BookEntry.job_id == job_id)
        last = session.get(BookEntry, query.after) if query.after else None
        if last is not None:
            lines = lines.where(BookEntry.sequence < last.sequence)
        rows = session.scalars(lines.order_by(BookEntry.sequence.desc()).limit(MOST_LINES + 1)).all()
        verification = None if query.after else verify(session)
        telling = [] if query.after else session.execute(_with_passwords(job_id)).all()
    following = rows[MOST_LINES - 1].id if len(rows) > MOST_LINES else None
    return BookView([_line(row) for row in rows[:MOST_LINES]], following, verification, _said_of(telling))


def _with_passwords(job_id: str) -> Select[int, str]:
    like = BookEntry.text.like("%://%:%@%")
    return (
        select(BookEntry.sequence, BookEntry.text).where(BookEntry.job_id == job_id, like).order_by(BookEntry.sequence)
    )


def _said_of(rows: Sequence[Row[int, str]]) -> str:
    numbers = [str(sequence) for sequence, text in rows if holds_password(text)]
    if not numbers:
        return ""
    which = (
        f"Line {numbers[0]} holds" if len(numbers) == 1 else f"{len(numbers)} lines (the first is {numbers[0]}) hold"
    )
    return (
        f"{which} a caster's password that an earlier version wrote with its address. A line of the Book cannot be unsaid: "
        "it is hidden here, and stands in the data folder. Change the password at the caster."
    )


def _line(row: BookEntry) -> BookLine:
    document = json.loads(row.text)
    return BookLine(
        row.id, row.sequence, float(document["at_s"]), document["kind"], hidden_passwords(document["sentence"]), document["side"], row.hash
    )  # fmt: skip


def verification(context: Context) -> Verification:
    """Return whether every device's chain is whole."""
    with context.database.read() as session:
        return verify(session)


def points_csv(context: Context, job_id: str) -> str:
    """Return the job's shots as CSV in the job's unit: coordinates derived now with 95 % relative to the base mark, and local ones where a local fit is in use."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        shots = session.scalars(
            select(Shot).where(Shot.job_id == job_id, points.OF_THE_JOB).order_by(Shot.created_s)
        ).all()
        labels = labels_of(session, job_id)
        shots = [shot for shot in shots if shot.id not in labels or not labels[shot.id].taken_out]
        derived = points.derive_all(session, job, shots)
        local = local_of_points(session, job, derived)
        pole, usual = pole_used(kit_of(session, job_id)), settings_of(session, job_id)
        budgets = [budget_of_shot(shot, point, pole, usual) for shot, point in zip(shots, derived, strict=True)]
        fitted = budgets_in_fit(session, job, shots, derived, pole, usual)
    factor, unit = METRES_PER_UNIT[job.length_unit], job.length_unit
    header = [
            "name", f"east_{unit}", f"north_{unit}", f"ellipsoidal_height_{unit}", "epochs", "not_fixed",
            f"claimed_sigma_east_{unit}", f"claimed_sigma_north_{unit}", f"claimed_sigma_up_{unit}",
            "covariance_origin", "frame", "frame_epoch", "base_height_m", "rover_height_m", "recorded_utc_s", "kind", "code", "note",
            f"horizontal_95_{unit}", f"vertical_95_{unit}",
            *(f"local_{name}_{unit}" for name in ("east", "north", "height", "horizontal_95", "vertical_95") if any(local)),
    ]  # fmt: skip
    return csv_text(
        [
            header,
            *(
                _csv_row(shot, point, budget, place, fit, factor, labels.get(shot.id))
                for shot, point, budget, place, fit in zip(shots, derived, budgets, local, fitted, strict=True)
            ),
        ]
    )


def _csv_row(
    shot: Shot, point: Point, budget: Budget, local: LocalPlace | None, in_fit: Budget | None, factor: float, label: PointLabel | None,
) -> list[object]:  # fmt: skip
    def length(value: float | None) -> str:
        return "" if value is None else f"{value / factor:.4f}"

    return [
        label.name if label else shot.name, length(point.east_m), length(point.north_m), length(point.height_m), point.epochs,
        point.not_fixed, length(shot.sigma_east_m), length(shot.sigma_north_m), length(shot.sigma_up_m),
        shot.covariance_origin, shot.frame, shot.frame_epoch, f"{point.base_height.arp_height_m:.4f}",
        f"{point.rover_height.arp_height_m:.4f}", f"{shot.created_s:.3f}", shot.kind,
        label.code if label else "", label.note if label else "", length(budget.horizontal_95_m), length(budget.vertical_95_m),
        *(() if local is None else (length(value) for value in (local.east_m, local.north_m, local.height_m))),
        *(() if local is None else (("", "") if in_fit is None else (length(in_fit.horizontal_95_m), length(in_fit.vertical_95_m)))),
    ]  # fmt: skip
