"""Skylines of marks: drawn, taken from what was not heard, changed and taken back; each is a row, and none is overwritten."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, cast

from annotated_types import Len

from openstake.core.errors import ConflictError, InputError, NotFoundError
from openstake.core.limits import MOST_SKYLINE_POINTS, ShortText
from openstake.core.sky.photo import PhotoAim
from openstake.core.sky.skyline import NO_SKYLINE, SkylineOrigin, skyline_of
from openstake.derive.marks import head_of
from openstake.store.models import Photo, SkylineRow
from openstake.store.records import lines
from openstake.store.records.marks import replaced_marks
from openstake.store.records.skies import skyline_heads
from openstake.workflow.command import Transaction, command

Corners = Annotated[list[float], Len(0, MOST_SKYLINE_POINTS)]


@dataclass(frozen=True, kw_only=True)
class DrawSkyline:
    """A skyline of a mark, its corners in degrees; `replaces_id` is the line that was looked at, None where there was none.

    No corners: nothing hides the sky.  `photo` is what lay under it.
    """

    mark_id: ShortText
    azimuths_deg: Corners
    elevations_deg: Corners
    replaces_id: ShortText | None = None
    origin: SkylineOrigin = "drawn"
    photo: PhotoAim | None = None


@dataclass(frozen=True)
class UndoSkyline:
    """The skyline of a mark that is to be as it was before `replaces_id`."""

    mark_id: ShortText
    replaces_id: ShortText


def _line_of(tx: Transaction, mark_id: str) -> SkylineRow | None:
    """Return the row of a mark's skyline that holds."""
    replaced_by = replaced_marks(tx.session, tx.job_id)
    head = lines.last_of(replaced_by, mark_id)
    found = [row for row in skyline_heads(tx.session, tx.job_id) if lines.last_of(replaced_by, row.mark_id) == head]
    return found[-1] if found else None


def _unchanged_since(tx: Transaction, present: SkylineRow | None, seen_id: str | None) -> None:
    if (present.id if present else None) != seen_id:
        raise ConflictError("Somebody else has changed this skyline in the meantime. Look at it and draw again.")


@command()
def draw_skyline(tx: Transaction, request: DrawSkyline) -> None:
    """Keep the skyline of a mark in place of the one before."""
    if len(request.azimuths_deg) != len(request.elevations_deg):
        raise InputError("Each corner of a skyline has an azimuth and an elevation.", field="skyline")
    mark = head_of(tx.session, tx.job, request.mark_id)
    if request.photo is not None:
        photo = tx.session.get(Photo, request.photo.photo_id)
        if photo is None or photo.job_id != tx.job_id:
            raise NotFoundError("There is no such photo in this job.")
    line = skyline_of(
        [(round(azimuth, 2), round(elevation, 2)) for azimuth, elevation in zip(request.azimuths_deg, request.elevations_deg, strict=True)]
    )
    present = _line_of(tx, request.mark_id)
    _unchanged_since(tx, present, request.replaces_id)
    row = tx.add(
        SkylineRow(
            job_id=tx.job_id,
            mark_id=mark.id,
            data=line,
            origin=request.origin,
            photo=request.photo,
            replaces_id=None if present is None else present.id,
            created_s=tx.now_s,
        )
    )
    said = f"drawn, up to {max(line.elevations_deg):.0f}°" if line.azimuths_deg else "cleared: nothing hides the sky"
    how = " from what was not heard" if request.origin == "seen" and line.azimuths_deg else ""
    tx.tell("skyline", f"Skyline of {mark.name} {said}{how}.", skyline=row.id, mark=mark.id)


@command()
def undo_skyline(tx: Transaction, request: UndoSkyline) -> None:
    """Put the skyline that stood before back; pressed again, it is as it was."""
    mark, present = head_of(tx.session, tx.job, request.mark_id), _line_of(tx, request.mark_id)
    _unchanged_since(tx, present, request.replaces_id)
    assert present is not None
    before = tx.session.get(SkylineRow, present.replaces_id) if present.replaces_id else None
    row = tx.replace(
        present,
        mark_id=mark.id,
        data=NO_SKYLINE if before is None else before.data,
        origin="drawn" if before is None else cast(SkylineOrigin, before.origin),
        photo=None if before is None else before.photo,
    )
    tx.tell("skyline", f"Skyline of {mark.name} taken back: as it was before.", skyline=row.id, mark=mark.id)
