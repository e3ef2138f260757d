"""The Sky page: what base and rover see over a day, how good it is hour by hour, the ionosphere, and what is loaded."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from zoneinfo import ZoneInfo

import numpy as np
from numpy.typing import NDArray

from openstake.core.errors import InputError
from openstake.core.judge.finding import Finding, ranked
from openstake.core.judge.sky import judge_ionosphere, judge_lost_constellations, judge_partial, judge_unhealthy, judge_without_elements
from openstake.core.limits import PLANNING_HOLDS_S, SKY_DAY_STEP_S, ShortText
from openstake.core.observation import CONSTELLATION_NAMES
from openstake.core.sky.day import IonosphereDay, Quality, SkyDay, ionosphere_day, loss_of, spans_of
from openstake.core.sky.obstruction import Cell
from openstake.core.sky.photo import PhotoAim
from openstake.core.sky.skyline import skyline_of_cells
from openstake.core.sky.sun import sun_times_s
from openstake.core.units import whole_from_metres
from openstake.derive.budget import BUDGET
from openstake.derive.job import JobNow, job_of
from openstake.derive.kit import kit_of
from openstake.derive.sky import ElementsNow, EndNow, EndsNow, ages_said, clock_of, day_over, elements_now, ends_now, moments_from
from openstake.store.records.bases import latest_occupation
from openstake.wire.elements import ELEMENT_WORDS
from openstake.workflow.context import Context
from openstake.workflow.sky.where import rover_grid_m

_LIES_NOWHERE = "This job lies nowhere on Earth yet: give it marks in a known system, or type its place under Job, System."
_ARC_DECIMALS = 1


@dataclass(frozen=True, kw_only=True)
class SkyQuery:
    """Which marks base and rover stand on, which day (2026-06-17; today where none is said), and whether it is its night: noon to noon."""

    base_mark_id: ShortText = ""
    rover_mark_id: ShortText = ""
    day: ShortText = ""
    night: bool = False


@dataclass(frozen=True, kw_only=True)
class SkylineShown:
    """A skyline as it stands (`id` None: none was drawn), its corners in degrees, and what lay under it when it was drawn.

    `may_undo`: another line stood there before.
    """

    id: str | None
    azimuths_deg: tuple[float, ...]
    elevations_deg: tuple[float, ...]
    may_undo: bool
    photo: PhotoAim | None


@dataclass(frozen=True, kw_only=True)
class SkylineOffered:
    """A line over what a receiver listed and did not hear, to be taken or not."""

    azimuths_deg: tuple[float, ...]
    elevations_deg: tuple[float, ...]
    words: str


@dataclass(frozen=True, kw_only=True)
class EndUnder:
    """One end under its sky, in words too; `mark_id` None: it stands in the job's middle, and nothing can be drawn there."""

    mark_id: str | None
    name: str
    mask_deg: float
    words: str
    skyline: SkylineShown
    offered: SkylineOffered | None


@dataclass(frozen=True, kw_only=True)
class Arc:
    """A satellite's way over the rover's sky while it is up: degrees a step from `first` on, and who sees it: a letter a step.

    `c` base and rover, `b` and `r` one of them alone, `n` neither.
    """

    satellite: str
    constellation: str
    healthy: bool
    first: int
    azimuths_deg: tuple[float, ...]
    elevations_deg: tuple[float, ...]
    seen_by: str


@dataclass(frozen=True)
class CountOf:
    """How many satellites of a constellation are in common, a number a step."""

    constellation: str
    counts: tuple[int, ...]


@dataclass(frozen=True)
class HoursOf:
    """A stretch of hours, Unix seconds."""

    from_s: float
    to_s: float


@dataclass(frozen=True, kw_only=True)
class Hours:
    """The day in columns, a value a step; None where the satellites in common give no position."""

    common: tuple[int, ...]
    by_constellation: tuple[CountOf, ...]
    pdop: tuple[float | None, ...]
    hdop: tuple[float | None, ...]
    vdop: tuple[float | None, ...]
    horizontal_95_m: tuple[float | None, ...]
    vertical_95_m: tuple[float | None, ...]
    quality: tuple[Quality, ...]
    good: tuple[HoursOf, ...]
    poor: tuple[HoursOf, ...]


