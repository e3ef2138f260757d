"""A static solution typed or pasted later: checked against the present coordinate, previewed, locked in; and the way back."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from sqlalchemy.orm import Session

from openstake.core.constants import CIRCLE_95, LINE_95
from openstake.core.errors import ConflictError, FileError, InputError, NotFoundError
from openstake.core.geodesy.ellipsoid import ecef_from_geodetic, geodetic_from_ecef
from openstake.core.geodesy.framechange import FrameStep
from openstake.core.geodesy.plates import frame_shifts_m, year_of
from openstake.core.geodesy.slips import Slip, frame_slips, typing_slips
from openstake.core.judge.coordinate import judge_solution, moved_enu_m
from openstake.core.judge.finding import Finding
from openstake.core.limits import ShortText, Text
from openstake.core.units import metres_in_field, text_from_metres
from openstake.core.vector import raised_along_normal
from openstake.derive.base import BaseNow, base_of, is_autonomous, three
from openstake.derive.job import JobNow, job_of
from openstake.derive.marks import head_of
from openstake.store.models import BaseCoordinate, ImportedFile, Occupation
from openstake.wire.position_text import place_from_text
from openstake.wire.solution import MOST_BYTES, SolutionFile, read_solution
from openstake.workflow.base.coordinate import Proposed, coordinate_row, taken_anew, when
from openstake.workflow.base.coordinate_change import MovedPoint, moved_points, replace_coordinate
from openstake.workflow.base.other_frame import in_the_job, step_to_job
from openstake.workflow.command import Transaction, command
from openstake.workflow.context import Context


@dataclass(frozen=True, kw_only=True)
class SolutionRequest:
    """A static solution as typed, or pasted in one piece; lengths and angles as text.  Sigmas are one standard deviation.

    `refers_to` says what it is of: the mark, or the antenna's reference point, which stood above it; `operation` is the name of
    what leads from its frame to the job's, where they differ.  `name` and `content_base64` are the file it came in, kept as it is.
    """

    occupation_id: ShortText
    latitude: ShortText = ""
    longitude: ShortText = ""
    height: ShortText = ""
    pasted: Text = ""
    frame: ShortText = ""
    epoch: ShortText = ""
    sigma_horizontal: ShortText = ""
    sigma_vertical: ShortText = ""
    refers_to: Literal["", "mark", "arp"] = ""
    operation: Text = ""
    name: ShortText = ""
    content_base64: str = ""
    reason: Text = ""
    accepted: bool = False
    unlock: bool = False


@dataclass(frozen=True)
class SolutionSent:
    """A file or mail with a solution, base64, and which point of it is the base, where it holds several."""

    content_base64: str
    name: ShortText = ""
    site: ShortText = ""


@dataclass(frozen=True)
class SolutionOffered:
    """What a file says, each value with its line; `antenna` is how high the ARP stood, by the job and by the file, in words."""

    file: SolutionFile
    antenna: str


@dataclass(frozen=True)
class FrameAsked:
    """The frame and epoch of a solution for a base."""

    occupation_id: ShortText
    frame: ShortText
    epoch: ShortText = ""


@dataclass(frozen=True, kw_only=True)
class RestoreCoordinate:
    """A coordinate that a base had before, to go back to, and why."""

    occupation_id: ShortText
    coordinate_id: ShortText
    reason: Text
    unlock: bool = False


@dataclass(frozen=True)
class TakeAnew:
    """The set-up whose coordinate is taken from its mark anew, and why."""

    occupation_id: ShortText
    reason: Text = ""
    unlock: bool = False


@dataclass(frozen=True, kw_only=True)
class SolutionPreview:
    """What a static solution would move: solution − present, metres; of many points the newest are shown."""

    latitude_deg: float
    longitude_deg: float
    height_m: float
    east_m: float
    north_m: float
    up_m: float
    points: list[MovedPoint]
    finding: Finding
    locked: bool


@dataclass(frozen=True, kw_only=True)
class CoordinateView:
    """A coordinate that an occupation had; the first of a list is in force."""

    id: str
    source: str
    detail: str
    frame: str
    frame_epoch: str
    accuracy_horizontal_95_m: float
    locked: bool
    reason: str
    created_s: float


@dataclass(frozen=True, kw_only=True)
class _Solution:
    occupation: Occupation
    present: BaseCoordinate
    coordinate: Proposed
    finding: Finding


def read_file(context: Context, job_id: str, occupation_id: str, request: SolutionSent, content: bytes) -> SolutionOffered:
    """Read a solution out of a file or mail; nothing is stored, nothing is taken."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        base = base_of(session, _occupation(session, job, occupation_id))
        stood = f"The ARP stood {text_from_metres(base.height.arp_height_m, job.length_unit)} above the mark"
    found = read_solution(content, request.name or "The file", request.site.strip())
    said = f"; the file says {found.header_height}" if found.header_height else ""
    said += f", antenna {found.antenna}" if found.antenna else ""
    return SolutionOffered(found, f"{stood}, and that is in the header of the log's RINEX{said}.")


