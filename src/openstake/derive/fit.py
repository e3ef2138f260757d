"""The local fit as it stands: marks in both systems, what was chosen, and what comes out of it.  Nothing derived is stored."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from math import hypot
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from sqlalchemy.orm import Session

from openstake.core.errors import InputError
from openstake.core.geodesy.factors import grid_factors
from openstake.core.geodesy.frames import LOCAL, Anchor, FrameDefinition, JobFrame, job_frame
from openstake.core.limits import LOCAL_SIGMA_HORIZONTAL_M, LOCAL_SIGMA_VERTICAL_M, UNCLAIMED_HORIZONTAL_M, UNCLAIMED_UP_M
from openstake.core.localfit.choice import FitChoice, SiteCentre
from openstake.core.localfit.expected import ExpectedFit, expected_of
from openstake.core.localfit.geometry import Reach, reach_of
from openstake.core.localfit.horizontal import Horizontal, fit_horizontal
from openstake.core.localfit.pair import Pair, Use
from openstake.core.localfit.parameters import FitParameters, parameters_of
from openstake.core.localfit.shot_means import MeanOnMark, ShotOnMark, mean_on_mark
from openstake.core.localfit.vertical import Vertical, fit_vertical
from openstake.derive import points
from openstake.derive.base import BaseNow, bases_of, is_autonomous
from openstake.derive.claims import claim_of
from openstake.derive.job import JobNow
from openstake.derive.points import Point
from openstake.store.models import FitMark, Shot
from openstake.store.records.fits import chosen_row, fit_mark_rows, fit_shots
from openstake.store.records.labels import labels_named
from openstake.store.records.shots import shots_of_marks

Origin = Literal["shots", "given", "base", "none"]
# A shot named as a mark of the fit is a shot on it; tracks are not.
_BY_LABEL = ("control", "topo", "quick")
_BY_NAME = ("check", "fit")


@dataclass(frozen=True, kw_only=True)
class FitShotNow:
    """A shot on a mark of the fit as derived now; `why_not` says why it is not averaged, empty where it is.

    `rests_on` are its own id and those of everything that its coordinate rests on.
    """

    shot: Shot
    point: Point
    why_not: str
    rests_on: tuple[str, ...]


@dataclass(frozen=True, kw_only=True)
class FitMarkNow:
    """A mark of the fit: its row, its shots, and its GNSS side in the job's grid (east, north, ellipsoidal height; metres).

    `set_ups` are the bases it hangs on; `autonomous`: one of them is known to metres; `own_ids` are those that it rests on apart from its shots.
    """

    row: FitMark
    shots: tuple[FitShotNow, ...]
    origin: Origin
    mean: MeanOnMark | None
    grid_m: tuple[float, float, float | None] | None
    bases: tuple[BaseNow, ...] = ()
    set_ups: frozenset[str] = frozenset()
    autonomous: bool = False
    own_ids: tuple[str, ...] = ()

    def rests_on(self, among: Collection[str] | None = None) -> set[str]:
        """Return the ids of everything that the mark rests on; of its shots those whose id is among some, where these are given."""
        shots = [item for item in self.shots if not item.why_not and (among is None or item.shot.id in among)]
        return {*self.own_ids, *(row_id for item in shots for row_id in item.rests_on)}

    @property
    def apart_m(self) -> float:
        """How far its shots spread horizontally, of those that are averaged: the diagonal of what they span, metres."""
        used = [(item.point.east_m, item.point.north_m) for item in self.shots if not item.why_not]
        return float(np.hypot(*np.ptp(used, axis=0))) if len(used) > 1 else 0.0

    @property
    def line_id(self) -> str:
        return self.row.line_id

    @property
    def name(self) -> str:
        return self.row.name

    @property
    def sigmas_m(self) -> tuple[float, float]:
        """One sigma of a horizontal component and of the height, metres: of the local coordinate and of the shots together.

        An imported pair that says what it is good to says it of both sides.
        """
        row = self.row
        own = (row.sigma_h_m or LOCAL_SIGMA_HORIZONTAL_M, row.sigma_v_m or LOCAL_SIGMA_VERTICAL_M)
        if self.mean is not None:
            return hypot(own[0], self.mean.sigma_h_m), hypot(own[1], self.mean.sigma_v_m)
        if self.origin == "given":
            return row.sigma_h_m or hypot(own[0], UNCLAIMED_HORIZONTAL_M), row.sigma_v_m or hypot(own[1], UNCLAIMED_UP_M)
        return own


def fit_marks(session: Session, job: JobNow) -> tuple[FitMarkNow, ...]:
    """Return the marks of a job's local fit by name: as many queries whatever it holds."""
    rows = fit_mark_rows(session, job.id)
    if not rows:
        return ()
    by_line = _shots_of(session, job, rows)
    shots = {shot.id: shot for own in by_line.values() for shot, _ in own}
    occupations = {row.occupation_id for row in rows if row.occupation_id} | {shot.occupation_id for shot in shots.values()}
    bases = bases_of(session, job.id, occupations)
    derived = dict(zip(shots, points.derive_all(session, job, list(shots.values()), bases), strict=True))
    marks = [_mark(job, row, [(shot, derived[shot.id], taken) for shot, taken in by_line[row.line_id]], bases) for row in rows]
    return tuple(sorted(marks, key=lambda mark: (mark.name, mark.line_id)))