@dataclass(frozen=True)
class SunOf:
    """Sunrise and sunset of the day shown, Unix seconds (None: it does not), and in words."""

    rise_s: float | None
    set_s: float | None
    words: str


@dataclass(frozen=True, kw_only=True)
class Ionosphere:
    """The ionosphere by the coefficients of the elements, metres on L1, a value a step; empty columns where there are no coefficients."""

    overhead_m: tuple[float, ...]
    between_m: tuple[float, ...]
    words: str


@dataclass(frozen=True, kw_only=True)
class ElementFileShown:
    """A file of elements that is used."""

    id: str
    name: str
    words: str


@dataclass(frozen=True, kw_only=True)
class ElementsShown:
    """What orbits come from; `nominal`: to practise, and every picture says so."""

    words: str
    nominal: bool
    satellites: int
    files: tuple[ElementFileShown, ...]
    heard: int


@dataclass(frozen=True, kw_only=True)
class SkyOfDay:
    """The sky of one day: from a moment on (Unix seconds) a step every so many seconds; `now` is the step of now, None on another day;
    `mask_deg` the higher mask of both ends, which counts."""

    day: str
    night: bool
    from_s: float
    step_s: float
    steps: int
    now: int | None
    glance: str
    base: EndUnder
    rover: EndUnder
    mask_deg: float
    baseline_words: str
    arcs: tuple[Arc, ...]
    hours: Hours
    sun: SunOf
    ionosphere: Ionosphere
    elements: ElementsShown
    findings: tuple[Finding, ...]


@dataclass(frozen=True)
class SkyView:
    """The sky of a job; where it cannot be shown, why in one sentence."""

    shown: SkyOfDay | None
    lacks: str


def view(context: Context, job_id: str, query: SkyQuery) -> SkyView:
    """Return the sky of a day: as many queries whatever the job holds."""
    now_s = context.now(job_id)
    with context.database.read() as session:
        job, kit = job_of(session, job_id), kit_of(session, job_id)
        start_s, of_day = _start(job, query, now_s)
        occupation = latest_occupation(session, job_id)
        running = None if occupation is None else context.running.session(occupation.id)
        ends = ends_now(session, job, kit, query.base_mark_id, query.rover_mark_id, rover_grid_m(job, running))
        if ends is None:
            return SkyView(None, _LIES_NOWHERE)
        elements = elements_now(session, job, now_s)
        budget = BUDGET.read(session, job_id)[1]
    cells = [() if running is None else running.obstructed(base) for base in (True, False)]
    offered = [None if not item else _offered(item, end) for item, end in zip(cells, (ends.base, ends.rover), strict=True)]
    day = day_over(elements, ends, start_s, budget)
    clock = clock_of(job, start_s)
    at_now = round((now_s - start_s) / SKY_DAY_STEP_S)
    now = at_now if 0 <= at_now < len(day.quality) else None
    ionosphere = _ionosphere(elements, ends, start_s)
    unit, partial = job.length_unit, elements.are_partial(now_s)
    findings = [
        *elements.findings,
        *(judge_partial(elements.heard, f"{job.local_time(elements.heard_since_s or 0.0):%H:%M}") if partial else ()),
        *ages_said(elements, start_s),
        *judge_without_elements(day.rover.without_elements),
        *judge_unhealthy(day.rover.unhealthy_above(ends.rover.end.mask_deg)),
        *judge_lost_constellations(loss_of(day, ends.ends, ends.baseline_m, budget), unit),
    ]
    if ionosphere is not None:
        at = ionosphere.worst
        findings += judge_ionosphere(float(ionosphere.overhead_m[at]), float(ionosphere.between_m[at]), ends.baseline_m, clock(at))
    return SkyView(
        SkyOfDay(
            day=of_day.isoformat(),
            night=query.night,
            from_s=start_s,
            step_s=SKY_DAY_STEP_S,
            steps=len(day.quality),
            now=now,
            glance=f"{'By what was heard so far: ' if partial else ''}{day.glance(clock, now or 0)}",
            base=_end(ends.base, offered[0]),
            rover=_end(ends.rover, offered[1]),
            mask_deg=max(ends.base.end.mask_deg, ends.rover.end.mask_deg),
            baseline_words=whole_from_metres(ends.baseline_m, unit),
            arcs=_arcs(day),
            hours=_hours(day, start_s),
            sun=_sun(job, of_day, query.night, ends.rover),
            ionosphere=_ionosphere_shown(ionosphere, ends, clock, unit),
            elements=ElementsShown(
                words=elements.source,
                nominal=elements.nominal,
                satellites=int(np.isfinite(day.rover.elevation_deg).any(axis=1).sum()),
                files=tuple(ElementFileShown(id=row.id, name=row.name, words=_kind_words(row.kind)) for row in elements.files),
                heard=elements.heard,
            ),
            findings=ranked(findings),
        ),
        "",
    )


