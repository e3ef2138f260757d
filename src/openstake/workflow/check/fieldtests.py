"""The field test after ISO 17123-8 on the page: planned with its times, captured shot by shot, judged when it is whole."""

from __future__ import annotations

from dataclasses import dataclass

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
    check_known,
    field_test,
    planned_sets,
)
from openstake.core.judge.fieldtest import chance_words, judge_field_test, judge_times
from openstake.core.judge.finding import Finding, ranked
from openstake.core.limits import ShortText
from openstake.core.shot_series import FieldTestSettled
from openstake.core.units import metres_in_field, text_from_metres, text_from_seconds
from openstake.derive import points
from openstake.derive.job import job_of
from openstake.derive.series import SeriesNow, series_now
from openstake.store.models import ShotSeries
from openstake.workflow.check.series import SeriesNamed, SeriesShotRequest, begin_series, give_up, open_series, place_wanted, record_place
from openstake.workflow.context import Context
from openstake.workflow.recording import Recording

MOST_TESTS = 10


@dataclass(frozen=True, kw_only=True)
class FieldTestRequest:
    """A test to begin: full or simplified, predetermined sigmas and independent values as text; empty where there is none."""

    full: bool
    sigma_xy: ShortText = ""
    sigma_h: ShortText = ""
    distance: ShortText = ""
    height_difference: ShortText = ""


@dataclass(frozen=True, kw_only=True)
class FieldTestView:
    """A test as it stands: its sets with their times, what to measure next, and its result where all is measured.

    `open`: something is still to be measured; `verdict`, `quality` and `chance` say the result in words, `passed` whether every test is.
    """

    id: str
    full: bool
    open: bool
    sets: tuple[PlannedSet, ...]
    measured: int
    wanted: int
    next_words: str
    passed: bool | None
    verdict: str
    quality: str
    chance: str
    result: FieldTest | None
    findings: tuple[Finding, ...]


@dataclass(frozen=True, kw_only=True)
class FieldTests:
    """The tests of a job, newest first; the first may be in hand.

    `source` says what the test rests on, `usual_xy` and `usual_h` what is taken where no sigma is typed.
    """

    tests: list[FieldTestView]
    source: str
    usual_xy: str
    usual_h: str


_SOURCE = "ISO 17123-8, written from memory: read the standard before a result is used."


