"""Marks of the local fit: typed, imported, taken from another job, corrected, taken out; and their shots."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from sqlalchemy.orm import Session

from openstake.core.describe import FieldShown, described, fields_shown, typed
from openstake.core.errors import ConflictError, FileError, InputError, NotFoundError
from openstake.core.limits import Seconds, ShortText, Text
from openstake.core.localfit.choice import MarkUse
from openstake.core.shot import ShotKind, checked_name, with_seconds
from openstake.core.units import LengthUnit, counted
from openstake.derive.fit import FitMarkNow, fit_marks
from openstake.derive.heights import read_height
from openstake.derive.job import JobNow, job_of
from openstake.derive.kit import kit_of
from openstake.store.book import write_entry
from openstake.store.models import FitMark, FitShot, ImportedFile, Shot, new_id
from openstake.store.records import lines
from openstake.store.records.bases import needed_occupation
from openstake.store.records.fits import fit_mark_row, fit_mark_rows
from openstake.wire.tables.control import read_control
from openstake.wire.tables.control_reading import decoded
from openstake.wire.tables.pairs import HEADER, read_pairs
from openstake.workflow.command import Transaction, carry_out, command
from openstake.workflow.context import Context
from openstake.workflow.fit.choose import FitRequest, choose, page
from openstake.workflow.fit.diagnosis import known
from openstake.workflow.recording import Recording, ShotPlan, begin

MOST_MARKS = 1000  # of a page: larger sets are the terminal's
MOST_BYTES = 5 << 20
MOST_ROWS_SHOWN = 200


@dataclass(frozen=True, kw_only=True)
class LocalMark:
    """A mark's local coordinate as typed, metres; sigmas are one standard deviation of one axis."""

    name: str = described("Name", "text")
    east: float = described("Local east", "length")
    north: float = described("Local north", "length")
    height: float | None = described("Local height", "length", optional=True)
    sigma_h: float | None = described("± horizontal", "length", optional=True, least=0.00001, most=10.0)
    sigma_v: float | None = described("± vertical", "length", optional=True, least=0.00001, most=10.0)


@dataclass(frozen=True)
class NewFitMark:
    """A mark as typed; `at_base`: the base that runs stands on it, and its GNSS side is the base's coordinate."""

    values: dict[str, Any]
    at_base: bool = False


@dataclass(frozen=True, kw_only=True)
class ChangeFitMark:
    """A mark typed anew in place of the row `replaces_id`, or taken out; and why."""

    replaces_id: ShortText
    values: dict[str, Any] = field(default_factory=dict)
    withdraw: bool = False
    reason: Text = ""


@dataclass(frozen=True, kw_only=True)
class FitFile:
    """A list of local coordinates, base64: pairs with their GNSS side, or a plain list, in the unit that is said.

    It is stored only where `keep` is said; else only read.
    """

    name: ShortText
    content_base64: str
    unit: LengthUnit | None = None
    keep: bool = False


@dataclass(frozen=True, kw_only=True)
class FitFileRow:
    """A line of a list: what it gives in metres, or why it stays out."""

    line: int
    name: str
    local_e_m: float | None
    local_n_m: float | None
    local_h_m: float | None
    has_gnss: bool
    refusal: str


@dataclass(frozen=True, kw_only=True)
class FitFileRead:
    """How a list is read: what it is, in which unit, line by line; `questions` must be answered before it is stored."""

    what: str
    unit: LengthUnit
    rows: list[FitFileRow]
    accepted: int
    refused: int
    questions: list[str]
    kept: bool


@dataclass(frozen=True, kw_only=True)
class FitShotRequest:
    """The pole stands on a mark of the fit: which one, with which pole, for how long."""

    line_id: ShortText
    reading: ShortText
    feature: ShortText
    seconds: Seconds = 30
    rover_id: ShortText | None = None


@dataclass(frozen=True)
class FitShotUse:
    """A shot taken into a mark's mean, or out of it."""

    line_id: ShortText
    shot_id: ShortText
    used: bool


@dataclass(frozen=True)
class FromJob:
    """The job whose marks and coordinates are taken over."""

    job_id: ShortText


@dataclass(frozen=True)
class FitForm:
    """The fields of a mark's local coordinate."""

    fields: tuple[FieldShown, ...]


def form() -> FitForm:
    """Return the fields of a mark's form."""
    return FitForm(fields_shown(LocalMark))


# --- one mark ---


