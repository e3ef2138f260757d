"""Points listed as they stand now, renamed and recoded by new rows."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from sqlalchemy import ColumnElement
from sqlalchemy.orm import Session

from openstake.core.advice import ADVICE
from openstake.core.budget import Budget
from openstake.core.control import Difference
from openstake.core.errors import ConflictError, NotFoundError
from openstake.core.judge.finding import Finding
from openstake.core.judge.shots import ShotSeen, judge_gap, judge_pair_of_shots
from openstake.core.limits import SAME_POINT_M, ShortText, Text
from openstake.core.shot import checked_name
from openstake.core.sigmas import horizontal_95_m, vertical_95_m
from openstake.core.units import text_from_metres
from openstake.derive import points
from openstake.derive.applied import LocalPlace, local_of_points
from openstake.derive.budget import budget_of_shot, pole_used, settings_of
from openstake.derive.job import JobNow, job_of
from openstake.derive.kit import kit_of
from openstake.store.models import PointLabel, Shot
from openstake.store.records import lines
from openstake.store.records.labels import FIRST_NAME, free_name, is_taken, labels_of, last_named, newest_label
from openstake.store.records.shots import labelled, shots_page
from openstake.workflow.command import Transaction, command
from openstake.workflow.context import Context
from openstake.workflow.photos import PhotoView, keep_photo, photos_of

MOST_POINTS = 200


@dataclass(frozen=True, kw_only=True)
class PointsQuery:
    """Filters: words in name, code or note; a kind; those taken out.  `after` is where the last page ended."""

    text: ShortText = ""
    kind: ShortText = ""
    taken_out: bool = False
    after: ShortText = ""


@dataclass(frozen=True, kw_only=True)
class PointView:
    """A point as it stands now, metres; `local_*` by the local fit in use, None without one.  `moved_words` says how far it has moved since it was recorded, and why.

    `guard_words` warns of epochs that were not fixed, or not asked to be.  `budget_*` are what the whole chain gives, relative to the base mark; `spread_words` says where the claimed 95 % come from; `scatter_*` is one sigma of an epoch; `findings` compare it with a shot of
    the same place.
    """

    id: str
    label_id: str
    name: str
    code: str
    note: str
    taken_out: bool
    kind: str
    created_s: float
    east_m: float
    north_m: float
    height_m: float
    local_e_m: float | None
    local_n_m: float | None
    local_h_m: float | None
    epochs: int
    left_out: int
    not_fixed: int
    fixed_only: bool
    guard_words: str
    tilt: str
    spread_words: str
    horizontal_95_m: float | None
    vertical_95_m: float | None
    budget_horizontal_95_m: float
    budget_vertical_95_m: float
    scatter_horizontal_m: float | None
    scatter_up_m: float | None
    effective_n: float | None
    rover_height_m: float
    virtual: bool
    moved_words: str
    photos: list[PhotoView]
    findings: tuple[Finding, ...]


@dataclass(frozen=True, kw_only=True)
class Points:
    """Points, newest first; `next` asks for those before them.  `guard` is said while epochs of any solution are taken.

    The first page says what the last point is called, and what the next one will be.
    """

    points: list[PointView]
    next: str | None
    next_name: str
    last_name: str
    guard: str


@dataclass(frozen=True, kw_only=True)
class Relabel:
    """A new name, code and note of a point in place of the label `replaces_id`; `taken_out` takes it out of the list."""

    replaces_id: ShortText
    name: ShortText
    code: ShortText = ""
    note: Text = ""
    taken_out: bool = False
    reason: ShortText = ""


def seen_of(shot: Shot, point: points.Point, labels: dict[str, PointLabel], job: JobNow) -> ShotSeen:
    label = labels.get(shot.id)
    return ShotSeen(
        id=shot.id,
        name=label.name if label else shot.name,
        east_m=point.east_m,
        north_m=point.north_m,
        height_m=point.height_m,
        sigma_east_m=shot.sigma_east_m,
        sigma_north_m=shot.sigma_north_m,
        sigma_up_m=shot.sigma_up_m,
        initialised_s=shot.initialised_s,
        created_s=shot.created_s,
        unit=job.length_unit,
    )


def compared_with(mine: ShotSeen, others: Sequence[ShotSeen]) -> list[Finding]:
    """Return what the newest earlier shot of the same place says, from another initialisation."""
    earlier = [
        item for item in others if item.created_s < mine.created_s and mine.away_m(item) <= SAME_POINT_M and mine.is_independent_of(item)
    ]
    return [judge_pair_of_shots(max(earlier, key=lambda item: item.created_s), mine)] if earlier else []


def list_points(context: Context, job_id: str, query: PointsQuery) -> Points:
    """Return a page of the points of a job as they stand now, newest first."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        where = _filters(job_id, query)
        page, following = shots_page(session, job_id, query.after, MOST_POINTS, True, *where)
        last_name = "" if query.after else last_named(session, job_id)
        return Points(
            points=_views(session, job, page),
            next=following,
            next_name="" if query.after else free_name(session, job_id, last_name or FIRST_NAME),
            last_name=last_name,
            guard=ADVICE["guard-off"].sentence,
        )


