"""The bases that ran in a job and ended, with what can still be done for them."""

from __future__ import annotations

from dataclasses import dataclass

from openstake.core.base_sources import source_title
from openstake.core.base_stages import earlier_state
from openstake.core.chain import State
from openstake.core.judge.height import KnownAntenna
from openstake.derive.base import BaseNow, bases_of, is_autonomous
from openstake.derive.heights import known_antenna
from openstake.derive.job import JobNow, job_of
from openstake.derive.kit import kit_of
from openstake.derive.marks import MarkNow, marks_of
from openstake.workflow.base import coordinate as coordinates
from openstake.workflow.base import log, solution
from openstake.workflow.base.heights import BaseHeights, readings_view
from openstake.workflow.context import Context
from openstake.workflow.photos import PhotoView, photos_of


@dataclass(frozen=True, kw_only=True)
class EarlierBase:
    """A base that ran and ended; `anew`: what its mark gives now, in words, where that is another coordinate."""

    id: str
    mark_name: str
    station_id: int
    started_s: float
    ended_s: float
    source: str
    title: str
    detail: str
    locked: bool
    autonomous: bool
    state: State
    heights: BaseHeights
    logs: list[log.LogView]
    files: list[log.RawFileView]
    photos: list[PhotoView]
    coordinates: list[solution.CoordinateView]
    anew: str


@dataclass(frozen=True)
class EarlierBases:
    """The bases that ran in a job and ended, latest first."""

    bases: list[EarlierBase]


def earlier(context: Context, job_id: str) -> EarlierBases:
    """Return the bases that ran in this job and ended, latest first, with what can still be done for them."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        antenna = known_antenna(kit_of(session, job_id))
        bases = [base for base in bases_of(session, job_id).values() if base.ended_s is not None][::-1]
        ids = {base.occupation.id for base in bases}
        setups = {base.occupation.setup_id for base in bases if base.occupation.setup_id}
        on = {base.occupation.mark_id for base in bases}
        marks = marks_of(session, job, on)
        logs, photos = log.logs_of(session, ids), photos_of(session, setups)
        files = log.raw_files_of(context, session, ids)
        return EarlierBases(
            [
                _earlier(
                    job,
                    base,
                    marks[base.occupation.mark_id],
                    antenna,
                    logs[base.occupation.id],
                    files[base.occupation.id],
                    photos.get(base.occupation.setup_id or "", []),
                )
                for base in bases
            ]
        )


def _earlier(
    job: JobNow,
    base: BaseNow,
    mark: MarkNow,
    antenna: KnownAntenna,
    logs: list[log.LogView],
    files: list[log.RawFileView],
    photos: list[PhotoView],
) -> EarlierBase:
    occupation, coordinate = base.occupation, base.coordinate
    heights = readings_view(job, antenna, base.readings)
    return EarlierBase(
        id=occupation.id,
        mark_name=mark.name,
        station_id=occupation.station_id,
        started_s=occupation.started_s,
        ended_s=base.ended_s or 0.0,
        source=coordinate.source,
        title=source_title(coordinate.source),
        detail=coordinate.detail,
        locked=coordinate.locked,
        autonomous=is_autonomous(coordinate),
        state=earlier_state(heights.findings, heights.closing_read),
        heights=heights,
        logs=logs,
        files=files,
        photos=photos,
        coordinates=solution.coordinates_view(base),
        anew=coordinates.anew_words(job, base, mark),
    )
