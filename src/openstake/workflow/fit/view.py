"""The Fit page: every mark in both systems, what the fit gives, what these data can and cannot tell, and what to do next."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from openstake.core.chain import State, state_of_fit
from openstake.core.judge.finding import Finding
from openstake.core.judge.fit import Suspected
from openstake.core.limits import FIT_WASH_M
from openstake.core.localfit.choice import MODEL_CHOICES, FitMethod, FitModels, MarkUse, ModelChoice
from openstake.core.localfit.expected import ExpectedFit
from openstake.core.localfit.geometry import Gain, best_next, effects_m, effects_up_m, farthest_apart, hull_of
from openstake.core.localfit.method import FIT_METHOD_WORDS, FitMethodWords, MarkStatus, NextStep, SuspectMark, next_step
from openstake.core.localfit.pair import FEWEST
from openstake.core.units import counted, shortest_typed, text_from_metres
from openstake.derive.accuracy_map import AccuracyMap, accuracy_map_over
from openstake.derive.fit import FitMarkNow, FitNow
from openstake.workflow.fit.diagnosis import Diagnosis, HorizontalRead, PointRead, VerticalRead, known
from openstake.workflow.fit.judged import FitHeadline, Judged, gnss_of, in_doubt, off_by_line


@dataclass(frozen=True, kw_only=True)
class FitShotView:
    """A shot on a mark of the fit: how far it is from the mark's mean, metres; `why_not` where it is not averaged."""

    id: str
    kind: str
    at_s: float
    epochs: int
    off_east_m: float | None
    off_north_m: float | None
    off_up_m: float | None
    used: bool
    why_not: str


@dataclass(frozen=True, kw_only=True)
class FitMarkView:
    """A mark in both systems, metres.  `use` is what was chosen; `horizontal` and `vertical` whether it is in the fit.

    Residuals are fitted − given, `left_out_*` predicted by the others − given.  `off_m` is the horizontal one of the latter,
    `redundancy_*` what part of a blunder shows, `detectable_*` the blunder found with 80 %, `effect_*` how far the fit goes without it.
    `predicted_*`: what the fit alone gives there at 95 %.  `typed` are its lengths as they would be typed.
    """

    line_id: str
    id: str
    name: str
    state: State
    words: str
    use: MarkUse
    horizontal: bool
    vertical: bool
    local_e_m: float
    local_n_m: float
    local_h_m: float | None
    gnss_e_m: float | None
    gnss_n_m: float | None
    gnss_h_m: float | None
    origin: str
    sigma_h_m: float | None
    sigma_v_m: float | None
    point: PointRead | None
    off_m: float | None
    off_up_m: float | None
    redundancy_h: float | None
    redundancy_v: float | None
    detectable_h_m: float | None
    detectable_v_m: float | None
    effect_m: float | None
    effect_up_m: float | None
    predicted_95_m: float | None
    predicted_up_95_m: float | None
    inside: bool
    typed: dict[str, str]
    source: str
    shots: list[FitShotView]


@dataclass(frozen=True)
class Corner:
    """A corner of the hull, local metres."""

    east_m: float
    north_m: float


@dataclass(frozen=True, kw_only=True)
class FitInUse:
    """The fit in use: since when, how good it was, and what has changed since, in words."""

    id: str
    at_s: float
    words: str
    changed: list[str]
    is_shown: bool


@dataclass(frozen=True, kw_only=True)
class FitView:
    """The local fit of a job.  `hull` are the corners of the marks used; `undo_words` say what undo takes back."""

    chosen_id: str | None
    models: FitModels
    model_choices: tuple[ModelChoice, ...]
    school: FitMethod
    schools: tuple[FitMethodWords, ...]
    state: State
    why: str
    headline: FitHeadline
    next: NextStep
    marks: list[FitMarkView]
    hull: list[Corner]
    wash: AccuracyMap | None
    horizontal: HorizontalRead | None
    vertical: VerticalRead | None
    expected: ExpectedFit
    expected_words: str
    test_words: str
    suspects: list[Suspected]
    findings: tuple[Finding, ...]
    problem: str
    up_problem: str
    has_geoid: bool
    applied: FitInUse | None
    undo_words: str


