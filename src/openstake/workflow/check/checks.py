"""Checks as they stand now: each shot's difference from its mark, what was to be expected, and what it says."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy.orm import Session

from openstake.core.antenna import pole_words
from openstake.core.base_sources import RESEATED
from openstake.core.budget import Budget, BudgetSettings, sigmas_of
from openstake.core.chain import State, out_of_date, state_of_check
from openstake.core.control import DIFFERENCE_SIGN, beyond_expected, expected_at_95, in_words, within
from openstake.core.judge.check import CheckEvidence, OtherCheck, Repeat, judge_check
from openstake.core.judge.finding import Finding
from openstake.core.judge.job import judge_datum
from openstake.core.judge.verdict import Verdict, verdict_of_check
from openstake.core.limits import ShortText, Tolerance
from openstake.core.sigmas import Ellipse95, Sigmas, added, ellipse_95, in_grid
from openstake.derive import points
from openstake.derive.base import BaseNow, base_values, bases_of, is_autonomous
from openstake.derive.budget import PoleUsed, budget_of_shot, pole_used, settings_of
from openstake.derive.claims import claim_of
from openstake.derive.heights import as_typed
from openstake.derive.job import JobNow, job_of
from openstake.derive.kit import kit_of
from openstake.derive.marks import MarkNow, marks_of
from openstake.derive.points import Point
from openstake.store.models import Shot
from openstake.store.records import lines
from openstake.store.records.bases import latest_occupation
from openstake.store.records.marks import mark_values
from openstake.store.records.shots import check_ids_of_bases, marks_of_shots, replaced_marks_of_bases, shots_by_id, shots_page
from openstake.workflow.check.measured import Measured
from openstake.workflow.check.repeats import repeats_of
from openstake.workflow.context import Context

MOST_CHECKS = 200


@dataclass(frozen=True)
class ChecksQuery:
    """`after` is where the last page ended."""

    after: ShortText = ""


@dataclass(frozen=True, kw_only=True)
class Check:
    """A check as it stands now: observed − known, metres; `up_m` is null where heights cannot be compared.

    `expected_*` are what the budget, absolute, and the mark itself give.  `of_this_base`: from the base that runs, or ran last;
    `base_words` say which one it was of otherwise.
    """

    id: str
    mark_id: str
    mark_name: str
    occupation_id: str
    of_this_base: bool
    base_words: str
    created_s: float
    seconds: float
    epochs: int
    effective_n: float | None
    east_m: float
    north_m: float
    up_m: float | None
    horizontal_m: float
    words: str
    tolerance_horizontal_m: float
    tolerance_vertical_m: float
    expected_horizontal_95_m: float
    expected_vertical_95_m: float
    expected_ellipse: Ellipse95
    budget: Budget
    covariance_origin: str
    state: State
    agrees: bool
    horizontal_agrees: bool
    vertical_agrees: bool
    stale: bool
    verdict_word: str
    verdict: Verdict
    point_east_m: float
    point_north_m: float
    point_height_m: float
    base_height_reading_ids: tuple[str, ...]
    base_coordinate_id: str
    findings: list[Finding]


@dataclass(frozen=True)
class Checks:
    """Checks, newest first; `next` asks for those before them, None at the end.  `sign` says which way differences count."""

    checks: list[Check]
    next: str | None
    sign: str = DIFFERENCE_SIGN


def list_checks(context: Context, job_id: str, query: ChecksQuery) -> Checks:
    """Return a page of the checks of a job as they stand now, newest first."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        page, following = shots_page(session, job_id, query.after, MOST_CHECKS, True, Shot.mark_id.is_not(None))
        return Checks([item.check for item in checked(session, job, page)], following)


@dataclass(frozen=True, kw_only=True)
class Checked:
    """A check with what it was made from."""

    shot: Shot
    mark: MarkNow
    base_mark: MarkNow
    point: Point
    check: Check
    convergence_deg: float


