"""The kit and what is brought: versions of profiles, bench tests, geoid grids, ticks, photos, answers to findings."""

from __future__ import annotations

from collections.abc import Collection, Sequence

from sqlalchemy import select
from sqlalchemy.orm import Session

from openstake.core.kit.gear import GEAR
from openstake.store.models import BenchTest, FindingAnswer, GearItem, GeoidGridFile, JobProfile, Photo, ProfileVersion, Tick
from openstake.store.records import lines


def profile_versions(session: Session, line_id: str) -> Sequence[ProfileVersion]:
    """Return all versions of a profile, newest first."""
    return session.scalars(select(ProfileVersion).where(ProfileVersion.line_id == line_id).order_by(ProfileVersion.version.desc())).all()


def bench_rows(session: Session, job_id: str, limit: int) -> Sequence[BenchTest]:
    """Return the newest bench tests of a job."""
    return session.scalars(select(BenchTest).where(BenchTest.job_id == job_id).order_by(BenchTest.created_s.desc()).limit(limit)).all()


def geoid_rows(session: Session) -> Sequence[GeoidGridFile]:
    """Return the geoid grids of the data folder, first to last."""
    return session.scalars(select(GeoidGridFile).order_by(GeoidGridFile.created_s)).all()


def training_geoid(session: Session) -> GeoidGridFile | None:
    """Return the coarse grid that comes with the program."""
    return session.scalars(select(GeoidGridFile).where(GeoidGridFile.training_only)).first()


def geoid_of_file(session: Session, file: str) -> GeoidGridFile | None:
    """Return a geoid grid by its file's name, which is its SHA-256."""
    return session.scalars(select(GeoidGridFile).where(GeoidGridFile.file == file)).first()


def tick_rows(session: Session, job_id: str, list_name: str) -> Sequence[Tick]:
    """Return what was ticked and unticked on a list, first to last."""
    return session.scalars(select(Tick).where(Tick.job_id == job_id, Tick.list == list_name).order_by(Tick.created_s, Tick.id)).all()


def photo_rows(session: Session, owner_ids: Collection[str]) -> Sequence[Photo]:
    """Return the photos of set-ups or shots, first to last."""
    return session.scalars(select(Photo).where(Photo.owner_id.in_(set(owner_ids))).order_by(Photo.created_s)).all()


def answers_of(session: Session, job_id: str) -> Sequence[FindingAnswer]:
    """Return what was answered to findings of a job, newest first."""
    return session.scalars(select(FindingAnswer).where(FindingAnswer.job_id == job_id).order_by(FindingAnswer.created_s.desc())).all()


def gear_rows(session: Session) -> list[GearItem]:
    """Return the current rows of all gear that is not withdrawn, by kind and name; of two of one name the newer.

    Two come of another crew's package: a name is given once on one machine.
    """
    rows = session.scalars(lines.heads(GearItem, ~GearItem.withdrawn).order_by(GearItem.created_s, GearItem.id))
    newest = {(row.kind, row.name): row for row in rows}
    order = list(GEAR)
    return sorted(newest.values(), key=lambda row: (order.index(row.kind), row.name))


def profile_rows(session: Session) -> list[ProfileVersion]:
    """Return the newest version of every profile that is not withdrawn, by name."""
    newest = lines.heads(ProfileVersion, ~ProfileVersion.withdrawn)
    return list(session.scalars(newest.order_by(ProfileVersion.name)))


def chosen_lines(session: Session, job_id: str) -> set[str]:
    """Return the lines of the profiles that a job uses."""
    rows = session.scalars(select(JobProfile).where(JobProfile.job_id == job_id).order_by(JobProfile.created_s, JobProfile.id))
    latest = {row.line_id: row.chosen for row in rows}
    return {line_id for line_id, chosen in latest.items() if chosen}