def _start(job: JobNow, query: SkyQuery, now_s: float) -> tuple[float, date]:
    """Return when what is asked for begins, Unix seconds, and of which day it is."""
    if not query.day.strip():
        now = job.local_time(now_s)
        of_day = now.date()
        if query.night and now.hour < 12:
            of_day -= timedelta(days=1)  # the night that is now
    else:
        try:
            of_day = date.fromisoformat(query.day.strip())
        except ValueError:
            raise InputError("Type a day as 2026-06-17.", field="day") from None
        if not 1985 <= of_day.year <= 2100:
            raise InputError("A day lies between 1985 and 2100.", field="day")
    zone = ZoneInfo(job.settings.time_zone)
    return datetime.combine(of_day, time(12 if query.night else 0), zone).timestamp(), of_day


def _end(end: EndNow, offered: SkylineOffered | None) -> EndUnder:
    line, skyline = end.line, end.end.skyline
    profile = f" ({end.profile.name})" if end.profile else ""
    letters = [name for letter, name in CONSTELLATION_NAMES.items() if letter in end.end.constellations]
    return EndUnder(
        mark_id=end.mark_id,
        name=end.name,
        mask_deg=end.end.mask_deg,
        words=f"{end.name}{profile}: mask {end.end.mask_deg:g}°, {', '.join(letters)}; {_skyline_words(end)}.",
        skyline=SkylineShown(
            id=None if line is None else line.id,
            azimuths_deg=skyline.azimuths_deg,
            elevations_deg=skyline.elevations_deg,
            may_undo=line is not None,
            photo=None if line is None else line.photo,
        ),
        offered=offered,
    )


def _skyline_words(end: EndNow) -> str:
    if end.line is None or not end.end.skyline.azimuths_deg:
        return "no skyline drawn"
    how = "drawn" if end.line.origin == "drawn" else "taken from what was not heard"
    return f"skyline {how}, up to {max(end.end.skyline.elevations_deg):.0f}°"


def _offered(cells: tuple[Cell, ...], end: EndNow) -> SkylineOffered | None:
    line = skyline_of_cells(cells)
    if line == end.end.skyline or not line.azimuths_deg:
        return None
    return SkylineOffered(
        azimuths_deg=line.azimuths_deg,
        elevations_deg=line.elevations_deg,
        words=f"Not heard for half a minute in {len(cells)} pieces of the sky.",
    )


def _arcs(day: SkyDay) -> tuple[Arc, ...]:
    found = []
    for n, satellite in enumerate(day.rover.satellites):
        letters = day.seen_by(n)
        steps = np.flatnonzero([letter != "-" for letter in letters])
        for run in np.split(steps, np.flatnonzero(np.diff(steps) > 1) + 1):
            if not len(run):
                continue
            first, end = int(run[0]), int(run[-1]) + 1
            found.append(
                Arc(
                    satellite=satellite,
                    constellation=CONSTELLATION_NAMES[satellite[0]],
                    healthy=bool(day.rover.healthy[n, first:end].all()),
                    first=first,
                    azimuths_deg=tuple(np.round(day.rover.azimuth_deg[n, first:end], _ARC_DECIMALS).tolist()),
                    elevations_deg=tuple(np.round(day.rover.elevation_deg[n, first:end], _ARC_DECIMALS).tolist()),
                    seen_by=letters[first:end],
                )
            )
    return tuple(found)


