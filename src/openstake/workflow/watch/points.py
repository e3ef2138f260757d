"""Points: recorded by kinds of shot with limits, listed as they stand now, renamed and recoded by new rows."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import asdict, dataclass

import numpy as np
from sqlalchemy import ColumnElement, select
from sqlalchemy.orm import Session

from openstake.core.advice import ADVICE
from openstake.core.budget import horizontal_95_m, vertical_95_m
from openstake.core.control import Difference
from openstake.core.describe import FieldShown, fields_shown, typed
from openstake.core.errors import ConflictError, InputError, NotFoundError
from openstake.core.judge.finding import Finding
from openstake.core.judge.shots import ShotSeen, judge_pair_of_shots
from openstake.core.limits import SAME_POINT_M, Seconds, ShortText, Text
from openstake.core.shot import ShotSettings, checked_name, checked_settings, with_seconds
from openstake.core.units import LengthUnit, text_from_metres
from openstake.store import lines
from openstake.store.book import write_entry
from openstake.store.models import PointLabel, Shot, ShotSettingsRow
from openstake.workflow.context import Context
from openstake.workflow.now import points
from openstake.workflow.now.heights import read_height
from openstake.workflow.now.job import JobNow, job_of
from openstake.workflow.now.kit import kit_of
from openstake.workflow.now.labels import free_name, is_taken, labels_of, newest_label, usual_name
from openstake.workflow.photos import PhotoView, keep_photo, photos_of
from openstake.workflow.recording import Recording, ShotPlan, begin

MOST_POINTS = 200


@dataclass(frozen=True)
class PointWish:
    """What the crew settled before recording a point; an empty name counts up from the last one.

    `seconds` in place of those of the kind; `tilt` is what the crew says of tilt compensation: `off`, `on`, or nothing.
    """

    kind: ShortText
    reading: ShortText
    feature: ShortText
    name: ShortText = ""
    code: ShortText = ""
    note: Text = ""
    fixed_only: bool = True
    seconds: Seconds | None = None
    tilt: ShortText = ""
    rover_id: ShortText | None = None


@dataclass(frozen=True)
class PointsQuery:
    """Filters: words in name, code or note; a kind; those taken out.  `after` is where the last page ended."""

    text: ShortText = ""
    kind: ShortText = ""
    taken_out: bool = False
    after: ShortText = ""


@dataclass(frozen=True)
class PointView:
    """A point as it stands now, metres.  `moved_words` says how far it has moved since it was recorded, and why.

    Claims are the receiver's at 95 %, `scatter_*` one sigma of an epoch; `findings` compare it with a shot of the same place.
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
    epochs: int
    left_out: int
    not_fixed: int
    fixed_only: bool
    tilt: str
    horizontal_95_m: float | None
    vertical_95_m: float | None
    scatter_horizontal_m: float | None
    scatter_up_m: float | None
    effective_n: float | None
    rover_height_m: float
    virtual: bool
    moved_words: str
    photos: list[PhotoView]
    findings: tuple[Finding, ...]


@dataclass(frozen=True)
class Points:
    """Points, newest first; `next` asks for those before them.  `guard` is said while epochs of any solution are taken."""

    points: list[PointView]
    next: str | None
    next_name: str
    last_name: str
    guard: str


@dataclass(frozen=True)
class Relabel:
    """A new name, code and note of a point in place of the label `replaces_id`; `taken_out` takes it out of the list."""

    replaces_id: ShortText
    name: ShortText
    code: ShortText = ""
    note: Text = ""
    taken_out: bool = False
    reason: ShortText = ""


@dataclass(frozen=True)
class ShotSettingsView:
    """How shots are taken in this job, with the fields of its form."""

    id: str | None
    settings: ShotSettings
    fields: tuple[FieldShown, ...]


@dataclass(frozen=True)
class SaveShotSettings:
    """Kinds and codes as typed, in place of the row `replaces_id`."""

    values: dict[str, object]
    replaces_id: ShortText | None = None
    length_unit: LengthUnit | None = None


@dataclass(frozen=True)
class PhotoQuery:
    """The name of a photo that is sent."""

    name: ShortText = ""


