"""What points are called now: the head of each shot's line of labels."""

from __future__ import annotations

from collections.abc import Collection, Sequence

from sqlalchemy.orm import Session

from openstake.core.shot import next_name
from openstake.store.models import Mark, PointLabel, Shot
from openstake.store.records import lines

FIRST_NAME = "P1"
_MOST_NAMED = 20_000


def labels_of(session: Session, job_id: str, shot_ids: Collection[str] | None = None) -> dict[str, PointLabel]:
    """Return the current labels of a job's points by their shots, of some of them where ids are given; checks have none."""
    chosen = []
    if shot_ids is not None and len(shot_ids) <= _MOST_NAMED:
        chosen = [PointLabel.shot_id.in_(set(shot_ids))]
    rows = session.scalars(lines.heads(PointLabel, PointLabel.job_id == job_id, *chosen))
    return {row.shot_id: row for row in rows}


def is_taken(session: Session, job_id: str, name: str) -> bool:
    """Tell whether a point or a mark of a job has a name now."""
    label = lines.heads(PointLabel, PointLabel.job_id == job_id, PointLabel.name == name, ~PointLabel.taken_out)
    if session.scalars(label.limit(1)).first() is not None:
        return True
    mark = lines.heads(Mark, Mark.job_id == job_id, Mark.name == name, ~Mark.withdrawn)
    return session.scalars(mark.limit(1)).first() is not None


def free_name(session: Session, job_id: str, wanted: str) -> str:
    """Return a name, or the next one that counts up from it and that no point or mark of the job has: few queries, however far it counts."""
    if not is_taken(session, job_id, wanted):
        return wanted
    wanted = next_name(wanted, {wanted}.__contains__)
    if not is_taken(session, job_id, wanted):
        return wanted
    stem = wanted.rstrip("0123456789")
    columns = (
        (PointLabel.name, lines.heads(PointLabel, PointLabel.job_id == job_id, ~PointLabel.taken_out)),
        (Mark.name, lines.heads(Mark, Mark.job_id == job_id, ~Mark.withdrawn)),
    )
    taken: set[str] = set()
    for name, heads in columns:
        taken.update(session.scalars(heads.with_only_columns(name).where(name.startswith(stem, autoescape=True))))
    return next_name(wanted, taken.__contains__)


def newest_label(session: Session, job_id: str) -> PointLabel | None:
    """Return the label of the point that was recorded last and is not taken out."""
    # By the job of the shot: shots are found in their order.
    heads = lines.heads(PointLabel, ~PointLabel.taken_out).join(Shot, Shot.id == PointLabel.shot_id).where(Shot.job_id == job_id)
    newest = heads.order_by(Shot.created_s.desc(), Shot.id.desc())
    return session.scalars(newest.limit(1)).first()


def last_named(session: Session, job_id: str) -> str:
    """Return what the point is called that was recorded last; empty where there is none."""
    newest = newest_label(session, job_id)
    return newest.name if newest is not None else ""


def usual_name(session: Session, job_id: str) -> str:
    """Return what the next point is called where nobody says otherwise: it counts up from the last one."""
    return free_name(session, job_id, last_named(session, job_id) or FIRST_NAME)


def labels_named(session: Session, job_id: str, names: Collection[str]) -> Sequence[PointLabel]:
    """Return the current labels of a job's points that have one of some names and are not taken out."""
    return session.scalars(lines.heads(PointLabel, PointLabel.job_id == job_id, ~PointLabel.taken_out, PointLabel.name.in_(names))).all()