def _kind_words(kind: str) -> str:
    return next((words for known, words in ELEMENT_WORDS.items() if known == kind), kind)


def _hours(day: SkyDay, start_s: float) -> Hours:
    def spans(wanted: Quality) -> tuple[HoursOf, ...]:
        return tuple(
            HoursOf(start_s + first * SKY_DAY_STEP_S, start_s + last * SKY_DAY_STEP_S) for first, last in spans_of(day.quality, wanted)
        )

    return Hours(
        common=tuple(day.common.sum(axis=0).tolist()),
        by_constellation=tuple(CountOf(CONSTELLATION_NAMES[letter], tuple(counts.tolist())) for letter, counts in day.counts().items()),
        pdop=_column(day.dops.pdop, 2),
        hdop=_column(day.dops.hdop, 2),
        vdop=_column(day.dops.vdop, 2),
        horizontal_95_m=_column(day.expected.horizontal_m, 4),
        vertical_95_m=_column(day.expected.vertical_m, 4),
        quality=day.quality,
        good=spans("good"),
        poor=spans("poor"),
    )


def _column(values: NDArray[np.float64], decimals: int) -> tuple[float | None, ...]:
    return tuple(None if np.isnan(value) else round(float(value), decimals) for value in values)


def _sun(job: JobNow, of_day: date, night: bool, end: EndNow) -> SunOf:
    """Return sunrise and sunset of a day; of a night its sunset first, and the sunrise after it."""
    zone, place = ZoneInfo(job.settings.time_zone), (end.latitude_deg, end.longitude_deg)
    rise_s, set_s = sun_times_s(of_day, zone, *place)
    said = [("sunrise", rise_s), ("sunset", set_s)]
    if night:
        rise_s, _ = sun_times_s(of_day + timedelta(days=1), zone, *place)
        said = [("sunset", set_s), ("sunrise", rise_s)]
    words = ", ".join(f"{word} {job.local_time(at):%H:%M}" for word, at in said if at is not None) or "the sun neither rises nor sets"
    return SunOf(rise_s, set_s, f"{words[:1].upper()}{words[1:]}.")


def _ionosphere(elements: ElementsNow, ends: EndsNow, start_s: float) -> IonosphereDay | None:
    """Return the ionosphere of a day by the coefficients of the elements; None where they have none, or none of these days."""
    found, moments = elements.coefficients, moments_from(start_s)
    if found is None or abs(found.of_s - moments[len(moments) // 2]) > PLANNING_HOLDS_S["broadcast"]:
        return None
    base, rover = ((end.latitude_deg, end.longitude_deg) for end in (ends.base, ends.rover))
    return ionosphere_day(found.alpha, found.beta, base, rover, moments)


def _ionosphere_shown(found: IonosphereDay | None, ends: EndsNow, clock: Callable[[int], str], unit: str) -> Ionosphere:
    if found is None:
        words = "No coefficients of the ionosphere are loaded for this day: a navigation file of the day has them."
        return Ionosphere(overhead_m=(), between_m=(), words=words)
    at = found.worst
    words = (
        f"Largest overhead about {clock(at)}: {found.overhead_m[at]:.1f} m on L1; over {whole_from_metres(ends.baseline_m, unit)} "
        f"the ends differ by {1000.0 * found.between_m[at]:.1f} mm by the model. What it leaves out is as a rule larger: a millimetre a kilometre (common practice)."
    )
    return Ionosphere(
        overhead_m=tuple(np.round(found.overhead_m, 3).tolist()), between_m=tuple(np.round(found.between_m, 5).tolist()), words=words
    )
