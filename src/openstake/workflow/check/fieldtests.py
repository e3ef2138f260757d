"""The field test after ISO 17123-8 on the page: planned with its times, captured shot by shot, judged when it is whole."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy.orm import Session

from openstake.core.errors import ConflictError, InputError
from openstake.core.iso17123 import (
    FULL_SERIES,
    POINTS,
    SETS,
    SIMPLIFIED_SERIES,
    FieldTest,
    Independent,
    Measured,
    PlannedSet,
    Predetermined,
    field_test,
    planned_sets,
)
from openstake.core.judge.fieldtest import judge_field_test, judge_times
from openstake.core.judge.finding import Finding, ranked
from openstake.core.limits import ISO_SIGMA_H_M, ISO_SIGMA_XY_M, ShortText
from openstake.core.units import metres_from_text, text_from_seconds
from openstake.store.models import ShotSeries
from openstake.workflow.check.series import (
    SeriesNamed,
    SeriesShotWish,
    begin_series,
    give_up,
    open_series,
    place_wanted,
    record_place,
)
from openstake.workflow.context import Context
from openstake.workflow.now import points
from openstake.workflow.now.job import JobNow, job_of
from openstake.workflow.now.series import SeriesNow, series_now
from openstake.workflow.recording import Recording

MOST_TESTS = 10


@dataclass(frozen=True)
class FieldTestWish:
    """A test to begin: full or simplified, predetermined sigmas and independent values as text; empty where there is none."""

    full: bool
    sigma_xy: ShortText = ""
    sigma_h: ShortText = ""
    distance: ShortText = ""
    height_difference: ShortText = ""


@dataclass(frozen=True)
class FieldTestView:
    """A test as it stands: its sets with their times, what to measure next, and its result where all is measured."""

    id: str
    full: bool
    created_s: float
    sigma_xy_m: float
    sigma_h_m: float
    distance_m: float | None
    height_difference_m: float | None
    sets: tuple[PlannedSet, ...]
    measured: int
    wanted: int
    next_words: str
    wait_s: float
    result: FieldTest | None
    findings: tuple[Finding, ...]


@dataclass(frozen=True)
class FieldTests:
    """The tests of a job, newest first; the first may be in hand.  `source` says what the test rests on."""

    tests: list[FieldTestView]
    source: str


_SOURCE = "ISO 17123-8, written from memory: read the standard before a result is used."


def view(context: Context, job_id: str) -> FieldTests:
    """Return the field tests of a job as they stand now."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        listed = series_now(session, "field test", ShotSeries.job_id == job_id)[:MOST_TESTS]
        shots = [shot for item in listed for shot in item.shots.values()]
        derived = dict(zip((shot.id for shot in shots), points.derive_all(session, job, shots), strict=True))
        return FieldTests([_view(item, derived, context.now()) for item in listed], _SOURCE)


def _view(series: SeriesNow, derived: dict[str, points.Point], now_s: float) -> FieldTestView:
    data = series.data
    sets = _sets(series)
    wanted = (FULL_SERIES if data["full"] else SIMPLIFIED_SERIES) * SETS * POINTS
    sigma = Predetermined(data["sigma_xy_m"] or ISO_SIGMA_XY_M, data["sigma_h_m"] or ISO_SIGMA_H_M)
    independent = Independent(data["distance_m"], data["height_difference_m"])
    result, found = None, judge_times(sets)
    if len(series.shots) == wanted:
        result = field_test(
            [_measured(place, derived[shot.id]) for place, shot in series.shots.items()], sigma, independent
        )
        found = judge_field_test(result, independent, data["sigma_xy_m"] is not None) + found
    following = next_place(sets)
    wait = 0.0 if following is None else max(0.0, following[0].due_s - now_s)
    return FieldTestView(
        series.id, data["full"], series.created_s, sigma.xy_m, sigma.h_m, independent.distance_m,
        independent.height_difference_m, sets, len(series.shots), wanted, _next_words(following, wait), wait, result,
        ranked(found),
    )  # fmt: skip