def frame_step_of(context: Context, job_id: str, request: FrameAsked) -> FrameStep:
    """Return what lies between a solution's frame and epoch and the job's."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        present = base_of(session, _occupation(session, job, request.occupation_id)).coordinate
    return step_to_job(job, request.frame, request.epoch, (present.x_m, present.y_m, present.z_m))


def _occupation(session: Session, job: JobNow, occupation_id: str) -> Occupation:
    occupation = session.get(Occupation, occupation_id)
    if occupation is None or occupation.job_id != job.id:
        raise NotFoundError("This set-up is not in this job.")
    return occupation


def _read_solution(session: Session, job: JobNow, request: SolutionRequest, now: float) -> _Solution:
    job.needs_datum()
    occupation = _occupation(session, job, request.occupation_id)
    place = place_from_text(request.pasted, request.latitude, request.longitude, request.height, job.length_unit)
    if not request.frame.strip():
        raise InputError(
            "Say which frame the solution is in (such as ETRS89 or ITRF2020): nothing is shifted that nobody named.", field="frame"
        )
    if not request.refers_to:
        raise InputError("Say whether the solution is of the mark or of the antenna's reference point (ARP).", field="refers_to")
    xyz = three(
        place.xyz_m
        if place.xyz_m is not None
        else ecef_from_geodetic(place.latitude_deg, place.longitude_deg, place.height_m, job.frame.positions_ellipsoid)
    )
    base = base_of(session, occupation)
    near = (base.coordinate.x_m, base.coordinate.y_m, base.coordinate.z_m)
    xyz, how = in_the_job(job, request.frame, request.epoch, request.operation, xyz, near)
    lowered = ""
    if request.refers_to == "arp":
        xyz = three(raised_along_normal(xyz, -base.height.arp_height_m))
        lowered = f" of the ARP, lowered by {text_from_metres(base.height.arp_height_m, job.length_unit)}"
    sigmas = [_sigma(request.sigma_horizontal, "sigma_horizontal", job, 0.01), _sigma(request.sigma_vertical, "sigma_vertical", job, 0.02)]
    present = base.coordinate
    came = f"from {request.name.strip()[:80]}" if request.name.strip() else f"typed {when(job, now)}"
    coordinate = Proposed(
        xyz_m=xyz,
        source="static",
        detail=f"a static solution{lowered} {came}{how}",
        accuracy_horizontal_95_m=CIRCLE_95 * sigmas[0],
        accuracy_vertical_95_m=LINE_95 * sigmas[1],
        frame=job.positions_label if how else request.frame.strip()[:200],
        frame_epoch=request.epoch.strip()[:80] or "not said",
        evidence_id=None,
    )
    found = judge_solution((present.x_m, present.y_m, present.z_m), xyz, _mends(job, xyz, now), is_autonomous(present), job.length_unit)
    return _Solution(occupation=occupation, present=present, coordinate=coordinate, finding=found)


def _sigma(text: str, field: str, job: JobNow, usual_m: float) -> float:
    metres = metres_in_field(text, job.length_unit, field)
    if metres is None:
        return usual_m
    if not 0.0 < metres < 100.0:
        raise InputError("A standard deviation is larger than 0 and smaller than 100 m.", field=field)
    return metres


def _mends(job: JobNow, xyz_m: tuple[float, float, float], now: float) -> Iterator[Slip]:
    """Yield a typed solution with each slip taken back: a slip is its own mending."""
    latitude, longitude, height = (float(value) for value in geodetic_from_ecef(xyz_m, job.frame.positions_ellipsoid))
    for slip in typing_slips(latitude, longitude, height):
        # Feet taken as metres are mended by metres taken as feet: the words change places.
        words = {
            "the height is in feet and was taken as metres": "the height is in metres and was taken as feet",
            "the height is in metres and was taken as feet": "the height is in feet and was taken as metres",
        }.get(slip.words, slip.words)
        yield Slip(kind=slip.kind, words=words, xyz_m=slip.xyz_m)
    yield from frame_slips(xyz_m, frame_shifts_m(xyz_m, year_of(now)))


def preview_solution(context: Context, job_id: str, request: SolutionRequest) -> SolutionPreview:
    """Return by how much everything measured from a base moves with another coordinate, without storing anything."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        solution = _read_solution(session, job, request, context.now(job_id))
        present = solution.present
        instead = coordinate_row(solution.coordinate, solution.occupation.id, context.now(job_id))
        moved = moved_points(session, job, solution.occupation, instead)
    there = (instead.x_m, instead.y_m, instead.z_m)
    east, north, up = moved_enu_m((present.x_m, present.y_m, present.z_m), there)
    latitude, longitude, height = (float(value) for value in geodetic_from_ecef(there, job.frame.positions_ellipsoid))
    return SolutionPreview(
        latitude_deg=latitude,
        longitude_deg=longitude,
        height_m=height,
        east_m=east,
        north_m=north,
        up_m=up,
        points=moved,
        finding=solution.finding,
        locked=present.locked,
    )