# --- how shots are taken ---


def _settings_row(session: Session, job_id: str) -> ShotSettingsRow | None:
    return session.scalars(lines.heads(ShotSettingsRow, ShotSettingsRow.job_id == job_id)).first()


def _settings_of(row: ShotSettingsRow | None) -> ShotSettings:
    return ShotSettings() if row is None else typed(ShotSettings, json.loads(row.data), None)


def shot_settings(context: Context, job_id: str) -> ShotSettingsView:
    """Return how shots are taken in a job."""
    with context.database.read() as session:
        job_of(session, job_id)
        row = _settings_row(session, job_id)
    return ShotSettingsView(row.id if row else None, _settings_of(row), fields_shown(ShotSettings))


def save_shot_settings(context: Context, job_id: str, wish: SaveShotSettings) -> ShotSettingsView:
    """Keep how shots are taken from now on; what was recorded stays as it is."""
    settings = checked_settings(typed(ShotSettings, wish.values, wish.length_unit))

    def work(session: Session) -> None:
        job_of(session, job_id)
        row = _settings_row(session, job_id)
        if (row.id if row else None) != wish.replaces_id:
            raise ConflictError("The kinds of shot have been changed in the meantime. Look at them and try again.")
        now = context.now()
        session.add(
            ShotSettingsRow(
                job_id=job_id, data=json.dumps(asdict(settings)), replaces_id=row.id if row else None, created_s=now
            )
        )
        write_entry(session, now, "shot-settings", "Kinds of shot and codes changed.", job_id)

    context.database.write(work)
    context.changed(job_id)
    return shot_settings(context, job_id)


# --- recording ---