def _shots_of(session: Session, job: JobNow, rows: Sequence[FitMark]) -> dict[str, list[tuple[Shot, bool]]]:
    """Return the shots of each mark by its line: those named so, and those that were taken in; with whether each is still in."""
    by_name = {row.name: row.line_id for row in rows}
    by_line = {row.line_id for row in rows}
    named = {row.shot_id: by_name[row.name] for row in labels_named(session, job.id, by_name)}
    linked: dict[tuple[str, str], bool] = {}
    for link in fit_shots(session, job.id):
        if link.line_id in by_line:
            linked[(link.line_id, link.shot_id)] = link.used
    links: dict[str, list[tuple[str, bool]]] = defaultdict(list)
    for (line_id, shot_id), used in linked.items():
        links[shot_id].append((line_id, used))
    found: dict[str, list[tuple[Shot, bool]]] = defaultdict(list)
    shots = shots_of_marks(session, job.id, (_BY_NAME, by_name), (_BY_LABEL, named), [shot_id for _, shot_id in linked])
    for shot in shots:
        own = links.get(shot.id, [])
        for line_id, used in own:
            found[line_id].append((shot, used))
        line_id_of_name = named.get(shot.id) or (by_name.get(shot.name) if shot.kind in _BY_NAME else None)
        # A shot that was taken in somewhere is no other mark's any more.
        if line_id_of_name and not own:
            found[line_id_of_name].append((shot, True))
    return found


def _mark(job: JobNow, row: FitMark, shots: Sequence[tuple[Shot, Point, bool]], bases: Mapping[str, BaseNow]) -> FitMarkNow:
    seen = tuple(
        FitShotNow(
            shot=shot,
            point=point,
            why_not="left out" if not taken else "not fixed throughout" if point.not_fixed else "",
            rests_on=(shot.id, *points.rests_on(job, None, point.coordinate, point.base_height, point.rover_height, point.reference)),
        )
        for shot, point, taken in shots
    )
    if row.occupation_id is not None:
        base = bases[row.occupation_id]
        east, north, height = (float(value) for value in job.frame.grid_from_ecef(np.array(base.mark_m)))
        return FitMarkNow(
            row=row,
            shots=seen,
            origin="base",
            mean=None,
            grid_m=(east, north, height),
            bases=(base,),
            set_ups=frozenset({row.occupation_id}),
            autonomous=is_autonomous(base.coordinate),
            own_ids=(row.id, job.settings.id, base.coordinate.id),
        )
    used = [item for item in seen if not item.why_not]
    if used:
        mean = mean_on_mark([_shot_on_mark(item) for item in used])
        return FitMarkNow(
            row=row,
            shots=seen,
            origin="shots",
            mean=mean,
            grid_m=(mean.east_m, mean.north_m, mean.height_m),
            bases=tuple(item.point.base for item in used),
            set_ups=frozenset("network" if item.point.virtual else item.shot.occupation_id for item in used),
            autonomous=any(is_autonomous(item.point.coordinate) and not item.point.virtual for item in used),
            own_ids=(row.id,),
        )
    if row.gnss_e_m is not None and row.gnss_n_m is not None:
        return FitMarkNow(
            row=row,
            shots=seen,
            origin="given",
            mean=None,
            grid_m=(row.gnss_e_m, row.gnss_n_m, row.gnss_h_m),
            own_ids=(row.id, job.settings.id),
        )
    return FitMarkNow(row=row, shots=seen, origin="none", mean=None, grid_m=None, own_ids=(row.id,))


