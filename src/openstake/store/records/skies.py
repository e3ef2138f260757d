"""Skies: elements that were loaded and heard, skylines of marks, skies held against what was seen."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from openstake.store.models import ElementFile, HeardEphemeris, ImportedFile, SkyCheck, SkylineRow
from openstake.store.records.lines import heads


def element_files(session: Session, job_id: str) -> list[ElementFile]:
    """Return the files of elements that a job uses, oldest first."""
    query = heads(ElementFile, ElementFile.job_id == job_id, ElementFile.withdrawn.is_(False))
    return list(session.scalars(query.order_by(ElementFile.created_s, ElementFile.id)))


def contents_of(session: Session, imported_ids: Collection[str]) -> dict[str, bytes]:
    """Return files that were brought in, by the ids of their rows."""
    rows = session.execute(select(ImportedFile.id, ImportedFile.content).where(ImportedFile.id.in_(set(imported_ids))))
    return {row.id: row.content for row in rows}


def heard_said(session: Session, job_id: str, since_s: float) -> tuple[int, float, float]:
    """Return how many ephemerides were heard in a job since a moment (Unix seconds), and when the first and the last one were."""
    where = (HeardEphemeris.job_id == job_id, HeardEphemeris.heard_s >= since_s)
    heard_s = HeardEphemeris.heard_s
    count, first_s, last_s = session.execute(select(func.count(), func.min(heard_s), func.max(heard_s)).where(*where)).one()
    return count, first_s or 0.0, last_s or 0.0


def heard_ephemerides(session: Session, job_id: str, since_s: float) -> Sequence[Any]:
    """Return payloads of ephemerides that were heard in a job since a moment, and when: (payload, heard_s)."""
    query = select(HeardEphemeris.payload, HeardEphemeris.heard_s).where(HeardEphemeris.job_id == job_id, HeardEphemeris.heard_s >= since_s)
    return session.execute(query.order_by(HeardEphemeris.heard_s, HeardEphemeris.id)).all()


def skyline_heads(session: Session, job_id: str) -> list[SkylineRow]:
    """Return the newest row of every skyline of a job, oldest first."""
    query = heads(SkylineRow, SkylineRow.job_id == job_id)
    return list(session.scalars(query.order_by(SkylineRow.created_s, SkylineRow.id)))


def latest_check(session: Session, occupation_id: str) -> SkyCheck | None:
    """Return the newest sky that was held against what was seen from a base."""
    query = select(SkyCheck).where(SkyCheck.occupation_id == occupation_id).order_by(SkyCheck.created_s.desc(), SkyCheck.id)
    return session.scalars(query.limit(1)).first()