def _sets(series: SeriesNow) -> tuple[PlannedSet, ...]:
    taken = {_place(place): shot.created_s for place, shot in series.shots.items()}
    return planned_sets(series.data["full"], taken, series.created_s)


def next_place(sets: tuple[PlannedSet, ...]) -> tuple[PlannedSet, int] | None:
    """Return the set and the point to measure next, None where all are measured."""
    for item in sets:
        left = [point for point in range(1, POINTS + 1) if point not in item.points]
        if left:
            return item, left[0]
    return None


def _next_words(following: tuple[PlannedSet, int] | None, wait_s: float) -> str:
    if following is None:
        return "Everything is measured."
    item, point = following
    words = f"Series {item.series}, set {item.set}: rover point {point}"
    if wait_s > 0.0 and point == 1:
        return f"{words}, in {text_from_seconds(wait_s)}."
    return f"{words}, now."


def _place(place: str) -> tuple[int, int, int]:
    series, number, point = (int(part) for part in place.split("."))
    return series, number, point


def _measured(place: str, point: points.Point) -> Measured:
    return Measured(*_place(place), point.east_m, point.north_m, point.height_m)


def begin(context: Context, job_id: str, wish: FieldTestWish) -> FieldTests:
    """Begin a field test; one is in hand at a time."""
    with context.database.read() as session:
        job = job_of(session, job_id)
    data = {"full": wish.full} | {
        f"{name}_m": _length(job, getattr(wish, name), name)
        for name in ("sigma_xy", "sigma_h", "distance", "height_difference")
    }
    _check(data)
    tests = view(context, job_id).tests
    if tests and tests[0].measured < tests[0].wanted:
        raise ConflictError("A field test is in hand already. Finish it, or give it up.")

    def work(session: Session) -> None:
        words = f"Field test begun: {'full, three series' if wish.full else 'simplified, one series'} of five sets."
        begin_series(session, job_id, "field test", data, words, context.now())

    context.database.write(work)
    context.changed(job_id)
    return view(context, job_id)


def _length(job: JobNow, text: str, field: str) -> float | None:
    if not text.strip():
        return None
    try:
        return metres_from_text(text, job.length_unit)
    except InputError as error:
        error.field = field
        raise


def _check(data: dict[str, float | bool | None]) -> None:
    for name in ("sigma_xy", "sigma_h"):
        value = data[f"{name}_m"]
        if value is not None and not 0.0005 <= value <= 1.0:
            raise InputError("A standard deviation of 0.5 mm to 1 m.", field=name)
    if (data["sigma_xy_m"] is None) != (data["sigma_h_m"] is None):
        missing = "sigma_xy" if data["sigma_xy_m"] is None else "sigma_h"
        raise InputError("Give both sigmas, or none: then the usual ones are taken.", field=missing)
    distance, height = data["distance_m"], data["height_difference_m"]
    if distance is not None and not 0.0 < distance <= 10_000.0:
        raise InputError("The distance between the two points is more than 0 and at most 10 000 m.", field="distance")
    if height is not None and abs(height) > 1000.0:
        raise InputError("The height difference of the two points is at most 1000 m.", field="height_difference")


def record(context: Context, job_id: str, wish: SeriesShotWish) -> Recording:
    """Begin to record what is to be measured next, or the last one again."""
    with context.database.read() as session:
        series = open_series(session, job_id, "field test", wish.series_id)
    following = next_place(_sets(series))
    place = place_wanted(
        series, None if following is None else f"{following[0].series}.{following[0].set}.{following[1]}", wish.again
    )
    of_series, number, point = _place(place)
    words = f"Field test, series {of_series}, set {number}, point {point}"
    return record_place(context, job_id, "field test", wish, place, words)


def drop(context: Context, job_id: str, wish: SeriesNamed) -> FieldTests:
    """Give a test up."""
    give_up(context, job_id, "field test", wish.series_id)
    return view(context, job_id)