def checked(session: Session, job: JobNow, shots: Sequence[Shot]) -> list[Checked]:
    """Return the checks of shots as they stand now, in their order: as many queries for a thousand as for one.

    Beside the shots the newest one on every mark of their set-ups is derived, and the one before each on its mark: what they say
    helps to judge the others.
    """
    if not shots:
        return []
    bases = bases_of(session, job.id, {shot.occupation_id for shot in shots})
    stood = _Stood(session, bases)
    asked = {shot.id for shot in shots}
    others = {*stood.newest.values(), *(stood.before[shot_id] for shot_id in asked if shot_id in stood.before)} - asked
    more = shots_by_id(session, others)
    measured = _measured(session, job, [*shots, *more], bases)
    latest: dict[str, dict[str, OtherCheck]] = defaultdict(dict)
    for (occupation_id, _), shot_id in stood.newest.items():
        item = measured[shot_id]
        agrees = all(within(item.difference, item.tolerance))
        latest[occupation_id][item.mark.id] = OtherCheck(
            mark=item.mark.name, difference=item.difference, within=agrees, pole=pole_words(as_typed(item.point.rover_height))
        )
    shown = [measured[shot.id] for shot in shots]
    stale = _stale(session, job, shown, bases)
    turns = {row_id: _convergence_deg(job, base) for row_id, base in bases.items()}
    pairs = {item.shot.id: (measured[stood.before[item.shot.id]], item) for item in shown if item.shot.id in stood.before}
    pole, usual = pole_used(kit_of(session, job.id)), settings_of(session, job.id)
    latest_base = latest_occupation(session, job.id)
    present = None if latest_base is None else latest_base.id
    repeats, seats = repeats_of(session, job, pairs, turns), _seats(session, stood, bases)
    return [
        Checked(
            shot=item.shot,
            mark=item.mark,
            base_mark=item.base_mark,
            point=item.point,
            check=_check(
                job,
                item,
                tuple(latest[item.shot.occupation_id].values()),
                item.shot.id in stale,
                turns[item.shot.occupation_id],
                repeats.get(item.shot.id),
                seats.get(item.shot.occupation_id) == item.mark.id,
                pole,
                usual,
                present,
            ),
            convergence_deg=turns[item.shot.occupation_id],
        )
        for item in shown
    ]


def _convergence_deg(job: JobNow, base: BaseNow) -> float:
    """Return the grid convergence at a base, degrees: over the reach of a base it changes by hundredths."""
    latitude, longitude, _ = job.frame.datum_geodetic_from_ecef(base.mark_m)
    return job.frame.convergence_deg(float(latitude), float(longitude))


class _Stood:
    """Which shot is the newest on each mark of some set-ups, by occupation and mark, and which came before each on its mark."""

    def __init__(self, session: Session, occupation_ids: Collection[str]) -> None:
        rows = check_ids_of_bases(session, set(occupation_ids))
        self._replaced_by = replaced_marks_of_bases(session, set(occupation_ids))
        self.newest: dict[tuple[str, str], str] = {}
        self.before: dict[str, str] = {}
        for occupation_id, mark_id, shot_id in rows:
            key = (occupation_id, self.head_of(mark_id))
            earlier = self.newest.pop(key, None)
            if earlier is not None:
                self.before[shot_id] = earlier
            self.newest[key] = shot_id

    def head_of(self, mark_id: str | None) -> str:
        """Return the current row of a mark of these set-ups' job."""
        return lines.last_of(self._replaced_by, str(mark_id))


def _seats(session: Session, stood: _Stood, bases: Mapping[str, BaseNow]) -> dict[str, str]:
    """Return the mark that each re-seated base was moved by, by its occupation."""
    moved = {key: base.coordinate.evidence_id for key, base in bases.items() if base.coordinate.source == RESEATED}
    marks = {shot_id: stood.head_of(mark_id) for shot_id, mark_id in marks_of_shots(session, moved.values()).items() if mark_id}
    return {key: marks[shot_id] for key, shot_id in moved.items() if shot_id in marks}


def _mark_id(shot: Shot) -> str:
    assert shot.mark_id is not None, "a check stands on a mark"
    return shot.mark_id


def _measured(session: Session, job: JobNow, shots: Sequence[Shot], bases: Mapping[str, BaseNow]) -> dict[str, Measured]:
    under = {base.occupation.mark_id for base in bases.values()}
    marks = marks_of(session, job, {_mark_id(shot) for shot in shots} | under)
    found = {}
    for shot, point in zip(shots, points.derive_all(session, job, shots, bases), strict=True):
        mark, base_mark = marks[_mark_id(shot)], marks[point.base.occupation.mark_id]
        assert shot.tolerance_horizontal_m is not None and shot.tolerance_vertical_m is not None, "a check has tolerances"
        tolerance = Tolerance(shot.tolerance_horizontal_m, shot.tolerance_vertical_m)
        found[shot.id] = Measured(
            shot=shot, mark=mark, base_mark=base_mark, point=point, difference=points.from_mark(point, mark), tolerance=tolerance
        )
    return found


def rests_on_of(shot: Shot) -> tuple[str, ...]:
    """Return the ids that a shot's check rested on when it was stored."""
    return shot.rests_on


