"""Another coordinate in place of a base's: by how much every point moves, and the row that does it."""

from __future__ import annotations

from dataclasses import dataclass
from math import hypot

from sqlalchemy.orm import Session

from openstake.core.control import in_words
from openstake.core.errors import ConflictError
from openstake.core.judge.coordinate import moved_enu_m
from openstake.core.units import text_from_metres
from openstake.derive import points
from openstake.derive.base import base_of
from openstake.derive.job import JobNow
from openstake.derive.marks import marks_of
from openstake.store.models import BaseCoordinate, Occupation, Shot
from openstake.store.records.labels import labels_of
from openstake.store.records.shots import OF_THE_JOB, shots_of_base
from openstake.workflow.base.coordinate import Proposed, coordinate_row
from openstake.workflow.command import Transaction

_MOVES_SHOWN = 300


@dataclass(frozen=True, kw_only=True)
class MovedPoint:
    """How a point would move, metres, and what its difference from its mark is before and after."""

    name: str
    moves_east_m: float
    moves_north_m: float
    moves_up_m: float
    before: str
    after: str


def moved_points(session: Session, job: JobNow, occupation: Occupation, instead: BaseCoordinate) -> list[MovedPoint]:
    """Return how the newest points of a base move, oldest first, and their checks before and after."""
    newest = shots_of_base(session, occupation.id, OF_THE_JOB, newest_first=True, limit=_MOVES_SHOWN)
    shots, bases = newest[::-1], {occupation.id: base_of(session, occupation)}
    marks = marks_of(session, job, {shot.mark_id for shot in shots if shot.mark_id is not None})
    labels = labels_of(session, job.id, [shot.id for shot in shots])

    def words(shot: Shot, point: points.Point) -> str:
        if shot.mark_id is None:
            return ""
        return in_words(points.from_mark(point, marks[shot.mark_id]), job.length_unit)

    before = points.derive_all(session, job, shots, bases)
    after = points.derive_all(session, job, shots, bases, instead)
    return [
        MovedPoint(
            name=labels[shot.id].name if shot.id in labels else shot.name,
            moves_east_m=new.east_m - old.east_m,
            moves_north_m=new.north_m - old.north_m,
            moves_up_m=new.height_m - old.height_m,
            before=words(shot, old),
            after=words(shot, new),
        )
        for shot, old, new in zip(shots, before, after, strict=True)
    ]


def replace_coordinate(
    tx: Transaction, occupation: Occupation, present: BaseCoordinate, coordinate: Proposed, *, locked: bool, reason: str, unlock: bool
) -> None:
    """Put a coordinate in place of the present one by a new row; ConflictError where that is locked and `unlock` is not said."""
    if present.locked and not unlock:
        raise ConflictError("This coordinate is locked as control quality. Unlock it first, and say why.")
    row = coordinate_row(coordinate, occupation.id, tx.now_s)
    row.replaces_id, row.reason, row.locked = present.id, reason.strip(), locked
    tx.add(row)
    east, north, up = moved_enu_m((present.x_m, present.y_m, present.z_m), coordinate.xyz_m)
    unit = tx.job.length_unit
    tx.tell(
        "base-coordinate-replaced",
        f"Base coordinate replaced by {coordinate.detail}, frame {coordinate.frame}, epoch {coordinate.frame_epoch}"
        f"{', locked as control quality' if locked else ''}: {row.reason}. Every point from this base moves by "
        f"{text_from_metres(hypot(east, north), unit)} horizontally and {text_from_metres(up, unit)} in height.",
        occupation=occupation.id,
        replaces=present.id,
        base_coordinate=row.id,
        x_m=row.x_m,
        y_m=row.y_m,
        z_m=row.z_m,
        locked=locked,
    )