def _filters(job_id: str, query: PointsQuery) -> list[ColumnElement[bool]]:
    where = [labelled(job_id, query.text.strip(), query.taken_out)]
    if query.kind:
        where.append(Shot.kind == query.kind)
    return where


def _views(session: Session, job: JobNow, shots: Sequence[Shot]) -> list[PointView]:
    labels = labels_of(session, job.id, [shot.id for shot in shots])
    photos = photos_of(session, [shot.id for shot in shots])
    derived = points.derive_all(session, job, shots)
    moved = points.as_recorded(session, job, shots, derived)
    seen = [seen_of(shot, point, labels, job) for shot, point in zip(shots, derived, strict=True)]
    near = _neighbours(seen)
    local = local_of_points(session, job, derived)
    pole, usual = pole_used(kit_of(session, job.id)), settings_of(session, job.id)
    return [
        _view(
            job,
            shot,
            point,
            budget_of_shot(shot, point, pole, usual),
            local[n],
            labels[shot.id],
            photos[shot.id],
            moved[n],
            tuple(compared_with(seen[n], [seen[m] for m in near[n]])),
        )
        for n, (shot, point) in enumerate(zip(shots, derived, strict=True))
    ]


def _neighbours(seen: Sequence[ShotSeen]) -> list[list[int]]:
    """Return for each shot the others within the reach of one place."""
    # Loaded where it is needed: the terminal's quick verbs do not wait for it.
    from scipy.spatial import cKDTree

    if not seen:
        return []
    places = np.array([(item.east_m, item.north_m) for item in seen])
    return [[m for m in row if m != n] for n, row in enumerate(cKDTree(places).query_ball_point(places, SAME_POINT_M))]


_SPREAD_WORDS = {"receiver-claim": "claimed 95 %", "scatter": "nothing claimed, by its scatter 95 %", "none": "nothing claimed, 95 %"}


def _view(
    job: JobNow,
    shot: Shot,
    point: points.Point,
    budget: Budget,
    local: LocalPlace | None,
    label: PointLabel,
    photos: list[PhotoView],
    moved: Difference | None,
    findings: tuple[Finding, ...],
) -> PointView:
    east, north, up = shot.sigma_east_m, shot.sigma_north_m, shot.sigma_up_m
    scatter = point.scatter_m
    return PointView(
        id=shot.id,
        label_id=label.id,
        name=label.name,
        code=label.code,
        note=label.note,
        taken_out=label.taken_out,
        kind=shot.kind,
        created_s=shot.created_s,
        east_m=point.east_m,
        north_m=point.north_m,
        height_m=point.height_m,
        local_e_m=local.east_m if local else None,
        local_n_m=local.north_m if local else None,
        local_h_m=local.height_m if local else None,
        epochs=point.epochs,
        left_out=point.left_out,
        not_fixed=point.not_fixed,
        fixed_only=shot.fixed_only,
        guard_words="" if shot.fixed_only and not point.not_fixed else "float or single",
        tilt=shot.tilt,
        spread_words=_SPREAD_WORDS[shot.covariance_origin],
        horizontal_95_m=None if east is None or north is None else horizontal_95_m(east, north, shot.covariance_en_m2 or 0.0),
        vertical_95_m=None if up is None else vertical_95_m(up),
        budget_horizontal_95_m=budget.horizontal_95_m,
        budget_vertical_95_m=budget.vertical_95_m,
        scatter_horizontal_m=None if scatter is None else float(np.hypot(scatter[0], scatter[1])),
        scatter_up_m=None if scatter is None else scatter[2],
        effective_n=shot.effective_n,
        rover_height_m=point.rover_height.arp_height_m,
        virtual=point.virtual,
        moved_words="" if moved is None else _moved_words(shot, point, moved, job.length_unit),
        photos=photos,
        findings=(*judge_gap(point.gap_s), *findings),
    )