def _expected_words(now: FitNow, marks: Sequence[FitMarkView]) -> str:
    """Return what scale and rotation are to be expected: those of the place, so of a measured mark."""
    if all(mark.gnss_e_m is None for mark in marks):
        return "What scale to expect here is known once a mark is measured."
    turned = now.expected.rotation_deg
    words = "" if turned is None else f", turned by {turned:.4f}°".replace("-", "−")
    return f"Expected here: scale {now.expected.scale:.7f}{words}."


def page_of(item: Judged, undo_words: str) -> FitView:
    """Return the page of a fit; `undo_words` say what undo would take back."""
    now, found, job = item.now, item.found, item.job
    state, why = state_of_fit(item.said)
    marks = _mark_views(item)
    suggested, gain = _suggested(now)
    local = np.array([(mark.local_e_m, mark.local_n_m) for mark in marks if mark.horizontal]).reshape(-1, 2)
    applied = item.applied
    return FitView(
        chosen_id=now.chosen_id,
        models=now.choice.models,
        model_choices=MODEL_CHOICES,
        school=now.choice.school,
        schools=FIT_METHOD_WORDS,
        state=state,
        why=why,
        headline=item.headline,
        next=_next(item, marks, suggested, gain),
        marks=marks,
        hull=[Corner(float(east), float(north)) for east, north in hull_of(local).corners_m],
        wash=_wash(now, marks),
        horizontal=None if found is None else found.horizontal,
        vertical=None if found is None else found.vertical,
        expected=now.expected,
        expected_words=_expected_words(now, marks),
        test_words="" if found is None else _test_words(now, found),
        suspects=[] if found is None else found.suspects,
        findings=item.findings,
        problem=now.problem if now.marks else "",
        up_problem=now.up_problem if now.flat is not None else "",
        has_geoid=job.geoid_file is not None,
        applied=None
        if applied is None
        else FitInUse(
            id=applied.id,
            at_s=applied.created_s,
            words=applied.words,
            changed=list(item.changed),
            is_shown=applied.parameters == now.parameters,
        ),
        undo_words=undo_words,
    )


def _mark_views(item: Judged) -> list[FitMarkView]:
    now, found, unit = item.now, item.found, item.job.length_unit
    flat, up = now.flat, now.up
    numbers = _numbers(now, found)
    suspect = {} if found is None else in_doubt(found)
    words_of = {name: "suspected" if len(names) == 1 else "in doubt" for names in suspect.values() for name in names}
    off = {} if found is None else off_by_line(found)
    views = []
    for mark in now.marks:
        n = now.place_of.get(mark.line_id)
        point = None if found is None or n is None else found.points[n]
        row, own, use = mark.row, numbers.get(mark.line_id, {}), now.choice.use_of(mark.line_id)
        in_flat, in_up = (part is not None and n is not None and n in part.used for part in (flat, up))
        state, words = _stands(mark, use, in_flat or in_up, words_of.get(mark.name, ""), mark.name in item.differing, bool(suspect))
        sigmas = mark.sigmas_m if mark.grid_m is not None else (None, None)
        gnss = mark.grid_m or (None, None, None)
        lengths = {"east": row.local_e_m, "north": row.local_n_m, "height": row.local_h_m} | {
            "sigma_h": row.sigma_h_m,
            "sigma_v": row.sigma_v_m,
        }
        views.append(
            FitMarkView(
                line_id=mark.line_id,
                id=row.id,
                name=mark.name,
                state=state,
                words=words,
                use=use,
                horizontal=in_flat,
                vertical=in_up,
                local_e_m=row.local_e_m,
                local_n_m=row.local_n_m,
                local_h_m=row.local_h_m,
                gnss_e_m=gnss[0],
                gnss_n_m=gnss[1],
                gnss_h_m=gnss[2],
                origin=_origin_words(mark),
                sigma_h_m=sigmas[0],
                sigma_v_m=sigmas[1],
                point=point,
                off_m=off.get(mark.name, (None, None))[0],
                off_up_m=off.get(mark.name, (None, None))[1],
                redundancy_h=own.get("redundancy_h"),
                redundancy_v=own.get("redundancy_v"),
                detectable_h_m=own.get("detectable_h_m"),
                detectable_v_m=own.get("detectable_v_m"),
                effect_m=own.get("effect_m"),
                effect_up_m=own.get("effect_up_m"),
                predicted_95_m=own.get("predicted_95_m"),
                predicted_up_95_m=own.get("predicted_up_95_m"),
                inside=mark.name not in item.outside,
                typed={name: shortest_typed(value, unit) for name, value in lengths.items() if value is not None},
                source=row.source,
                shots=_shots(mark),
            )
        )
    return views


