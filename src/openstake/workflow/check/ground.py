"""Free of GNSS: taped, measured or levelled between two shots; and points that two base set-ups have occupied."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from math import hypot

import numpy as np
from numpy.typing import NDArray
from sqlalchemy.orm import Session

from openstake.core.equality import Equality, equal_by_sigmas
from openstake.core.errors import InputError, NotFoundError
from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.core.ground import Between, MeasureKind, SetUpMean, between, compared, mean_of_set_ups
from openstake.core.judge.finding import Finding
from openstake.core.judge.ground import judge_double, judge_measure
from openstake.core.limits import LEVEL_DEFAULT_SIGMA_M, LONGEST_MEASURE_M, POLE_TWICE_M, SAME_POINT_M, TAPE_DEFAULT_SIGMA_M, ShortText
from openstake.core.sigmas import covariance_of
from openstake.core.units import metres_in_field, text_from_metres
from openstake.derive import points
from openstake.derive.base import bases_of
from openstake.derive.claims import claim_of, horizontal_sigma_m
from openstake.derive.heights import ROVER_HEIGHT_SIGMA_M
from openstake.derive.job import JobNow, job_of
from openstake.derive.marks import MarkNow, marks_of
from openstake.store.models import GroundMeasure, Shot
from openstake.store.records import lines
from openstake.store.records.labels import labels_of
from openstake.store.records.shots import ground_measures, shots_by_id, shots_of_job
from openstake.workflow.command import Transaction, command
from openstake.workflow.context import Context

MOST_NAMES, MOST_DOUBLE = 300, 2000


@dataclass(frozen=True, kw_only=True)
class MeasureRequest:
    """A measure from one named shot to another: `slope`, `horizontal` or `levelled`, lengths as text."""

    kind: MeasureKind
    from_name: ShortText
    to_name: ShortText
    measured: ShortText
    sigma: ShortText = ""
    from_above: ShortText = ""
    to_above: ShortText = ""


@dataclass(frozen=True)
class DropMeasure:
    """A measure that is not used any more."""

    measure_id: ShortText


@dataclass(frozen=True, kw_only=True)
class MeasureView:
    """A measure beside the shots as they stand now, metres; the difference is by the shots − measured."""

    id: str
    kind: MeasureKind
    from_name: str
    to_name: str
    text: str
    created_s: float
    measured_m: float
    observed_m: float
    difference_m: float
    limit_95_m: float
    grid_m: float
    ground_m: float
    grid_ppm: float
    agrees: bool
    findings: list[Finding]


@dataclass(frozen=True, kw_only=True)
class Occupied:
    """A point as one base set-up has it: grid metres and height, and how far from the mean of all set-ups."""

    base: str
    started_s: float
    shots: int
    east_m: float
    north_m: float
    height_m: float
    off_east_m: float
    off_north_m: float
    off_up_m: float


@dataclass(frozen=True, kw_only=True)
class RepeatedPoint:
    """A point that two base set-ups or more have occupied: its mean, each set-up, and whether the last two agree."""

    name: str
    east_m: float
    north_m: float
    height_m: float
    set_ups: list[Occupied]
    agrees: bool
    finding: Finding


@dataclass(frozen=True, kw_only=True)
class MeasuresView:
    """Measures free of GNSS, newest first; points that two set-ups have; `names` are the shots that can be named,
    `usual_sigmas` what a measure of each kind is good to where nobody says."""

    measures: list[MeasureView]
    doubles: list[RepeatedPoint]
    names: list[str]
    usual_sigmas: dict[MeasureKind, str]


def view(context: Context, job_id: str) -> MeasuresView:
    """Return measures and double occupations as they stand now."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        rows = ground_measures(session, job_id)
        named = _named(session, job_id)
        usual = {kind: text_from_metres(sigma_m, job.length_unit) for kind, sigma_m in _USUAL_SIGMAS_M.items()}
        return MeasuresView(measures=_measures(session, job, rows), doubles=_doubles(session, job), names=sorted(named), usual_sigmas=usual)


_USUAL_SIGMAS_M: dict[MeasureKind, float] = {
    "slope": TAPE_DEFAULT_SIGMA_M,
    "horizontal": TAPE_DEFAULT_SIGMA_M,
    "levelled": LEVEL_DEFAULT_SIGMA_M,
}


def _named(session: Session, job_id: str) -> dict[str, Shot]:
    """Return the newest shot of each name of a job's points and checks."""
    shots = shots_of_job(session, job_id, Shot.kind.in_(_NAMED), newest_first=True, limit=MOST_NAMES)
    found: dict[str, Shot] = {}
    for shot, name in _names(session, job_id, shots).items():
        found.setdefault(name, shot)
    return found


_NAMED = ("check", "fit", "control", "topo", "quick")


def _names(session: Session, job_id: str, shots: Collection[Shot]) -> dict[Shot, str]:
    labels = labels_of(session, job_id, [shot.id for shot in shots])
    return {
        shot: labels[shot.id].name if shot.id in labels else shot.name
        for shot in shots
        if shot.id not in labels or not labels[shot.id].taken_out
    }


