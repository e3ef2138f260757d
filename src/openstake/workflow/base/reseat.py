"""Re-seating a base on a known mark: what it would do is shown first; applied as a new row, undone by another."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import hypot
from typing import Annotated

import numpy as np
from annotated_types import MaxLen
from sqlalchemy.orm import Session

from openstake.core.base_sources import RESEATED
from openstake.core.errors import ConflictError, InputError
from openstake.core.judge.finding import Finding, ranked, stops_of
from openstake.core.judge.reseat import ShotsSeen, judge_reseat, judge_reseat_shots
from openstake.core.limits import ShortText, Text
from openstake.core.reseat import Reseat, reseat
from openstake.core.sigmas import Sigmas, added, horizontal_95_m, vertical_95_m
from openstake.core.units import counted
from openstake.derive import points
from openstake.derive.base import BaseNow, base_of, is_autonomous, three
from openstake.derive.claims import claim_of
from openstake.derive.heights import ROVER_HEIGHT_SIGMA_M
from openstake.derive.job import JobNow, job_of
from openstake.derive.marks import MarkNow, head_of, mark_ecef_m
from openstake.derive.points import Point
from openstake.store.models import BaseCoordinate, Shot
from openstake.store.records.bases import needed_occupation
from openstake.store.records.marks import line_ids
from openstake.store.records.shots import shots_by_id, shots_of_base
from openstake.workflow.base.coordinate import Proposed, coordinate_row, when
from openstake.workflow.base.coordinate_change import MovedPoint, moved_points, replace_coordinate
from openstake.workflow.command import Transaction, command
from openstake.workflow.context import Context

_SHOTS_SHOWN = 50


@dataclass(frozen=True)
class ReseatQuery:
    """On which mark."""

    mark_id: ShortText


@dataclass(frozen=True, kw_only=True)
class ReseatRequest:
    """The known mark and the shots on it whose mean moves the base; `accepted`: in spite of what says stop."""

    mark_id: ShortText
    shot_ids: Annotated[tuple[ShortText, ...], MaxLen(_SHOTS_SHOWN)]
    reason: Text = ""
    accepted: bool = False
    unlock: bool = False


@dataclass(frozen=True, kw_only=True)
class ReseatShot:
    """A shot on the mark from this base: known − observed in the grid, metres, its epochs' one sigma; `why_not` where it cannot be used."""

    id: str
    created_s: float
    epochs: int
    east_m: float
    north_m: float
    up_m: float | None
    scatter_horizontal_m: float | None
    scatter_up_m: float | None
    why_not: str


@dataclass(frozen=True, kw_only=True)
class ReseatView:
    """What a base could be re-seated by, newest shot first; `undo_id` is the coordinate before the last re-seat, to go back to."""

    mark_name: str
    shots: list[ReseatShot]
    occupation_id: str
    undo_id: str | None
    undo_words: str


@dataclass(frozen=True, kw_only=True)
class ReseatPlace:
    """The base's mark, grid metres and ellipsoidal height, and Earth-centred."""

    east_m: float
    north_m: float
    height_m: float
    x_m: float
    y_m: float
    z_m: float


@dataclass(frozen=True, kw_only=True)
class ReseatPreview:
    """What a re-seat would do: the shift (known − observed) in the grid and Earth-centred, metres, its 95 %.

    `scatter_*` is one sigma of the shots about their mean, of the epochs where there is one shot.
    """

    mark_name: str
    east_m: float
    north_m: float
    up_m: float
    shift_x_m: float
    shift_y_m: float
    shift_z_m: float
    horizontal_95_m: float
    vertical_95_m: float
    scatter_horizontal_m: float | None
    scatter_up_m: float | None
    school: str
    before: ReseatPlace
    after: ReseatPlace
    points: list[MovedPoint]
    findings: tuple[Finding, ...]
    stops: tuple[str, ...]
    locked: bool


@dataclass(frozen=True, kw_only=True)
class _Read:
    """A request as it stands against the store."""

    base: BaseNow
    mark: MarkNow
    found: Reseat
    grid_m: tuple[float, float, float]
    scatter_m: tuple[float, float] | None
    coordinate: Proposed
    findings: tuple[Finding, ...]


