"""Averages of what receivers reported, and the claims of their epochs."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import Any

from sqlalchemy import and_, func, or_, select
from sqlalchemy.orm import Session

from openstake.core.evidence import Status
from openstake.store.models import AverageEpoch, PositionAverageRow


def averages_for_setup(session: Session, purpose: str, setup_id: str, mark_ids: Collection[str]) -> Sequence[PositionAverageRow]:
    """Return the averages of a purpose that a set-up may use, newest first.

    A rover's over a mark belongs to the mark, whichever set-up it was taken in; the base's own to its set-up, on no other mark.
    """
    row = PositionAverageRow
    of_setup = and_(row.setup_id == setup_id, or_(row.mark_id.is_(None), row.mark_id.in_(mark_ids)))
    of_mark = and_(row.purpose == "mark", row.mark_id.in_(mark_ids))
    return session.scalars(select(row).where(row.purpose == purpose, or_(of_setup, of_mark)).order_by(row.created_s.desc())).all()


def largest_claims(session: Session, average_ids: Collection[str]) -> Sequence[Any]:
    """Return of each average the receiver's largest one sigma in east, north and up, and the station that it used."""
    row = AverageEpoch
    largest = (func.max(row.sigma_east_m), func.max(row.sigma_north_m), func.max(row.sigma_up_m), func.max(row.station_id))
    return session.execute(select(row.average_id, *largest).where(row.average_id.in_(average_ids)).group_by(row.average_id)).all()


def fixed_averages_on_marks(session: Session, job_id: str) -> Sequence[PositionAverageRow]:
    """Return the averages over marks of a job all of whose positions were fixed, newest first."""
    row = PositionAverageRow
    fixed = (row.job_id == job_id, row.purpose == "mark", row.lowest_status == Status.FIXED.value, row.mark_id.is_not(None))
    return session.scalars(select(row).where(*fixed).order_by(row.created_s.desc())).all()


def epochs_of_average(session: Session, average_id: str) -> Sequence[AverageEpoch]:
    """Return the epochs of an average, in order."""
    return session.scalars(select(AverageEpoch).where(AverageEpoch.average_id == average_id).order_by(AverageEpoch.n)).all()