def record(context: Context, job_id: str, wish: PointWish) -> Recording:
    """Begin to record a point, or a track of points."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        kind = _settings_of(_settings_row(session, job_id)).kind(wish.kind)
        height = read_height(kit_of(session, job_id), job.length_unit, wish.reading, wish.feature, "rover")
        name = checked_name(wish.name) if wish.name.strip() else ""
        if name and kind.name != "track" and is_taken(session, job_id, name):
            free = free_name(session, job_id, name)
            raise ConflictError(f"{name} is there already. {free} is free.", field="name")
    if wish.tilt not in ("", "off", "on"):
        raise InputError("Tilt compensation is off or on.", field="tilt")
    if kind.tilt_off and wish.tilt != "off":
        raise InputError(
            "For this kind tilt compensation is off: switch it off at the rover, level the pole, and say so here.",
            field="tilt",
        )
    if wish.seconds is not None and kind.name != "track":
        kind = with_seconds(kind, wish.seconds)
    plan = ShotPlan(kind, height, wish.fixed_only, name=name, tilt=wish.tilt)

    def told(session: Session, job: JobNow, shot: Shot, now: float) -> None:
        _told(session, job, shot, now, wish, name)

    return begin(context, job_id, plan, wish.rover_id, told)


def _told(session: Session, job: JobNow, shot: Shot, now: float, wish: PointWish, name: str) -> None:
    """Give a point its name and write it into the Book."""
    called = free_name(session, job.id, name) if name else usual_name(session, job.id)
    label = PointLabel(
        shot_id=shot.id, job_id=job.id, name=called, code=wish.code.strip(), note=wish.note.strip(), created_s=now
    )
    session.add(label)
    session.flush()
    point = points.derive(session, job, shot)
    unit = job.length_unit
    east, north, height = (text_from_metres(value, unit) for value in (point.east_m, point.north_m, point.height_m))
    code = f", {label.code}" if label.code else ""
    guard = "" if shot.fixed_only else " The guard was off: epochs of any solution were taken."
    write_entry(
        session, now, "point",
        f"Point {called}{code} ({shot.kind}): east {east}, north {north}, height {height}; "
        f"{point.epochs - point.left_out} of {point.epochs} epochs.{guard}",
        job.id, shot=shot.id, label=label.id, rover_height=shot.height_reading_id, reference=shot.reference_id,
        east_m=point.east_m, north_m=point.north_m, height_m=point.height_m,
    )  # fmt: skip
    for found in _compared_with_last(session, job, shot, called):
        write_entry(session, now, found.code, found.sentence, job.id, "machine", shot=shot.id)


def _compared_with_last(session: Session, job: JobNow, shot: Shot, called: str) -> list[Finding]:
    """Compare a shot with the latest ones of the same place from another initialisation."""
    lately = session.scalars(
        select(Shot)
        .where(Shot.job_id == job.id)
        .order_by(Shot.created_s.desc(), Shot.id.desc())
        .limit(_COMPARED_LATELY)
    ).all()
    labels = labels_of(session, job.id, [item.id for item in lately])
    derived = points.derive_all(session, job, lately)
    seen = [_seen(item, point, labels, job) for item, point in zip(lately, derived, strict=True)]
    mine = next((item for item in seen if item.id == shot.id), None)
    return [] if mine is None else _compared(mine, [item for item in seen if item.id != shot.id])


_COMPARED_LATELY = 30


def _seen(shot: Shot, point: points.Point, labels: dict[str, PointLabel], job: JobNow) -> ShotSeen:
    label = labels.get(shot.id)
    return ShotSeen(
        shot.id, label.name if label else shot.name, point.east_m, point.north_m, point.height_m, shot.sigma_east_m,
        shot.sigma_north_m, shot.sigma_up_m, shot.initialised_s, shot.created_s, job.length_unit,
    )  # fmt: skip


def _compared(mine: ShotSeen, others: Sequence[ShotSeen]) -> list[Finding]:
    """Return what the newest earlier shot of the same place says, from another initialisation."""
    earlier = [
        item
        for item in others
        if item.created_s < mine.created_s and mine.away_m(item) <= SAME_POINT_M and mine.is_independent_of(item)
    ]
    return [judge_pair_of_shots(max(earlier, key=lambda item: item.created_s), mine)] if earlier else []


# --- the list ---


def list_points(context: Context, job_id: str, query: PointsQuery) -> Points:
    """Return a page of the points of a job as they stand now, newest first."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        where = _filters(job_id, query)
        page, following = points.shots_page(session, job_id, query.after, MOST_POINTS, True, *where)
        newest = newest_label(session, job_id)
        return Points(
            _views(session, job, page), following, usual_name(session, job_id), newest.name if newest else "",
            ADVICE["guard-off"].sentence,
        )  # fmt: skip


def _filters(job_id: str, query: PointsQuery) -> list[ColumnElement[bool]]:
    label = lines.heads(PointLabel, PointLabel.job_id == job_id, PointLabel.taken_out.is_(query.taken_out))
    if query.text.strip():
        pattern = "%" + query.text.strip().replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_") + "%"
        label = label.where(
            PointLabel.name.ilike(pattern, escape="\\")
            | PointLabel.code.ilike(pattern, escape="\\")
            | PointLabel.note.ilike(pattern, escape="\\")
        )
    where: list[ColumnElement[bool]] = [Shot.id.in_(label.with_only_columns(PointLabel.shot_id))]
    if query.kind:
        where.append(Shot.kind == query.kind)
    return where