def view(context: Context, job_id: str, query: ReseatQuery) -> ReseatView:
    """Return the shots on a mark by which the base that runs could be re-seated."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        occupation = needed_occupation(session, job_id)
        base, mark = base_of(session, occupation), head_of(session, job, query.mark_id)
        on_mark = Shot.mark_id.in_(line_ids(session, mark.id))
        shots = shots_of_base(session, occupation.id, on_mark, newest_first=True, limit=_SHOTS_SHOWN)
        derived = points.derive_all(session, job, shots, {occupation.id: base})
    undo = _undo(base)
    return ReseatView(
        mark_name=mark.name,
        shots=[_shot(mark, shot, point) for shot, point in zip(shots, derived, strict=True)],
        occupation_id=occupation.id,
        undo_id=undo.id if undo else None,
        undo_words=f"back to {undo.detail}, as {when(job, undo.created_s)}" if undo else "",
    )


def _undo(base: BaseNow) -> BaseCoordinate | None:
    """Return the coordinate before the last one where that one is a re-seat."""
    return base.coordinates[-2] if base.coordinate.source == RESEATED and len(base.coordinates) > 1 else None


def _shot(mark: MarkNow, shot: Shot, point: Point) -> ReseatShot:
    off, scatter = points.from_mark(point, mark), point.scatter_m
    return ReseatShot(
        id=shot.id,
        created_s=shot.created_s,
        epochs=point.epochs,
        east_m=-off.east_m,
        north_m=-off.north_m,
        up_m=None if off.up_m is None else -off.up_m,
        scatter_horizontal_m=None if scatter is None else hypot(scatter[0], scatter[1]),
        scatter_up_m=None if scatter is None else scatter[2],
        why_not=_why_not(point),
    )


def _why_not(point: Point) -> str:
    if point.virtual:
        return "from a virtual base: it does not depend on this base, so it cannot move it"
    return f"{counted(point.not_fixed, 'epoch')} not fixed" if point.not_fixed else ""


def _read(session: Session, job: JobNow, request: ReseatRequest, now_s: float) -> _Read:
    """Read a request; InputError where it cannot be done at all."""
    job.needs_datum()
    occupation = needed_occupation(session, job.id)
    base, mark = base_of(session, occupation), head_of(session, job, request.mark_id)
    known = mark_ecef_m(job, mark)
    ids = set(request.shot_ids)
    own = line_ids(session, mark.id)
    shots = [shot for shot in shots_by_id(session, ids) if shot.occupation_id == occupation.id and shot.mark_id in own]
    if not ids or len(shots) != len(ids):
        raise InputError(f"Choose shots on {mark.name} from the base that runs.", field="shot_ids")
    derived = points.derive_all(session, job, shots, {occupation.id: base})
    refused = next((why for why in map(_why_not, derived) if why), "")
    if refused:
        raise InputError(f"A shot cannot be used: {refused}.", field="shot_ids")
    places = np.array([(point.east_m, point.north_m, point.height_m) for point in derived])
    observed = places[0] + (places - places[0]).mean(axis=0)
    found = reseat(base.mark_m, known, three(job.frame.ecef_from_grid(*(float(value) for value in observed))))
    scatter = _scatter(places, derived)
    sigmas = _sigmas(mark, shots)
    coordinate = Proposed(
        xyz_m=found.base_m,
        source=RESEATED,
        detail=f"re-seated on {mark.name} by {_school(derived)} ({when(job, now_s)})",
        accuracy_horizontal_95_m=horizontal_95_m(sigmas.east_m, sigmas.north_m, sigmas.covariance_en_m2),
        accuracy_vertical_95_m=vertical_95_m(sigmas.up_m),
        frame=job.positions_label,
        frame_epoch=job.settings.frame_epoch or "as the control list",
        evidence_id=shots[-1].id,
    )
    epochs = sum(point.epochs for point in derived)
    entered_as_known = not is_autonomous(base.coordinate) and base.coordinate.source != RESEATED
    seen = ShotsSeen(
        shots=len(shots), epochs=epochs, sigma_east_m=sigmas.east_m, sigma_north_m=sigmas.north_m, sigma_up_m=sigmas.up_m, scatter_m=scatter
    )
    findings = ranked([*judge_reseat(found, entered_as_known, job.length_unit), *judge_reseat_shots(seen, job.length_unit)])
    east, north, up = three(np.array([mark.east_m, mark.north_m, mark.ellipsoidal_height_m]) - observed)
    return _Read(base=base, mark=mark, found=found, grid_m=(east, north, up), scatter_m=scatter, coordinate=coordinate, findings=findings)


def _school(derived: Sequence[Point]) -> str:
    epochs = sum(point.epochs for point in derived)
    if len(derived) > 1:
        return f"the mean of {len(derived)} shots, {epochs} epochs"
    return f"an average of {epochs} epochs" if epochs > 1 else "one epoch"


def _scatter(places: np.ndarray, derived: Sequence[Point]) -> tuple[float, float] | None:
    """Return one sigma of the shots about their mean, horizontal and up; of the epochs where there is one shot."""
    if len(places) > 1:
        east, north, up = np.std(places - places[0], axis=0, ddof=1)
        return float(np.hypot(east, north)), float(up)
    scatter = derived[0].scatter_m
    return None if scatter is None else (hypot(scatter[0], scatter[1]), scatter[2])


def _sigmas(mark: MarkNow, shots: Sequence[Shot]) -> Sigmas:
    """Return one sigma of the new coordinate: the mark, the claims over the root of how many initialisations, the pole."""
    starts = {shot.initialised_s for shot in shots if shot.initialised_s is not None}
    independent = max(1, len(starts))
    east, north, up, both = np.mean([_squares(claim_of(shot)) for shot in shots], axis=0) / independent
    claimed = Sigmas(east_m=float(east**0.5), north_m=float(north**0.5), up_m=float(up**0.5), covariance_en_m2=float(both))
    return added(
        Sigmas(east_m=mark.sigma_horizontal_m, north_m=mark.sigma_horizontal_m, up_m=mark.sigma_vertical_m),
        claimed,
        Sigmas(east_m=0.0, north_m=0.0, up_m=ROVER_HEIGHT_SIGMA_M),
    )


def _squares(claim: Sigmas) -> tuple[float, float, float, float]:
    return claim.east_m**2, claim.north_m**2, claim.up_m**2, claim.covariance_en_m2


def preview(context: Context, job_id: str, request: ReseatRequest) -> ReseatPreview:
    """Return everything that a re-seat would do, without storing anything."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        read = _read(session, job, request, context.now(job_id))
        occupation = read.base.occupation
        moved = moved_points(session, job, occupation, coordinate_row(read.coordinate, occupation.id, context.now(job_id)))
    found = read.found
    shift_x, shift_y, shift_z = found.shift_m
    return ReseatPreview(
        mark_name=read.mark.name,
        east_m=read.grid_m[0],
        north_m=read.grid_m[1],
        up_m=read.grid_m[2],
        shift_x_m=shift_x,
        shift_y_m=shift_y,
        shift_z_m=shift_z,
        horizontal_95_m=read.coordinate.accuracy_horizontal_95_m,
        vertical_95_m=read.coordinate.accuracy_vertical_95_m,
        scatter_horizontal_m=read.scatter_m[0] if read.scatter_m else None,
        scatter_up_m=read.scatter_m[1] if read.scatter_m else None,
        school=read.coordinate.detail,
        before=_place(job, read.base.mark_m),
        after=_place(job, found.base_m),
        points=moved,
        findings=read.findings,
        stops=tuple(item.sentence for item in stops_of(read.findings)),
        locked=read.base.coordinate.locked,
    )


def _place(job: JobNow, xyz_m: tuple[float, float, float]) -> ReseatPlace:
    east, north, height = three(job.frame.grid_from_ecef(xyz_m))
    x, y, z = xyz_m
    return ReseatPlace(east_m=east, north_m=north, height_m=height, x_m=x, y_m=y, z_m=z)


def apply(context: Context, job_id: str, request: ReseatRequest) -> ReseatView:
    """Move the base by what a known mark says: a new row; every point from it follows, earlier ones too."""
    _apply(context, job_id, request)
    return view(context, job_id, ReseatQuery(request.mark_id))


@command()
def _apply(tx: Transaction, request: ReseatRequest) -> None:
    read = _read(tx.session, tx.job, request, tx.now_s)
    stops = stops_of(read.findings)
    if stops and not request.accepted:
        raise ConflictError(stops[0].sentence)
    reason = request.reason or f"re-seated on {read.mark.name}"
    replace_coordinate(tx, read.base.occupation, read.base.coordinate, read.coordinate, locked=False, reason=reason, unlock=request.unlock)
