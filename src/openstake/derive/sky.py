"""The sky of a job as it stands: its elements, the skylines and masks of both ends, and what is to be seen over a day."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray
from sqlalchemy.orm import Session

from openstake.core.budget import BudgetSettings
from openstake.core.constants import DAY_S
from openstake.core.errors import FileError, NotFoundError, OpenStakeError
from openstake.core.geodesy.ellipsoid import ecef_from_geodetic
from openstake.core.judge.finding import Finding
from openstake.core.judge.sky import judge_ages, judge_nominal, judge_unreadable
from openstake.core.kit.profile import Profile
from openstake.core.limits import MOST_ELEMENT_TEXT_BYTES, PLANNING_HOLDS_S, SKY_BESIDE_M, SKY_DAY_STEP_S
from openstake.core.link.airload import letters_of_messages
from openstake.core.observation import CONSTELLATION_NAMES
from openstake.core.sky.against import SkyEnd
from openstake.core.sky.broadcast import Ephemeris, Orbit
from openstake.core.sky.constellations import nominal_orbits
from openstake.core.sky.day import SkyDay, seen_from, sky_day
from openstake.core.sky.expected import Directions, directions_of
from openstake.core.sky.glonass import GlonassEphemeris
from openstake.core.sky.skyline import NO_SKYLINE
from openstake.core.sky.sources import PlannedOrbit, SourceName, oldest_s, planned, source_words
from openstake.core.time_scales import gps_from_unix_s
from openstake.derive.budget import BUDGET
from openstake.derive.cache import Cache
from openstake.derive.job import JobNow
from openstake.derive.kit import KitNow
from openstake.derive.marks import Places, middle_of, places_of
from openstake.store.models import ElementFile, Mark, SkylineRow
from openstake.store.records import lines
from openstake.store.records.bases import latest_occupation
from openstake.store.records.marks import columns_of_marks, count_mark_rows, replaced_marks
from openstake.store.records.skies import contents_of, element_files, heard_ephemerides, heard_said, skyline_heads
from openstake.wire.elements import ELEMENT_KINDS, Elements, of_messages, orbits_by_source, read_elements
from openstake.wire.rtcm3.ephemeris import decode_ephemeris
from openstake.wire.textlines import lines_in

_USUAL_MASK_DEG = 10.0
_HEARD_COUNTS_S = PLANNING_HOLDS_S["broadcast"]


# --- elements ---


@dataclass(frozen=True)
class Coefficients:
    """Klobuchar's coefficients, and of which time they are (GPS seconds: that of the elements beside them)."""

    alpha: tuple[float, ...]
    beta: tuple[float, ...]
    of_s: float


@dataclass(frozen=True, kw_only=True)
class ElementsNow:
    """The orbits that a job has, and what is to be said of where they come from; `key` changes where they do."""

    key: str
    by_source: Mapping[SourceName, Sequence[Orbit]]
    orbits: tuple[PlannedOrbit, ...]
    source: str
    nominal: bool
    coefficients: Coefficients | None
    files: tuple[ElementFile, ...]
    heard: int
    heard_since_s: float | None
    findings: tuple[Finding, ...]

    def tell_of(self, job: JobNow) -> bool:
        """Whether they tell of the sky that a job's receivers see: nominal ones tell of that of stand-ins alone."""
        return job.practice or not self.nominal

    def are_partial(self, now_s: float) -> bool:
        """Whether they are of the satellites alone that a base has sent for less than a day: what rises later is not known yet."""
        return self.heard_since_s is not None and now_s - self.heard_since_s < DAY_S

    def tell_of_day(self, job: JobNow, now_s: float) -> bool:
        """Whether they tell of a whole day of the sky that a job's receivers see."""
        return self.tell_of(job) and not self.are_partial(now_s)


_FILES: Cache[Elements] = Cache(16)
_ORBITS: Cache[ElementsNow] = Cache(8)