def _shot_on_mark(item: FitShotNow) -> ShotOnMark:
    claim, shot, point = claim_of(item.shot), item.shot, item.point
    flat = ((claim.east_m**2 + claim.north_m**2) / 2.0) ** 0.5
    return ShotOnMark(
        east_m=point.east_m,
        north_m=point.north_m,
        height_m=point.height_m,
        sigma_h_m=flat,
        sigma_v_m=claim.up_m,
        fix=f"{shot.occupation_id} {shot.initialised_s}",
    )


# --- the choice and what comes out of it ---


@dataclass(frozen=True, kw_only=True)
class FitNow:
    """A local fit as chosen, and what comes out.  `pairs` are the measured marks in the fit's own GNSS grid, `measured` their places.

    `problem` and `up_problem` say why there is no horizontal or no vertical fit; `expected` is what to expect at the marks.
    """

    chosen_id: str | None
    choice: FitChoice
    marks: tuple[FitMarkNow, ...]
    measured: tuple[int, ...]
    pairs: tuple[Pair, ...]
    expected: ExpectedFit
    flat: Horizontal | None
    up: Vertical | None
    problem: str
    up_problem: str

    @cached_property
    def left_out(self) -> frozenset[str]:
        """The names of marks that are neither in the fit nor checks of it: something is wrong with them."""
        return frozenset(mark.name for mark in self.marks if self.choice.use_of(mark.line_id) == "out")

    @cached_property
    def parameters(self) -> FitParameters | None:
        """The numbers of the fit; None where there is none."""
        return None if self.flat is None else parameters_of(self.flat, self.up, self.choice.models.geoid, self.choice.site)

    @cached_property
    def reach(self) -> Reach | None:
        """What the fit alone gives over the site; None where there is no fit."""
        return None if self.flat is None else reach_of(self.pairs, self.flat, self.up)

    @cached_property
    def place_of(self) -> dict[str, int]:
        """The place of each measured mark among the pairs, by its line."""
        return {self.marks[place].line_id: n for n, place in enumerate(self.measured)}


def fit_now(session: Session, job: JobNow) -> FitNow:
    """Return the local fit of a job as it stands."""
    row = chosen_row(session, job.id)
    choice = FitChoice() if row is None else row.data
    return solved(job, None if row is None else row.id, fit_marks(session, job), choice)


def site_frame(site: SiteCentre) -> JobFrame:
    """Return the transverse Mercator of a site: a plane at its height, so that distances are those on the ground."""
    anchor = Anchor(
        latitude_deg=site.latitude_deg, longitude_deg=site.longitude_deg, height_m=site.height_m, east_m=50_000.0, north_m=50_000.0
    )
    return job_frame(FrameDefinition(system=LOCAL, anchor=anchor))


def site_of(job: JobNow, marks: Sequence[FitMarkNow]) -> SiteCentre | None:
    """Return the middle of the measured marks, rounded so that it is easily written down; None where nothing is measured."""
    known = [mark.grid_m for mark in marks if mark.grid_m is not None]
    if not known:
        return None
    east, north = np.mean([place[:2] for place in known], axis=0)
    heights = [place[2] for place in known if place[2] is not None]
    latitude, longitude = job.frame.geodetic_from_grid(east, north)
    return SiteCentre(round(float(latitude), 4), round(float(longitude), 4), round(float(np.mean(heights or [0.0])), 0))