def _numbers(now: FitNow, found: Diagnosis | None) -> dict[str, dict[str, float | None]]:
    """Return the reliability of each measured mark and what the fit gives there, by its line; of parts that there are."""
    if now.flat is None or now.reach is None or found is None:
        return {}
    lines = [now.marks[place].line_id for place in now.measured]
    numbers: dict[str, dict[str, float | None]] = {line: {} for line in lines}
    places = np.array([gnss_of(now, n) for n in range(len(now.pairs))])
    for line, flat_95 in zip(lines, now.reach.horizontal_95_m(places), strict=True):
        numbers[line]["predicted_95_m"] = known(flat_95)
    effects = effects_m(now.pairs, now.flat)
    for place, n in enumerate(now.flat.used):
        own = numbers[lines[n]]
        own["redundancy_h"] = float(np.mean(found.of_flat.redundancy[place]))
        own["detectable_h_m"] = known(float(np.max(found.of_flat.detectable_m[place])))
        own["effect_m"] = known(effects[place])
    if now.up is None or found.of_up is None:
        return numbers
    for line, up_95 in zip(lines, now.reach.vertical_95_m(places), strict=True):
        numbers[line]["predicted_up_95_m"] = known(up_95)
    up_effects = effects_up_m(now.pairs, now.up)
    for place, n in enumerate(now.up.used):
        own = numbers[lines[n]]
        own["redundancy_v"] = float(found.of_up.redundancy[place, 0])
        own["detectable_v_m"] = known(float(found.of_up.detectable_m[place, 0]))
        own["effect_up_m"] = known(up_effects[place])
    return numbers


def _stands(mark: FitMarkNow, use: MarkUse, used: bool, suspect: str, differs: bool, waits: bool) -> tuple[State, str]:
    if mark.grid_m is None:
        return State.MISSING, "not measured"
    if use == "out":
        return State.ENTERED, "left out"
    if suspect:
        return State.DISAGREES, suspect
    if differs:
        return State.DISAGREES, "off as a check"
    if not used and use != "check":
        return State.ENTERED, "measured"
    words = {"h": "in, horizontal only", "v": "in, height only"}.get(use, "in the fit")
    return (State.ENTERED if waits else State.CHECKED, words) if used else (State.ENTERED, "kept as a check")


def _origin_words(mark: FitMarkNow) -> str:
    if mark.origin == "shots" and mark.mean is not None:
        fixes = "" if mark.mean.shots == 1 else f", {counted(mark.mean.fixes, 'initialisation')}"
        return f"{counted(mark.mean.shots, 'shot')}{fixes}"
    return {"given": "imported", "base": "the base's own mark", "none": "not measured", "shots": ""}[mark.origin]


def _shots(mark: FitMarkNow) -> list[FitShotView]:
    mean = mark.mean
    return [
        FitShotView(
            id=item.shot.id,
            kind=item.shot.kind,
            at_s=item.shot.created_s,
            epochs=item.point.epochs,
            off_east_m=None if mean is None else item.point.east_m - mean.east_m,
            off_north_m=None if mean is None else item.point.north_m - mean.north_m,
            off_up_m=None if mean is None else item.point.height_m - mean.height_m,
            used=not item.why_not,
            why_not=item.why_not,
        )
        for item in mark.shots
    ]


def _test_words(now: FitNow, found: Diagnosis) -> str:
    """Say by what residuals are judged."""
    if now.flat is None or now.flat.redundancy <= 0:
        return "nothing left over: no test"
    if found.test == "tau":
        return "sigma estimated from the residuals: tau"
    statistic, limit = found.of_flat.global_statistic or 0.0, found.of_flat.global_limit or 0.0
    return f"given sigmas: Baarda; χ² {statistic:.1f} of {limit:.1f} horizontally"