@command(page)
def add(tx: Transaction, request: NewFitMark) -> None:
    """Add a mark with its local coordinate."""
    job = tx.job
    mark = _typed(job, request.values)
    _check_room(tx.session, job, [mark.name])
    occupation_id = needed_occupation(tx.session, tx.job_id).id if request.at_base else None
    row = _row(tx.job_id, mark, new_id(), "typed by hand", tx.now_s)
    row.occupation_id = occupation_id
    tx.add(row)
    where = ", the base's own mark" if request.at_base else ""
    tx.tell("fit-mark", f"{mark.name} has local coordinates{where}.", mark=row.id)


def _typed(job: JobNow, values: dict[str, Any]) -> LocalMark:
    mark = typed(LocalMark, values, job.length_unit)
    checked_name(mark.name)
    return mark


def _row(job_id: str, mark: LocalMark, line_id: str, source: str, now: float) -> FitMark:
    return FitMark(
        line_id=line_id,
        job_id=job_id,
        name=mark.name.strip(),
        local_e_m=mark.east,
        local_n_m=mark.north,
        local_h_m=mark.height,
        sigma_h_m=mark.sigma_h,
        sigma_v_m=mark.sigma_v,
        source=source[:200],
        created_s=now,
    )


def _check_room(session: Session, job: JobNow, names: Sequence[str], itself: str = "") -> None:
    """Raise where a name is there already, or where the list would be too long."""
    present = {row.name for row in fit_mark_rows(session, job.id) if row.line_id != itself}
    double = next((name for name in names if name in present), None)
    if double is not None:
        raise ConflictError(f"{double} has local coordinates already. Correct them there.", field="name")
    if len(present) + len(names) > MOST_MARKS:
        raise InputError(f"A local fit has {MOST_MARKS} marks at most.")


@command(page)
def change(tx: Transaction, line_id: str, request: ChangeFitMark) -> None:
    """Correct a mark, or take it out: a new row; what it was stays."""
    job = tx.job
    old = lines.head(tx.session, FitMark, request.replaces_id, _MISSING)
    if old.job_id != tx.job_id or old.line_id != line_id:
        raise NotFoundError(_MISSING)
    kept = LocalMark(
        name=old.name, east=old.local_e_m, north=old.local_n_m, height=old.local_h_m, sigma_h=old.sigma_h_m, sigma_v=old.sigma_v_m
    )
    mark = kept if request.withdraw else _typed(job, request.values)
    if not request.withdraw:
        _check_room(tx.session, job, [mark.name], line_id)
    row = _row(tx.job_id, mark, line_id, old.source, tx.now_s)
    row.gnss_e_m, row.gnss_n_m, row.gnss_h_m = old.gnss_e_m, old.gnss_n_m, old.gnss_h_m
    row.occupation_id = old.occupation_id
    row.replaces_id, row.withdrawn, row.reason = old.id, request.withdraw, request.reason.strip()
    tx.add(row)
    what = "taken out of the local fit" if request.withdraw else "has other local coordinates"
    because = f": {row.reason}" if row.reason else ""
    tx.tell("fit-mark", f"{mark.name} {what}{because}.", mark=row.id, replaces=old.id)


_MISSING = "This mark is not in the local fit."


# --- lists ---