@command()
def apply_solution(tx: Transaction, request: SolutionRequest, content: bytes) -> None:
    """Replace a base's coordinate by a static solution, locked as control quality; every point follows.

    `content` is the file it came in, kept byte for byte; empty where it was typed.
    """
    if len(content) > MOST_BYTES:
        raise FileError(f"{request.name[:60]} has {len(content) / 1e6:.1f} MB; a solution has at most {MOST_BYTES >> 20} MB.")
    job = tx.job
    solution = _read_solution(tx.session, job, request, tx.now_s)
    if solution.finding.is_stop and not request.accepted:
        raise ConflictError(solution.finding.sentence)
    if content:
        tx.add(ImportedFile(job_id=tx.job_id, name=request.name[:200] or "solution", content=content, created_s=tx.now_s))
    replace_coordinate(
        tx,
        solution.occupation,
        solution.present,
        solution.coordinate,
        locked=True,
        reason=request.reason or "static solution",
        unlock=request.unlock,
    )


@command()
def restore_coordinate(tx: Transaction, request: RestoreCoordinate) -> None:
    """Go back to a coordinate the base had before: a new row with the same numbers, so points come back to the same bits."""
    if not request.reason.strip():
        raise InputError("Say in a few words why the coordinate is changed.", field="reason")
    occupation = tx.session.get(Occupation, request.occupation_id)
    row = tx.session.get(BaseCoordinate, request.coordinate_id)
    if occupation is None or occupation.job_id != tx.job_id or row is None or row.occupation_id != occupation.id:
        raise NotFoundError("This coordinate is not one of this set-up's.")
    again = Proposed(
        xyz_m=(row.x_m, row.y_m, row.z_m),
        source=row.source,
        detail=row.detail,
        accuracy_horizontal_95_m=row.accuracy_horizontal_95_m,
        accuracy_vertical_95_m=row.accuracy_vertical_95_m,
        frame=row.frame,
        frame_epoch=row.frame_epoch,
        evidence_id=row.evidence_id,
    )
    present = base_of(tx.session, occupation).coordinate
    replace_coordinate(tx, occupation, present, again, locked=row.locked, reason=request.reason, unlock=request.unlock)


@command()
def take_anew(tx: Transaction, request: TakeAnew) -> None:
    """Take a base's coordinate from its mark as settings and control list have it now: a new row; every point follows."""
    job = tx.job
    job.needs_datum()
    occupation = _occupation(tx.session, job, request.occupation_id)
    base, mark = base_of(tx.session, occupation), head_of(tx.session, job, occupation.mark_id)
    anew = taken_anew(job, base, mark)
    if anew is None:
        raise ConflictError(f"The base has the coordinate of {mark.name} as it is now.")
    reason = request.reason or "settings or control list changed"
    replace_coordinate(tx, occupation, base.coordinate, anew, locked=False, reason=reason, unlock=request.unlock)


def coordinates_view(base: BaseNow) -> list[CoordinateView]:
    """Return the coordinates an occupation had, newest first."""
    return [
        CoordinateView(
            id=row.id,
            source=row.source,
            detail=row.detail,
            frame=row.frame,
            frame_epoch=row.frame_epoch,
            accuracy_horizontal_95_m=row.accuracy_horizontal_95_m,
            locked=row.locked,
            reason=row.reason,
            created_s=row.created_s,
        )
        for row in base.coordinates[::-1]
    ]