def view(context: Context, job_id: str) -> FieldTests:
    """Return the field tests of a job as they stand now."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        listed = series_now(session, FieldTestSettled, ShotSeries.job_id == job_id)[:MOST_TESTS]
        shots = [shot for item in listed for shot in item.shots.values()]
        derived = dict(zip((shot.id for shot in shots), points.derive_all(session, job, shots), strict=True))
    measured = [[_measured(place, derived[shot.id]) for place, shot in item.shots.items()] for item in listed]
    # A full test is compared with the full one before it.
    before = [
        next((rows for rows, other in zip(measured[n + 1 :], listed[n + 1 :], strict=True) if _is_whole_and_full(other)), None)
        for n in range(len(listed))
    ]
    usual = Predetermined()
    return FieldTests(
        tests=[
            _view(item, rows, earlier, job.length_unit, context.now(job_id))
            for item, rows, earlier in zip(listed, measured, before, strict=True)
        ],
        source=_SOURCE,
        usual_xy=text_from_metres(usual.xy_m, job.length_unit),
        usual_h=text_from_metres(usual.h_m, job.length_unit),
    )


def _wanted(settled: FieldTestSettled) -> int:
    return (FULL_SERIES if settled.full else SIMPLIFIED_SERIES) * SETS * POINTS


def _is_whole_and_full(series: SeriesNow[FieldTestSettled]) -> bool:
    return series.settled.full and len(series.shots) == _wanted(series.settled)


def _known(settled: FieldTestSettled) -> tuple[Predetermined, Independent]:
    usual = Predetermined()
    sigma = Predetermined(settled.sigma_xy_m or usual.xy_m, settled.sigma_h_m or usual.h_m)
    return sigma, Independent(settled.distance_m, settled.height_difference_m)


def _view(
    series: SeriesNow[FieldTestSettled], rows: list[Measured], earlier: list[Measured] | None, unit: str, now_s: float
) -> FieldTestView:
    settled = series.settled
    sets, wanted = _sets(series), _wanted(settled)
    sigma, independent = _known(settled)
    result, found = None, judge_times(sets)
    if len(rows) == wanted:
        result = field_test(rows, sigma, independent, earlier if settled.full else None)
        found = judge_field_test(result, independent, settled.sigma_xy_m is not None) + found
    following = next_place(sets)
    wait_s = 0.0 if following is None else max(0.0, following[0].due_s - now_s)
    return FieldTestView(
        id=series.id,
        full=settled.full,
        open=following is not None,
        sets=sets,
        measured=len(rows),
        wanted=wanted,
        next_words=_next_words(following, wait_s),
        passed=None if result is None else result.passed,
        verdict="" if result is None else "passed" if result.passed else "not passed",
        quality="" if result is None else _quality(result, unit),
        chance="" if result is None else chance_words(result),
        result=result,
        findings=ranked(found),
    )


def _quality(result: FieldTest, unit: str) -> str:
    """Say what a test gives: the uncertainties of a full one, and by what it was judged."""
    xy, h = text_from_metres(result.sigma_xy_m, unit), text_from_metres(result.sigma_h_m, unit)
    if result.s_xy_m is None or result.s_h_m is None:
        return f"One series: gross errors only, no uncertainty. Judged by a sigma of {xy}, {h} in height."
    s_xy, s_h = text_from_metres(result.s_xy_m, unit), text_from_metres(result.s_h_m, unit)
    return (
        f"s of a position {s_xy} ({result.dof_xy} degrees of freedom), of a height {s_h} ({result.dof_h}). "
        f"Judged by a sigma of {xy}, {h} in height."
    )


def _sets(series: SeriesNow[FieldTestSettled]) -> tuple[PlannedSet, ...]:
    taken = {_place(place): shot.created_s for place, shot in series.shots.items()}
    return planned_sets(series.settled.full, taken, series.created_s)


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
    series, number, which = _place(place)
    return Measured(series=series, set=number, point=which, east_m=point.east_m, north_m=point.north_m, height_m=point.height_m)


def begin(context: Context, job_id: str, request: FieldTestRequest) -> FieldTests:
    """Begin a field test; one is in hand at a time."""
    with context.database.read() as session:
        unit = job_of(session, job_id).length_unit
    xy, h, distance, height = (
        metres_in_field(getattr(request, name), unit, name) for name in ("sigma_xy", "sigma_h", "distance", "height_difference")
    )
    if (xy is None) != (h is None):
        raise InputError("Give both sigmas, or none: then the usual ones are taken.", field="sigma_xy" if xy is None else "sigma_h")
    settled = FieldTestSettled(full=request.full, sigma_xy_m=xy, sigma_h_m=h, distance_m=distance, height_difference_m=height)
    check_known(*_known(settled))
    tests = view(context, job_id).tests
    if tests and tests[0].open:
        raise ConflictError("A field test is in hand already. Finish it, or abandon it.")

    begin_series(
        context, job_id, settled, f"Field test begun: {'full, three series' if request.full else 'simplified, one series'} of five sets."
    )
    return view(context, job_id)


def record(context: Context, job_id: str, request: SeriesShotRequest) -> Recording:
    """Begin to record what is to be measured next, or the last one again."""
    with context.database.read() as session:
        series = open_series(session, job_id, FieldTestSettled, request.series_id)
    following = next_place(_sets(series))
    place = place_wanted(series, None if following is None else f"{following[0].series}.{following[0].set}.{following[1]}", request.again)
    of_series, number, point = _place(place)
    words = f"Field test, series {of_series}, set {number}, point {point}"
    return record_place(context, job_id, "field test", request, place, words)


def drop(context: Context, job_id: str, request: SeriesNamed) -> FieldTests:
    """Give a test up."""
    give_up(context, job_id, "field test", request.series_id)
    return view(context, job_id)