def elements_now(session: Session, job: JobNow, now_s: float) -> ElementsNow:
    """Return the elements of a job: of its files and of what its bases sent within the days that broadcast elements plan for.

    Where there are none they are nominal, and say so.  A file that cannot be read any more is said, and is not used.
    """
    files = element_files(session, job.id)
    since_s = (now_s // 3600.0) * 3600.0 - _HEARD_COUNTS_S
    heard, first_s, last_s = heard_said(session, job.id, since_s)
    key = f"{[row.id for row in files]} {job.id} {heard} {first_s} {last_s}"
    known = _ORBITS.of([key])
    if key not in known:
        read = _read(session, job, key, files, heard, since_s)
        known = {key: replace(read, heard_since_s=first_s) if heard and not files else read}
        _ORBITS.keep(known)
    return known[key]


def _read(session: Session, job: JobNow, key: str, files: list[ElementFile], heard: int, since_s: float) -> ElementsNow:
    parts, unreadable = _parts(session, files)
    if heard:
        parts.append(of_messages(_messages(session, job.id, since_s)))
    loaded = orbits_by_source(parts)
    by_source = loaded or {"nominal": nominal_orbits()}
    findings = [*judge_unreadable(unreadable), *(found for part in parts for found in part.findings)]
    return ElementsNow(
        key=key,
        by_source=by_source,
        orbits=tuple(planned(by_source)),
        source=source_words(by_source),
        nominal=not loaded,
        coefficients=next(filter(None, map(_coefficients, reversed(parts))), None),
        files=tuple(files),
        heard=heard,
        heard_since_s=None,
        findings=tuple(findings if loaded else [*findings, *judge_nominal()]),
    )


def _coefficients(part: Elements) -> Coefficients | None:
    times = sorted(message.orbit_time_s for listed in part.kepler.values() for message in listed)
    return Coefficients(part.alpha, part.beta, times[len(times) // 2]) if part.alpha and part.beta and times else None


def _parts(session: Session, files: list[ElementFile]) -> tuple[list[Elements], dict[str, str]]:
    """Return what files hold, and the names of those that cannot be read with why."""
    found = _FILES.of([row.id for row in files])
    contents = contents_of(session, {row.imported_id for row in files if row.id not in found})
    unreadable: dict[str, str] = {}
    for row in files:
        if row.id in found:
            continue
        try:
            found[row.id] = elements_of(contents.get(row.imported_id, b""), row.kind, row.name)
            _FILES.keep({row.id: found[row.id]})
        except OpenStakeError as error:
            unreadable[row.name] = error.sentence
    return [found[row.id] for row in files if row.id in found], unreadable


def remember_elements(file_id: str, elements: Elements) -> None:
    """Keep what was read when a file came in: it is not read again for the first page that shows it."""
    _FILES.keep({file_id: elements})


def elements_of(content: bytes, kind: str, name: str) -> Elements:
    """Return the elements of a file as it was brought in; FileError with a sentence where it holds none of its kind."""
    known = next((item for item in ELEMENT_KINDS if item == kind), None)
    if known is None:
        raise FileError(f"{name} is of no kind of elements that is read here.")
    return read_elements(known, lines_in([content], name, MOST_ELEMENT_TEXT_BYTES), name)


def _messages(session: Session, job_id: str, since_s: float) -> Iterator[Ephemeris | GlonassEphemeris]:
    for payload, heard_s in heard_ephemerides(session, job_id, since_s):
        with suppress(ValueError):
            message = decode_ephemeris(payload, gps_from_unix_s(heard_s))
            if message is not None:
                yield message


# --- both ends ---


@dataclass(frozen=True, kw_only=True)
class EndNow:
    """One end of the link under its sky: its mark (None: the job's middle), place in degrees and metres, profile and skyline."""

    mark_id: str | None
    name: str
    latitude_deg: float
    longitude_deg: float
    height_m: float
    profile: Profile | None
    end: SkyEnd
    line: SkylineRow | None

    @property
    def ecef_m(self) -> NDArray[np.float64]:
        return ecef_from_geodetic(self.latitude_deg, self.longitude_deg, self.height_m)


@dataclass(frozen=True)
class EndsNow:
    """Base and rover under their skies, and how far apart they are."""

    base: EndNow
    rover: EndNow

    @property
    def ends(self) -> tuple[SkyEnd, SkyEnd]:
        return self.base.end, self.rover.end

    @property
    def baseline_m(self) -> float:
        return float(np.linalg.norm(self.base.ecef_m - self.rover.ecef_m))


@dataclass(frozen=True, kw_only=True)
class _Marks:
    """The marks of a job's list and where they lie; `placed` are those that lie on Earth, `at` their numbers by id."""

    rows: Sequence[Any]
    places: Places
    placed: NDArray[np.int64]
    at: Mapping[str, int]
    replaced_by: Mapping[str, str]

    def named(self, mark_id: str) -> int | None:
        """Return a mark by the id of any of its rows, None where none is named."""
        if not mark_id:
            return None
        found = self.at.get(lines.last_of(self.replaced_by, mark_id))
        if found is None:
            raise NotFoundError("This mark is not in the job's control list, or it lies nowhere on Earth yet.", field="mark_id")
        return found

    def beside(self, grid_m: tuple[float, float] | None) -> int | None:
        """Return the mark beside a place, None where none is near."""
        if grid_m is None:
            return None
        away = self._away_m(grid_m)
        return int(self.placed[np.argmin(away)]) if away.min() <= SKY_BESIDE_M else None

    def farthest_from(self, n: int) -> int:
        """Return the mark farthest from another one."""
        return int(self.placed[np.argmax(self._away_m(self.places.grid_m[n]))])

    def _away_m(self, grid_m: ArrayLike) -> NDArray[np.float64]:
        return np.asarray(np.linalg.norm(self.places.grid_m[self.placed] - np.asarray(grid_m), axis=1))


# The chain asks every few seconds, and the marks of a job stay where they are.
_MARKS: Cache[_Marks] = Cache(32)


def _marks_now(session: Session, job: JobNow) -> _Marks:
    key = f"{job.id} {job.settings.id} {count_mark_rows(session, job.id)}"
    known = _MARKS.of([key])
    if key not in known:
        rows = columns_of_marks(session, job.id, Mark.id, Mark.name, *_PLACE)
        places = places_of(job, rows)
        placed = np.flatnonzero(np.isfinite(places.angles_deg).all(axis=1))
        at = {rows[n].id: n for n in placed.tolist()}
        known = {key: _Marks(rows=rows, places=places, placed=placed, at=at, replaced_by=replaced_marks(session, job.id))}
        _MARKS.keep(known)
    return known[key]


def lies_somewhere(session: Session, job: JobNow) -> bool:
    """Tell whether a job has a place on Earth yet: one that was typed, its system's, or that of a mark."""
    return middle_of(job, None) is not None or len(_marks_now(session, job).placed) > 0


_PLACE = (Mark.east_m, Mark.north_m, Mark.latitude_deg, Mark.longitude_deg, Mark.height_m, Mark.height_kind)


def ends_now(
    session: Session,
    job: JobNow,
    kit: KitNow,
    base_mark_id: str = "",
    rover_mark_id: str = "",
    rover_grid_m: tuple[float, float] | None = None,
) -> EndsNow | None:
    """Return both ends as they stand, on marks by the ids of any of their rows; None where the job lies nowhere on Earth yet.

    NotFoundError where a mark is named that is none of the list, or lies nowhere.  Where none is named the base stands where it was
    started last, else on the first of the list, and the rover on the mark beside it where it is heard (`rover_grid_m`), else on the one
    farthest from the base.
    """
    marks = _marks_now(session, job)
    skylines = {lines.last_of(marks.replaced_by, row.mark_id): row for row in skyline_heads(session, job.id)}
    last = None if base_mark_id else latest_occupation(session, job.id)
    base = marks.named(base_mark_id)
    if base is None and last is not None:
        base = marks.at.get(lines.last_of(marks.replaced_by, last.mark_id))
    if base is None and len(marks.placed):
        base = int(marks.placed[0])
    rover = marks.named(rover_mark_id)
    if rover is None and base is not None:
        rover = marks.beside(rover_grid_m)
    if rover is None and base is not None:
        rover = marks.farthest_from(base)
    middle = middle_of(job, None) if base is None or rover is None else None
    if middle is None and (base is None or rover is None):
        return None
    ends = (_end_now(marks, n, middle, kit, of_base, skylines) for n, of_base in ((base, True), (rover, False)))
    return EndsNow(*ends)


def _end_now(
    marks: _Marks, n: int | None, middle: tuple[float, float] | None, kit: KitNow, of_base: bool, skylines: Mapping[str, SkylineRow]
) -> EndNow:
    """Return one end on a mark of the list, by its number; without one in the job's middle (degrees)."""
    profile = next(iter(kit.of_role(of_base)), None)
    mark_id = None if n is None else str(marks.rows[n].id)
    line = skylines.get(mark_id or "")
    if n is None:
        (latitude, longitude), height, name = middle or (0.0, 0.0), 0.0, "the middle of the job"
    else:
        latitude, longitude = marks.places.angles_deg[n]
        height, name = np.nan_to_num(marks.places.ellipsoidal_m[n]), marks.rows[n].name
    return EndNow(
        mark_id=mark_id,
        name=name,
        latitude_deg=float(latitude),
        longitude_deg=float(longitude),
        height_m=float(height),
        profile=profile,
        end=SkyEnd(
            mask_deg=_USUAL_MASK_DEG if profile is None else profile.elevation_mask_deg,
            skyline=NO_SKYLINE if line is None else line.data,
            constellations=letters_used(profile),
        ),
        line=line,
    )


def letters_used(profile: Profile | None) -> frozenset[str]:
    """Return the letters of the constellations that one end uses: a base those that its messages carry, a rover those that it reads."""
    if profile is None:
        return frozenset(CONSTELLATION_NAMES)
    own = frozenset(letter for letter, name in CONSTELLATION_NAMES.items() if name in profile.constellations)
    if profile.role == "base" and profile.messages:
        own &= letters_of_messages([row.number for row in profile.messages]) or own
    if profile.role != "base" and profile.formats_read and not any("MSM" in form for form in profile.formats_read):
        own &= {"G", "R"}  # the observables of RTCM 3's legacy messages
    return own


# --- a day ---

# Directions are of elements, places and moments: what hides them and which count is another matter.
_DIRECTIONS: Cache[tuple[Directions, Directions]] = Cache(16)


def moments_from(start_s: float, hours: float = 24.0) -> NDArray[np.float64]:
    """Return the moments of a day from its start (Unix seconds), GPS seconds."""
    count = round(hours * 3600.0 / SKY_DAY_STEP_S) + 1
    return np.asarray(gps_from_unix_s(start_s) + SKY_DAY_STEP_S * np.arange(count))


def directions_over(elements: ElementsNow, ends: EndsNow, gps_s: NDArray[np.float64]) -> tuple[Directions, Directions]:
    """Return where satellites stand at base and rover at moments; remembered."""
    places = [np.round(end.ecef_m, 1) for end in (ends.base, ends.rover)]
    key = f"{elements.key} {[place.tolist() for place in places]} {gps_s[0]} {len(gps_s)}"
    known = _DIRECTIONS.of([key])
    if key not in known:
        base, rover = directions_of(elements.orbits, places, gps_s)
        known = {key: (base, rover)}
        _DIRECTIONS.keep(known)
    return known[key]


def day_over(elements: ElementsNow, ends: EndsNow, start_s: float, budget: BudgetSettings) -> SkyDay:
    """Return the sky of a day that begins at a moment (Unix seconds), from both ends."""
    base, rover = directions_over(elements, ends, moments_from(start_s))
    return sky_day(base, rover, ends.ends, ends.baseline_m, SKY_DAY_STEP_S, budget)


def ages_said(elements: ElementsNow, start_s: float) -> list[Finding]:
    """Return what the age of the elements for a day has to be told."""
    return judge_ages(oldest_s(elements.by_source, moments_from(start_s)))


@dataclass(frozen=True)
class BaseCounts:
    """How many satellites a base sees of each constellation (its letter) over today: as a rule (the median), and at most."""

    usual: dict[str, int]
    most: dict[str, int]
    source: str


def base_counts(session: Session, job: JobNow, kit: KitNow, now_s: float) -> BaseCounts | None:
    """Return how many satellites the base of a job will see today; None where nothing says it: the job lies nowhere, no elements of these
    days are there (nominal ones tell nothing of a real sky), or nothing would be seen."""
    elements = elements_now(session, job, now_s)
    ends = ends_now(session, job, kit) if elements.tell_of_day(job, now_s) else None
    if ends is None:
        return None
    seen, _ = directions_over(elements, ends, moments_from(local_midnight_s(job, now_s)))
    at_base = seen_from(seen, ends.base.end)
    letters = np.array([name[0] for name in seen.satellites])
    counts = {letter: at_base[letters == letter].sum(axis=0) for letter in CONSTELLATION_NAMES}
    used = {letter: of_letter for letter, of_letter in counts.items() if of_letter.any()}
    if not used:
        return None
    usual, most = ({letter: int(take(values)) for letter, values in used.items()} for take in (np.median, np.max))
    return BaseCounts(usual, most, elements.source)


def local_midnight_s(job: JobNow, now_s: float) -> float:
    """Return when the day of a moment began in the job's time zone, Unix seconds."""
    local = job.local_time(now_s)
    return local.replace(hour=0, minute=0, second=0, microsecond=0).timestamp()


def clock_of(job: JobNow, start_s: float) -> Callable[[int], str]:
    """Return what says the time of a day's moment in the job's time zone."""
    return lambda n: f"{job.local_time(start_s + n * SKY_DAY_STEP_S):%H:%M}"


def hours_said(session: Session, job: JobNow, kit: KitNow, now_s: float) -> str:
    """Return the hours that are left of today in a sentence, as a packing list or a morning says them; empty where the job lies nowhere."""
    elements = elements_now(session, job, now_s)
    if not elements.tell_of_day(job, now_s):
        return "Load the elements of the day under Sky: then its good hours stand here." if lies_somewhere(session, job) else ""
    ends = ends_now(session, job, kit)
    if ends is None:
        return ""
    start_s = local_midnight_s(job, now_s)
    day = day_over(elements, ends, start_s, BUDGET.read(session, job.id)[1])
    said = day.glance(clock_of(job, start_s), round((now_s - start_s) / SKY_DAY_STEP_S))
    return f"{said.removesuffix('.')} ({elements.source})." if said and elements.nominal else said