def read_file(context: Context, job_id: str, request: FitFile, content: bytes) -> FitFileRead:
    """Return how a list is read; stored where that is asked and nothing is left to say."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        found = _read(session, job, request, content)
    if not request.keep:
        return found.shown(False)
    if found.questions:
        raise InputError(found.questions[0], field="unit")
    if not found.marks:
        raise InputError("No line of the file can be taken, so nothing was stored. See the reasons line by line.")

    def work(tx: Transaction) -> None:
        _check_room(tx.session, job, [row.name for row in found.marks])
        file = ImportedFile(job_id=tx.job_id, name=request.name[:200], content=content, created_s=tx.now_s)
        tx.add(file)
        for row in found.marks:
            row.created_s = tx.now_s
            tx.add(row)
        refused = len(found.rows) - len(found.marks)
        tx.tell(
            "fit-imported",
            f"{counted(len(found.marks), 'mark')} with local coordinates taken from {request.name}; {counted(refused, 'line')} refused.",
            file=file.id,
            accepted=len(found.marks),
            refused=refused,
            unit=found.unit,
        )

    carry_out(context, job_id, work)
    if found.uses:
        # A table of pairs says what each is for.
        choose(context, job_id, FitRequest(replaces_id=page(context, job_id).chosen_id, uses=found.uses))
    return found.shown(True)


@dataclass(frozen=True, kw_only=True)
class _ReadList:
    what: str
    unit: LengthUnit
    rows: list[FitFileRow]
    marks: list[FitMark]
    questions: list[str]
    uses: dict[str, MarkUse]

    def shown(self, kept: bool) -> FitFileRead:
        # What a person must look at comes first.
        rows = sorted(self.rows, key=lambda row: (row.refusal == "", row.line))[:MOST_ROWS_SHOWN]
        return FitFileRead(
            what=self.what,
            unit=self.unit,
            rows=rows,
            accepted=len(self.marks),
            refused=len(self.rows) - len(self.marks),
            questions=self.questions,
            kept=kept,
        )


def _read(session: Session, job: JobNow, request: FitFile, content: bytes) -> _ReadList:
    if len(content) > MOST_BYTES:
        raise FileError(f"The file has more than {MOST_BYTES >> 20} MB; a list of local coordinates is smaller.")
    present = {row.name for row in fit_mark_rows(session, job.id)}
    if _is_pairs(content):
        return _read_pairs(job, request, content, present)
    # The kind of a local height is its own: what it is counted from is what the fit finds.
    reading = read_control(content, request.unit, job.length_unit, None, "ellipsoidal")
    rows, marks = [], []
    for line in reading.lines:
        mark, refusal = line.mark, line.refusal
        if mark is not None and mark.east_m is None:
            refusal = "Latitude and longitude are no local coordinates."
        if mark is not None and not refusal and mark.name in present:
            refusal = f"{mark.name} has local coordinates already."
        name = mark.name if mark is not None else (line.cells[0] if line.cells else "")
        if mark is None or refusal or mark.east_m is None or mark.north_m is None:
            rows.append(
                FitFileRow(
                    line=line.number,
                    name=name[:80],
                    local_e_m=None,
                    local_n_m=None,
                    local_h_m=None,
                    has_gnss=False,
                    refusal=refusal or "It cannot be read.",
                )
            )
            continue
        rows.append(
            FitFileRow(
                line=line.number,
                name=mark.name,
                local_e_m=mark.east_m,
                local_n_m=mark.north_m,
                local_h_m=mark.height_m,
                has_gnss=False,
                refusal="",
            )
        )
        marks.append(
            FitMark(
                line_id=new_id(),
                job_id=job.id,
                name=mark.name,
                local_e_m=mark.east_m,
                local_n_m=mark.north_m,
                local_h_m=mark.height_m,
                sigma_h_m=mark.sigma_horizontal_m,
                sigma_v_m=mark.sigma_vertical_m,
                source=request.name[:200],
            )
        )
    unit: LengthUnit = reading.unit  # type: ignore[assignment]
    return _ReadList(what=f"a {reading.format} list", unit=unit, rows=rows, marks=marks, questions=list(reading.questions), uses={})


def _is_pairs(content: bytes) -> bool:
    """Tell whether a file has the header of pairs."""
    try:
        header = decoded(content[:2000])[0].partition("\n")[0].lower()
    except FileError:
        return False
    return all(name in header for name in HEADER[:-1])


def _read_pairs(job: JobNow, request: FitFile, content: bytes, present: set[str]) -> _ReadList:
    pairs = read_pairs(content)
    rows, marks = [], []
    uses: dict[str, MarkUse] = {}
    for number, pair in enumerate(pairs, start=2):
        refusal = f"{pair.name} has local coordinates already." if pair.name in present else ""
        rows.append(
            FitFileRow(
                line=number,
                name=pair.name,
                local_e_m=pair.local_e_m,
                local_n_m=pair.local_n_m,
                local_h_m=pair.local_h_m,
                has_gnss=True,
                refusal=refusal,
            )
        )
        if not refusal:
            marks.append(
                FitMark(
                    line_id=new_id(),
                    job_id=job.id,
                    name=pair.name,
                    local_e_m=pair.local_e_m,
                    local_n_m=pair.local_n_m,
                    local_h_m=pair.local_h_m,
                    sigma_h_m=pair.sigma_h_m,
                    sigma_v_m=pair.sigma_v_m,
                    gnss_e_m=pair.gnss_e_m,
                    gnss_n_m=pair.gnss_n_m,
                    gnss_h_m=pair.gnss_h_m,
                    source=request.name[:200],
                )
            )
            if pair.use != "hv":
                uses[marks[-1].line_id] = pair.use
    return _ReadList(what="pairs in metres: local and GNSS", unit="m", rows=rows, marks=marks, questions=[], uses=uses)


@command(page)
def from_job(tx: Transaction, request: FromJob) -> None:
    """Take the marks of another job over, with the GNSS coordinates that they have there now."""
    job, other = tx.job, job_of(tx.session, request.job_id)
    if other.id == job.id:
        raise InputError("Choose another job than this one.", field="job_id")
    if (job.positions_label, job.settings.frame_epoch) != (other.positions_label, other.settings.frame_epoch):
        raise InputError(
            f"{other.name} is in {other.positions_label} {other.settings.frame_epoch}, this job in {job.positions_label} "
            f"{job.settings.frame_epoch}. No datum shift is applied that nobody named.",
            field="job_id",
        )
    marks = fit_marks(tx.session, other)
    if not marks:
        raise InputError(f"{other.name} has no local coordinates.", field="job_id")
    _check_room(tx.session, job, [mark.name for mark in marks])
    placed = _placed(job, other, marks)
    for mark, place in zip(marks, placed, strict=True):
        old = mark.row
        east, north, height = place
        tx.session.add(
            FitMark(
                line_id=new_id(),
                job_id=tx.job_id,
                name=old.name,
                local_e_m=old.local_e_m,
                local_n_m=old.local_n_m,
                local_h_m=old.local_h_m,
                sigma_h_m=old.sigma_h_m if east is None else mark.sigmas_m[0],
                sigma_v_m=old.sigma_v_m if east is None else mark.sigmas_m[1],
                gnss_e_m=east,
                gnss_n_m=north,
                gnss_h_m=height,
                source=f"job {other.name}"[:200],
                created_s=tx.now_s,
            )
        )
    tx.tell("fit-from-job", f"{counted(len(marks), 'mark')} taken over from {other.name}.", job=other.id)


def _placed(job: JobNow, other: JobNow, marks: Sequence[FitMarkNow]) -> list[tuple[float | None, float | None, float | None]]:
    """Return where marks of another job lie in this one's grid, through the Earth; None where they are not measured there."""
    grid = np.array([mark.grid_m or (np.nan,) * 3 for mark in marks], dtype=float)
    heights = grid[:, 2]
    xyz = other.frame.ecef_from_grid(grid[:, 0], grid[:, 1], np.where(np.isfinite(heights), heights, 0.0))
    placed = job.frame.grid_from_ecef(xyz)
    placed[:, 2] = np.where(np.isfinite(heights), placed[:, 2], np.nan)
    return [(known(east), known(north), known(height)) for east, north, height in np.where(np.isfinite(placed), placed, np.nan)]