def _measures(session: Session, job: JobNow, rows: Sequence[GroundMeasure]) -> list[MeasureView]:
    ids = {shot_id for row in rows for shot_id in (row.from_shot_id, row.to_shot_id)}
    shots = shots_by_id(session, ids)
    labels = labels_of(session, job.id, ids)
    names = {shot.id: labels[shot.id].name if shot.id in labels else shot.name for shot in shots}
    derived = dict(zip((shot.id for shot in shots), points.derive_all(session, job, shots), strict=True))
    by_id = {shot.id: shot for shot in shots}
    return [_measure(job, row, by_id, names, derived) for row in rows]


def _measure(
    job: JobNow, row: GroundMeasure, shots: Mapping[str, Shot], names: Mapping[str, str], derived: Mapping[str, points.Point]
) -> MeasureView:
    ends = (shots[row.from_shot_id], shots[row.to_shot_id])
    first, second = (derived[shot.id] for shot in ends)
    seen = _between(job, first, second, row.from_above_m, row.to_above_m)
    kind: MeasureKind = row.kind  # type: ignore[assignment]
    found = compared(
        kind,
        seen,
        row.measured_m,
        row.sigma_m,
        [horizontal_sigma_m(shot) for shot in ends],
        [hypot(claim_of(shot).up_m, ROVER_HEIGHT_SIGMA_M) for shot in ends],
    )
    called = (names[row.from_shot_id], names[row.to_shot_id])
    findings = judge_measure(called, kind, found, seen, job.geoid is not None, job.length_unit)
    return MeasureView(
        id=row.id,
        kind=kind,
        from_name=called[0],
        to_name=called[1],
        text=row.text,
        created_s=row.created_s,
        measured_m=row.measured_m,
        observed_m=found.observed_m,
        difference_m=found.difference_m,
        limit_95_m=found.limit_95_m,
        grid_m=seen.grid_m,
        ground_m=seen.horizontal_m,
        grid_ppm=seen.grid_ppm,
        agrees=abs(found.difference_m) <= found.limit_95_m,
        findings=findings,
    )


def _between(job: JobNow, first: points.Point, second: points.Point, from_above_m: float, to_above_m: float) -> Between:
    places = np.array([(item.east_m, item.north_m, item.height_m) for item in (first, second)])
    xyz = job.frame.ecef_from_grid(places[:, 0], places[:, 1], places[:, 2])
    grid = hypot(second.east_m - first.east_m, second.north_m - first.north_m)
    geoid_up = 0.0
    if job.geoid is not None:
        geodetic = geodetic_from_ecef(xyz)
        undulation = job.geoid.undulation_m(geodetic[:, 0], geodetic[:, 1])
        geoid_up = float(undulation[1] - undulation[0]) if np.isfinite(undulation).all() else 0.0
    return between(xyz[0], xyz[1], grid, geoid_up, from_above_m, to_above_m)


@command(view)
def add(tx: Transaction, request: MeasureRequest) -> None:
    """Keep a measure; it is compared with the newest shots of both names."""
    job = tx.job
    job.needs_datum()
    named = _named(tx.session, tx.job_id)
    ends = [_end(named, getattr(request, field), field) for field in ("from_name", "to_name")]
    if ends[0].id == ends[1].id:
        raise InputError("Name two different points.", field="to_name")
    levelled = request.kind == "levelled"
    measured = metres_in_field(request.measured, job.length_unit, "measured")
    if measured is None:
        raise InputError("Type what the tape or the level says.", field="measured")
    if abs(measured) > LONGEST_MEASURE_M or (not levelled and measured <= 0.0):
        raise InputError(f"A distance is more than 0, and at most {LONGEST_MEASURE_M:.0f} m.", field="measured")
    sigma = _length(job, request.sigma, "sigma", _USUAL_SIGMAS_M[request.kind])
    if not 0.0 < sigma <= 1.0:
        raise InputError("A standard deviation is more than 0 and at most 1 m.", field="sigma")
    slope = request.kind == "slope"
    above = [_length(job, getattr(request, field), field, 0.0) if slope else 0.0 for field in ("from_above", "to_above")]
    row = GroundMeasure(
        job_id=tx.job_id,
        kind=request.kind,
        from_shot_id=ends[0].id,
        to_shot_id=ends[1].id,
        text=request.measured.strip()[:80],
        measured_m=measured,
        from_above_m=above[0],
        to_above_m=above[1],
        sigma_m=sigma,
        created_s=tx.now_s,
    )
    tx.add(row)
    shown = _measures(tx.session, job, [row])[0]
    tx.tell("ground-measure", shown.findings[0].sentence, measure=row.id)


def _end(named: Mapping[str, Shot], name: str, field: str) -> Shot:
    found = named.get(name.strip())
    if found is None:
        raise InputError(f"No shot is called {name.strip()[:40] or 'so'}: pick one that was recorded.", field=field)
    return found