# --- where, and what next ---


def _wash(now: FitNow, marks: Sequence[FitMarkView]) -> AccuracyMap | None:
    """Return what the fit alone gives over the marks, in local coordinates."""
    parameters, reach = now.parameters, now.reach
    if reach is None or parameters is None or reach.variance_m2 is None:
        return None
    local = [(mark.local_e_m, mark.local_n_m) for mark in marks]
    return accuracy_map_over(local, FIT_WASH_M, lambda cells: reach.horizontal_95_m(parameters.to_grid(cells)))


def _suggested(now: FitNow) -> tuple[FitMarkNow | None, Gain | None]:
    """Return the unmeasured mark that gains most, and how much that is."""
    places_of = [n for n, mark in enumerate(now.marks) if mark.grid_m is None]
    missing = [now.marks[n] for n in places_of]
    if not missing:
        return None, None
    if now.flat is None or now.reach is None or now.parameters is None or len(now.flat.used) < FEWEST["similarity"]:
        return _to_begin(now, missing), None
    local = np.array([(mark.row.local_e_m, mark.row.local_n_m) for mark in now.marks])
    site = now.parameters.to_grid(local)
    weights = np.full(len(missing), float(np.mean(now.flat.weights)))
    gain = best_next(now.reach, site[places_of], weights, site)
    return (None, None) if gain is None else (missing[gain.candidate], gain)


def _to_begin(now: FitNow, missing: Sequence[FitMarkNow]) -> FitMarkNow:
    """Return the mark to begin with: the farthest from the one that is measured, else an end of the longest line between any."""

    def place(mark: FitMarkNow) -> NDArray[np.float64]:
        return np.array((mark.row.local_e_m, mark.row.local_n_m))

    if now.measured:
        first = place(now.marks[now.measured[0]])
        return max(missing, key=lambda mark: float(np.hypot(*(place(mark) - first))))
    return missing[farthest_apart([place(mark) for mark in missing])[0]]


def _next(item: Judged, marks: Sequence[FitMarkView], suggested: FitMarkNow | None, gain: Gain | None) -> NextStep:
    now, unit = item.now, item.job.length_unit
    stands = [_mark_stands(item, mark, unit) for mark in marks]
    by_name = {mark.name: mark for mark in stands}
    suspect = None
    if item.found is not None and item.found.suspects:
        first = item.found.suspects[0]
        line_id, slip = by_name[first.name].line_id, item.slips.get((first.name, first.component))
        suspect = SuspectMark(
            line_id=line_id,
            name=first.name,
            use=now.choice.use_of(line_id),
            component=first.component,
            can_tell=first.can_tell,
            slip=slip.words if slip else "",
        )
    words = ""
    if gain is not None and gain.before_m is not None and gain.after_m is not None:
        words = f": the worst place of the site goes from {text_from_metres(gain.before_m, unit)} to {text_from_metres(gain.after_m, unit)} at 95 %"
    elif suggested is not None and len(now.measured) < FEWEST["similarity"]:
        words = ": it lies far from the others"
    model = now.choice.models.horizontal
    shown = item.applied is not None and item.applied.parameters == now.parameters
    wanted = None if suggested is None else by_name[suggested.name]
    return next_step(now.choice.school, stands, suspect, wanted, words, FEWEST[model], shown)


def _mark_stands(item: Judged, mark: FitMarkView, unit: str) -> MarkStatus:
    parts = []
    if mark.off_m is not None:
        parts.append(f"{text_from_metres(mark.off_m, unit)} horizontally")
    if mark.off_up_m is not None:
        parts.append(f"{text_from_metres(mark.off_up_m, unit)} in height")
    off = f"{' and '.join(parts)} from where the fit puts it" if parts else "measured"
    slip = next((slip.words for (name, _), slip in item.slips.items() if name == mark.name), "")
    return MarkStatus(
        line_id=mark.line_id,
        name=mark.name,
        measured=mark.gnss_e_m is not None,
        used=mark.horizontal or mark.vertical,
        chosen=mark.line_id in item.now.choice.uses,
        off_words=off,
        differs=item.differing.get(mark.name, ()),
        slip=slip,
    )
