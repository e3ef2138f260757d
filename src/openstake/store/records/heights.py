"""Height readings: the same one typed twice."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from openstake.store.models import HeightReading


def same_reading_since(session: Session, row: HeightReading, since_s: float) -> HeightReading | None:
    """Return a first reading with the text, feature, unit and moment of another one, of its set-up and since a moment (Unix seconds)."""
    alike = (HeightReading.setup_id, HeightReading.text, HeightReading.moment, HeightReading.feature, HeightReading.bare_unit)
    same = (column == getattr(row, column.key) for column in alike)
    query = select(HeightReading).where(*same, HeightReading.created_s > since_s, HeightReading.replaces_id.is_(None))
    return session.scalars(query).first()


def readings_of(session: Session, setup_id: str) -> tuple[HeightReading, ...]:
    """Return the readings of a set-up's base, first to last."""
    query = select(HeightReading).where(HeightReading.setup_id == setup_id, HeightReading.subject == "base")
    return tuple(session.scalars(query.order_by(HeightReading.created_s, HeightReading.id)))