def _moved_words(shot: Shot, point: points.Point, moved: Difference, unit: str) -> str:
    """Say how far a point has moved since it was recorded, and what was corrected."""
    then = set(shot.rests_on)
    causes = []
    if point.coordinate.id not in then:
        causes.append("the base's coordinate")
    if not set(point.base_height.ids) <= then:
        causes.append("the base's height")
    if len(point.pole_line) > 1:
        causes.append("the rover height")
    up = moved.up_m or 0.0
    parts = []
    if moved.horizontal_m >= 0.0005:
        parts.append(f"{text_from_metres(moved.horizontal_m, unit)} horizontally")
    if abs(up) >= 0.0005:
        parts.append(f"{text_from_metres(abs(up), unit)} {'up' if up > 0 else 'down'}")
    return f"moved {' and '.join(parts) or 'by less than a millimetre'} since: {' and '.join(causes) or 'the base'} was corrected"


# --- labels ---


@command()
def relabel(tx: Transaction, shot_id: str, request: Relabel) -> None:
    """Give a point another name, code or note, take it out of the list or bring it back; what it was called stays."""
    name = checked_name(request.name)
    old = lines.head(tx.session, PointLabel, request.replaces_id, "There is no such point in this job.")
    if old.shot_id != shot_id or old.job_id != tx.job_id:
        raise NotFoundError("There is no such point in this job.")
    if not request.taken_out and (name != old.name or old.taken_out) and is_taken(tx.session, tx.job_id, name):
        free = free_name(tx.session, tx.job_id, name)
        raise ConflictError(f"{name} is there already. {free} is free.", field="name")
    tx.replace(old, name=name, code=request.code.strip(), note=request.note.strip(), taken_out=request.taken_out, reason=request.reason)
    tx.tell("point-relabelled", _relabelled(old, request, name), shot=shot_id, replaces=old.id)


def _relabelled(old: PointLabel, request: Relabel, name: str) -> str:
    because = f": {request.reason}" if request.reason else ""
    if request.taken_out:
        return f"Point {old.name} taken out{because}."
    if old.taken_out:
        return f"Point {old.name} brought back{f' as {name}' if name != old.name else ''}{because}."
    parts = [f"is called {name}"] if name != old.name else []
    if request.code.strip() != old.code:
        parts.append(f"has the code {request.code.strip() or 'none'} and no longer {old.code or 'none'}")
    if request.note.strip() != old.note:
        parts.append("has another note")
    return f"Point {old.name} {', '.join(parts) or 'confirmed'}{because}."


def take_back(context: Context, job_id: str) -> None:
    """Take the last point's name back: the point leaves the list, and the next one is called so."""
    with context.database.read() as session:
        job_of(session, job_id)
        newest = newest_label(session, job_id)
    if newest is None:
        raise NotFoundError("There is no point to take back.")
    relabel(
        context,
        job_id,
        newest.shot_id,
        Relabel(replaces_id=newest.id, name=newest.name, code=newest.code, note=newest.note, taken_out=True, reason="taken back"),
    )


def add_photo(context: Context, job_id: str, shot_id: str, name: str, content: bytes) -> None:
    """Attach a photo to a point."""

    def owner(session: Session, job: JobNow, now: float) -> tuple[str, str]:
        label = labels_of(session, job_id, [shot_id]).get(shot_id)
        if label is None:
            raise NotFoundError("There is no such point in this job.")
        return shot_id, f"point {label.name}"

    keep_photo(context, job_id, name, content, owner)