def in_fit_grid(job: JobNow, site: SiteCentre | None, grid_m: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return places of the job's grid with their heights, (n, 3), in the GNSS grid of a fit; unknown heights stay unknown."""
    if site is None or len(grid_m) == 0:
        return grid_m
    known = np.where(np.isfinite(grid_m[:, 2]), grid_m[:, 2], site.height_m)
    placed = site_frame(site).grid_from_ecef(job.frame.ecef_from_grid(grid_m[:, 0], grid_m[:, 1], known))
    placed[:, 2] = np.where(np.isfinite(grid_m[:, 2]), placed[:, 2], np.nan)
    return placed


def out_of_fit_grid(job: JobNow, site: SiteCentre | None, places_m: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the way back: east and north, (n, 2), of a fit's GNSS grid in the job's grid."""
    if site is None or len(places_m) == 0:
        return places_m
    frame = site_frame(site)
    xyz = frame.ecef_from_grid(places_m[:, 0], places_m[:, 1], np.full(len(places_m), site.height_m))
    return np.asarray(job.frame.grid_from_ecef(xyz)[:, :2])


def undulation_m(job: JobNow, grid_m: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the job's geoid undulation at places of its grid, (n,); NaN outside, InputError where the job has no geoid."""
    geoid = job.geoid
    if geoid is None:
        raise InputError("This job has no geoid grid: choose one under Job, System, or leave the geoid out.", field="geoid")
    angles = job.frame.geodetic_from_grid(grid_m[:, 0], grid_m[:, 1])
    return np.asarray(geoid.undulation_m(angles[:, 0], angles[:, 1]))


def solved(job: JobNow, chosen_id: str | None, marks: tuple[FitMarkNow, ...], choice: FitChoice) -> FitNow:
    """Return what a choice gives with the marks as they stand."""
    measured = tuple(n for n, mark in enumerate(marks) if mark.grid_m is not None)
    grid = np.array([_known(marks[n]) for n in measured]).reshape(-1, 3)
    expected = _expected(job, choice, grid)
    placed = in_fit_grid(job, choice.site, grid)
    problem = up_problem = ""
    try:
        lift = undulation_m(job, grid) if choice.models.geoid and len(grid) else np.zeros(len(grid))
    except InputError as error:
        lift, up_problem = np.full(len(grid), np.nan), error.sentence
    pairs = tuple(_pair(marks[n], choice, placed[at], float(lift[at])) for at, n in enumerate(measured))
    flat, up = None, None
    try:
        flat = _flat(pairs, choice, expected)
    except InputError as error:
        problem = error.sentence
    if flat is not None and not up_problem:
        try:
            up = fit_vertical(pairs, choice.models.vertical)
        except InputError as error:
            up_problem = error.sentence
    return FitNow(
        chosen_id=chosen_id,
        choice=choice,
        marks=marks,
        measured=measured,
        pairs=pairs,
        expected=expected,
        flat=flat,
        up=up,
        problem=problem,
        up_problem=up_problem,
    )


def _known(mark: FitMarkNow) -> tuple[float, float, float]:
    assert mark.grid_m is not None, "it is measured"
    east, north, height = mark.grid_m
    return east, north, np.nan if height is None else height


def _flat(pairs: Sequence[Pair], choice: FitChoice, expected: ExpectedFit) -> Horizontal:
    models = choice.models
    return fit_horizontal(pairs, models.horizontal, models.scale_held(expected), expected.rotation_deg or 0.0)


def _pair(mark: FitMarkNow, choice: FitChoice, placed: NDArray[np.float64], lift_m: float) -> Pair:
    row, height = mark.row, float(placed[2]) - lift_m
    chosen, has_heights = choice.use_of(mark.line_id), row.local_h_m is not None and bool(np.isfinite(height))
    use: Use = "check" if chosen == "out" else chosen
    without: dict[Use, Use] = {"hv": "h", "v": "check"}
    sigmas = mark.sigmas_m if choice.models.weights == "sigmas" else (None, None)
    return Pair(
        name=mark.name,
        local_e_m=row.local_e_m,
        local_n_m=row.local_n_m,
        local_h_m=row.local_h_m,
        gnss_e_m=float(placed[0]),
        gnss_n_m=float(placed[1]),
        gnss_h_m=height if np.isfinite(height) else None,
        use=use if has_heights else without.get(use, use),
        sigma_h_m=sigmas[0],
        sigma_v_m=sigmas[1],
    )


def _expected(job: JobNow, choice: FitChoice, grid: NDArray[np.float64]) -> ExpectedFit:
    """Return the scale and rotation to expect at the middle of the measured marks."""
    models = choice.models
    if len(grid) == 0 or (job.lies_nowhere and choice.site is None):
        return expected_of("grid", "typed" if models.north == "typed" else "eye", 1.0, 0.0, typed_deg=models.north_deg)
    heights = grid[np.isfinite(grid[:, 2]), 2]
    height = float(heights.mean()) if len(heights) else job.settings.project_height_m or 0.0
    latitude, longitude = (float(value) for value in job.frame.geodetic_from_grid(*grid[:, :2].mean(axis=0)))
    frame = job.frame if choice.site is None else site_frame(choice.site)
    factors, ground = grid_factors(frame, latitude, longitude, height), frame.definition.ground
    return expected_of(
        models.distances,
        models.north,
        factors.combined_factor,
        factors.convergence_deg,
        ground.combined_factor if ground else 1.0,
        models.north_deg,
    )