def _length(job: JobNow, text: str, field: str, empty: float) -> float:
    typed = metres_in_field(text, job.length_unit, field)
    return empty if typed is None else typed


@command(view)
def drop(tx: Transaction, request: DropMeasure) -> None:
    """Use a measure no more; it stays in the store."""
    missing = "This measure is not in this job."
    old = lines.head(tx.session, GroundMeasure, request.measure_id, missing)
    if old.job_id != tx.job_id or old.withdrawn:
        raise NotFoundError(missing)
    tx.replace(old, withdrawn=True)
    tx.tell("ground-measure", f"Measure of {old.text} taken out.", measure=old.id)


# --- two set-ups ---


def _doubles(session: Session, job: JobNow) -> list[RepeatedPoint]:
    """Return the points that two base set-ups or more have: control shots and checks within half a metre of each other."""
    # Loaded where it is needed: the terminal's quick verbs do not wait for it.
    from scipy.spatial import cKDTree

    shots = shots_of_job(session, job.id, Shot.kind.in_(("check", "fit", "control")), newest_first=True, limit=MOST_DOUBLE)[::-1]
    bases = bases_of(session, job.id, {shot.occupation_id for shot in shots})
    if len(bases) < 2:
        return []
    names = _names(session, job.id, shots)
    derived = points.derive_all(session, job, shots, bases)
    kept = [
        (shot, point) for shot, point in zip(shots, derived, strict=True) if not point.not_fixed and not point.virtual and shot in names
    ]
    tree = cKDTree(np.array([(point.east_m, point.north_m) for _, point in kept]).reshape(-1, 2))
    under = marks_of(session, job, {base.occupation.mark_id for base in bases.values()})
    stood = {key: under[base.occupation.mark_id] for key, base in bases.items()}
    found, seen = [], set[int]()
    for place in range(len(kept)):
        if place in seen:
            continue
        near = [item for item in tree.query_ball_point(tree.data[place], SAME_POINT_M) if item not in seen]
        seen.update(near)
        group = [kept[item] for item in sorted(near)]
        if len({shot.occupation_id for shot, _ in group}) > 1:
            found.append(_repeated_point(job, group, names, stood))
    return found


def _repeated_point(
    job: JobNow, group: Sequence[tuple[Shot, points.Point]], names: Mapping[Shot, str], stood: Mapping[str, MarkNow]
) -> RepeatedPoint:
    by_base: dict[str, list[tuple[Shot, points.Point]]] = defaultdict(list)
    for shot, point in group:
        by_base[shot.occupation_id].append((shot, point))
    # Over one mark the coordinate of the mark is the same in all of them; over two it is another error.
    apart_marks = len({stood[key].id for key in by_base}) > 1
    means = [_mean(key, own, stood[key] if apart_marks else None) for key, own in by_base.items()]
    east, north, height = mean_of_set_ups(means)
    name = names[group[0][0]]
    before, after = means[-2], means[-1]
    apart = np.array(after.place_m) - np.array(before.place_m)
    test: Equality = equal_by_sigmas(apart, np.array(before.covariance_m2) + np.array(after.covariance_m2))
    said = judge_double(name, (float(apart[0]), float(apart[1]), float(apart[2])), test, job.length_unit)
    set_ups = [
        Occupied(
            base=stood[item.set_up].name,
            started_s=by_base[item.set_up][0][1].base.occupation.started_s,
            shots=item.shots,
            east_m=e,
            north_m=n,
            height_m=h,
            off_east_m=e - east,
            off_north_m=n - north,
            off_up_m=h - height,
        )
        for item in means
        for e, n, h in [item.place_m]
    ]
    return RepeatedPoint(name=name, east_m=east, north_m=north, height_m=height, set_ups=set_ups, agrees=test.equal, finding=said)


def _mean(set_up: str, own: Sequence[tuple[Shot, points.Point]], mark: MarkNow | None) -> SetUpMean:
    """Return a set-up's mean of a point: its claims are not divided by their number, and its base's height counts once.

    `mark` is the base's where its coordinate counts as well.
    """
    places = np.array([(point.east_m, point.north_m, point.height_m) for _, point in own])
    east, north, height = places[0] + (places - places[0]).mean(axis=0)
    covariance: NDArray[np.float64] = np.mean([covariance_of(claim_of(shot)) for shot, _ in own], axis=0)
    base = own[0][1].base_height
    flat, up = (0.0, 0.0) if mark is None else (mark.sigma_horizontal_m, mark.sigma_vertical_m)
    shared = [POLE_TWICE_M**2 + flat**2] * 2 + [base.sigma_m**2 + ROVER_HEIGHT_SIGMA_M**2 + up**2]
    covariance = covariance + np.diag(shared)
    return SetUpMean(
        set_up=set_up,
        shots=len(own),
        place_m=(float(east), float(north), float(height)),
        covariance_m2=tuple((float(a), float(b), float(c)) for a, b, c in covariance),
    )