def _views(session: Session, job: JobNow, shots: Sequence[Shot]) -> list[PointView]:
    labels = labels_of(session, job.id, [shot.id for shot in shots])
    photos = photos_of(session, [shot.id for shot in shots])
    derived = points.derive_all(session, job, shots)
    moved = points.as_recorded(session, job, shots, derived)
    seen = [_seen(shot, point, labels, job) for shot, point in zip(shots, derived, strict=True)]
    near = _neighbours(seen)
    return [
        _view(
            job,
            shot,
            point,
            labels[shot.id],
            photos[shot.id],
            moved[n],
            tuple(_compared(seen[n], [seen[m] for m in near[n]])),
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


def _view(
    job: JobNow, shot: Shot, point: points.Point, label: PointLabel, photos: list[PhotoView], moved: Difference | None,
    findings: tuple[Finding, ...],
) -> PointView:  # fmt: skip
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
        epochs=point.epochs,
        left_out=point.left_out,
        not_fixed=point.not_fixed,
        fixed_only=shot.fixed_only,
        tilt=shot.tilt,
        horizontal_95_m=None
        if east is None or north is None
        else horizontal_95_m(east, north, shot.covariance_en_m2 or 0.0),
        vertical_95_m=None if up is None else vertical_95_m(up),
        scatter_horizontal_m=None if scatter is None else float(np.hypot(scatter[0], scatter[1])),
        scatter_up_m=None if scatter is None else scatter[2],
        effective_n=shot.effective_n,
        rover_height_m=point.rover_height.arp_height_m,
        virtual=point.virtual,
        moved_words="" if moved is None else _moved_words(shot, point, moved, job.length_unit),
        photos=photos,
        findings=findings,
    )


def _moved_words(shot: Shot, point: points.Point, moved: Difference, unit: str) -> str:
    """Say how far a point has moved since it was recorded, and what was corrected."""
    then = set(json.loads(shot.rests_on))
    causes = []
    if point.coordinate.id not in then:
        causes.append("the base's coordinate")
    if not set(point.base_height.ids) <= then:
        causes.append("the base's height")
    up = moved.up_m or 0.0
    parts = []
    if moved.horizontal_m >= 0.0005:
        parts.append(f"{text_from_metres(moved.horizontal_m, unit)} sideways")
    if abs(up) >= 0.0005:
        parts.append(f"{text_from_metres(abs(up), unit)} {'up' if up > 0 else 'down'}")
    return f"moved {' and '.join(parts) or 'by less than a millimetre'} since: {' and '.join(causes) or 'the base'} was corrected"


# --- labels ---


def relabel(context: Context, job_id: str, shot_id: str, wish: Relabel) -> None:
    """Give a point another name, code or note, take it out of the list or bring it back; what it was called stays."""
    name = checked_name(wish.name)

    def work(session: Session) -> None:
        job_of(session, job_id)
        old = lines.head(session, PointLabel, wish.replaces_id, "There is no such point in this job.")
        if old.shot_id != shot_id or old.job_id != job_id:
            raise NotFoundError("There is no such point in this job.")
        if not wish.taken_out and (name != old.name or old.taken_out) and is_taken(session, job_id, name):
            free = free_name(session, job_id, name)
            raise ConflictError(f"{name} is there already. {free} is free.", field="name")
        now = context.now()
        session.add(
            PointLabel(
                shot_id=shot_id, job_id=job_id, name=name, code=wish.code.strip(), note=wish.note.strip(),
                taken_out=wish.taken_out, replaces_id=old.id, reason=wish.reason, created_s=now,
            )
        )  # fmt: skip
        write_entry(
            session, now, "point-relabelled", _relabelled(old, wish, name), job_id, shot=shot_id, replaces=old.id
        )

    context.database.write(work)
    context.changed(job_id)


def _relabelled(old: PointLabel, wish: Relabel, name: str) -> str:
    because = f": {wish.reason}" if wish.reason else ""
    if wish.taken_out:
        return f"Point {old.name} taken out{because}."
    if old.taken_out:
        return f"Point {old.name} brought back{f' as {name}' if name != old.name else ''}{because}."
    parts = [f"is called {name}"] if name != old.name else []
    if wish.code.strip() != old.code:
        parts.append(f"has the code {wish.code.strip() or 'none'} and no longer {old.code or 'none'}")
    if wish.note.strip() != old.note:
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
        context, job_id, newest.shot_id,
        Relabel(newest.id, newest.name, newest.code, newest.note, taken_out=True, reason="taken back"),
    )  # fmt: skip


def add_photo(context: Context, job_id: str, shot_id: str, name: str, content: bytes) -> None:
    """Attach a photo to a point."""

    def owner(session: Session, job: JobNow, now: float) -> tuple[str, str]:
        label = labels_of(session, job_id, [shot_id]).get(shot_id)
        if label is None:
            raise NotFoundError("There is no such point in this job.")
        return shot_id, f"point {label.name}"

    keep_photo(context, job_id, name, content, owner)