def _stale(session: Session, job: JobNow, items: Sequence[Measured], bases: Mapping[str, BaseNow]) -> set[str]:
    """Return the ids of the shots whose check rests on something that has another value now."""
    changed = []
    for item in items:
        point = item.point
        now = points.rests_on(job, item.mark, point.coordinate, point.base_height, point.rover_height, point.reference)
        before = rests_on_of(item.shot)
        if set(before) != set(now):
            changed.append((item.shot.id, before, now))
    if not changed:
        return set()
    values: dict[str, Any] = {**job.meanings, **base_values(bases.values()), **points.pole_values(item.point for item in items)}
    unknown = {row_id for _, before, now in changed for row_id in (*before, *now)} - set(values)
    values |= mark_values(session, unknown)
    return {shot_id for shot_id, before, now in changed if out_of_date(before, now, values)}


def _check(
    job: JobNow,
    item: Measured,
    others: Sequence[OtherCheck],
    stale: bool,
    convergence_deg: float,
    before: Repeat | None,
    seated_on: bool,
    pole: PoleUsed,
    usual: BudgetSettings,
    present: str | None,
) -> Check:
    """Return a check as it stands now, with its findings."""
    shot, mark, point, difference, tolerance = item.shot, item.mark, item.point, item.difference, item.tolerance
    autonomous = is_autonomous(point.coordinate)
    budget = budget_of_shot(shot, point, pole, usual, absolute=True)
    total = _total_sigmas(item, budget, convergence_deg)
    expected = expected_at_95(total)
    findings = judge_datum(job.frame) + judge_check(
        CheckEvidence(
            mark=mark.name,
            base_mark=item.base_mark.name,
            difference=difference,
            tolerance=tolerance,
            expected=expected,
            base_readings=point.base_height.readings,
            base_arp_height_m=point.base_height.arp_height_m,
            rover_reading=as_typed(point.rover_height),
            base_known=not autonomous,
            seconds=shot.seconds,
            not_fixed=point.not_fixed,
            epochs=point.epochs,
            virtual=point.virtual,
            others=others,
            beyond_expected=beyond_expected(difference, total),
            before=before,
            seated_on=seated_on,
            gap_s=point.gap_s,
            unit=job.length_unit,
        )
    )
    horizontal_agrees, vertical_agrees = within(difference, tolerance)
    agrees = horizontal_agrees and vertical_agrees and not point.not_fixed and not job.frame.datum_is_unsaid
    return Check(
        id=shot.id,
        mark_id=mark.id,
        mark_name=mark.name,
        occupation_id=shot.occupation_id,
        of_this_base=shot.occupation_id == present,
        base_words="" if shot.occupation_id == present else _base_words(job, item),
        created_s=shot.created_s,
        seconds=shot.seconds,
        epochs=point.epochs,
        effective_n=shot.effective_n,
        east_m=difference.east_m,
        north_m=difference.north_m,
        up_m=difference.up_m,
        horizontal_m=difference.horizontal_m,
        words=in_words(difference, job.length_unit),
        tolerance_horizontal_m=tolerance.horizontal_m,
        tolerance_vertical_m=tolerance.vertical_m,
        expected_horizontal_95_m=expected.horizontal_95_m,
        expected_vertical_95_m=expected.vertical_95_m,
        expected_ellipse=ellipse_95(total),
        budget=budget,
        covariance_origin=shot.covariance_origin,
        state=state_of_check(agrees, stale),
        agrees=agrees,
        horizontal_agrees=horizontal_agrees,
        vertical_agrees=vertical_agrees,
        stale=stale,
        verdict_word="within tolerance" if agrees else "outside tolerance",
        verdict=verdict_of_check(findings, stale),
        point_east_m=point.east_m,
        point_north_m=point.north_m,
        point_height_m=point.height_m,
        base_height_reading_ids=point.base_height.ids,
        base_coordinate_id=point.coordinate.id,
        findings=findings,
    )


def _base_words(job: JobNow, item: Measured) -> str:
    started = job.local_time(item.point.base.occupation.started_s)
    return f"From an earlier base, on {item.base_mark.name} since {started.day} {started:%b} {started:%H:%M}: it says nothing of the present one."


def _total_sigmas(item: Measured, budget: Budget, convergence_deg: float) -> Sigmas:
    """Return what a check should show, one sigma in the grid: the budget with the receiver's own covariance, and the mark checked."""
    shot, mark = item.shot, item.mark
    claimed = None not in (shot.sigma_east_m, shot.sigma_north_m, shot.sigma_up_m)
    claim = in_grid(claim_of(shot), convergence_deg) if claimed else None
    return added(
        sigmas_of(budget, claim), Sigmas(east_m=mark.sigma_horizontal_m, north_m=mark.sigma_horizontal_m, up_m=mark.sigma_vertical_m)
    )