# --- shots ---


def record(context: Context, job_id: str, request: FitShotRequest) -> Recording:
    """Begin to record a shot on a mark of the fit, fixed only."""
    kind = with_seconds(ShotKind(name="control"), request.seconds)
    with context.database.read() as session:
        job = job_of(session, job_id)
        mark = _head_of(session, job_id, request.line_id)
        height = read_height(kit_of(session, job_id), job.length_unit, request.reading, request.feature, "rover")
    plan = ShotPlan(kind=kind, height=height, fixed_only=True, name=mark.name, purpose="fit")

    def told(session: Session, job: JobNow, shot: Shot, now: float) -> None:
        session.add(FitShot(job_id=job.id, line_id=request.line_id, shot_id=shot.id, used=True, created_s=now))
        write_entry(session, now, "fit-shot", f"Measured {mark.name} for the local fit.", job.id, shot=shot.id, mark=mark.id)

    return begin(context, job_id, plan, request.rover_id, told)


def _head_of(session: Session, job_id: str, line_id: str) -> FitMark:
    row = fit_mark_row(session, job_id, line_id)
    if row is None:
        raise NotFoundError(_MISSING, field="line_id")
    return row


@command(page)
def use_shot(tx: Transaction, request: FitShotUse) -> None:
    """Take a shot into a mark's mean, or out of it."""
    mark, shot = _head_of(tx.session, tx.job_id, request.line_id), tx.session.get(Shot, request.shot_id)
    if shot is None or shot.job_id != tx.job_id:
        raise NotFoundError("This shot is not in this job.", field="shot_id")
    tx.add(FitShot(job_id=tx.job_id, line_id=request.line_id, shot_id=shot.id, used=request.used, created_s=tx.now_s))
    what = "taken into" if request.used else "taken out of"
    tx.tell("fit-shot", f"A shot {what} the mean of {mark.name}.", shot=shot.id, mark=mark.id)
