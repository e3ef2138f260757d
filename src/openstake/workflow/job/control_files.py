"""The control list as files: read before anything is stored, accepted line by line, written in open formats."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Any, Literal, cast

import numpy as np
from sqlalchemy.orm import Session

from openstake.core.describe import fields_shown
from openstake.core.errors import InputError
from openstake.core.geodesy.systems import unit_of_system
from openstake.core.judge.control import (
    HeightGiven,
    KnownMarks,
    Refusal,
    judge_height_kinds,
    judge_height_units,
    judge_heights_of_list,
    judge_list,
    judge_places,
    judge_unit,
)
from openstake.core.judge.finding import Finding
from openstake.core.mark import HEIGHT_KINDS, GivenMark, HeightKind
from openstake.core.units import METRES_PER_UNIT, LengthUnit, counted, shortest_typed
from openstake.derive.job import JobNow, job_of
from openstake.derive.marks import MarkNow, current_marks, row_of
from openstake.store.models import ImportedFile
from openstake.wire.tables.control import read_control
from openstake.wire.tables.control_reading import FileFormat, Line, Reading, number_text, refusal_of
from openstake.wire.tables.csv_list import write_csv
from openstake.wire.tables.drawings import drawn_mark, write_dxf, write_kml
from openstake.wire.tables.geojson import write_geojson
from openstake.wire.tables.landxml import write_landxml
from openstake.workflow.command import Transaction, carry_out
from openstake.workflow.context import Context, file_name
from openstake.workflow.job.control import typed_mark

MOST_BYTES = 5 << 20
MOST_ROWS_SHOWN = 300
_MOST_HEIGHTS = 500  # of a list say what kind they all are


LineRequest = Literal["leave out", "exchange", "correct"]


@dataclass(frozen=True)
class LineSaid:
    """What a person has said of one line: left out, its two coordinates exchanged, or the mark as typed instead (`values`)."""

    line: int
    wish: LineRequest
    values: dict[str, Any] = field(default_factory=dict)


@dataclass(frozen=True, kw_only=True)
class ListSaid:
    """What a person has said of a list so far: its unit, what its columns are, what kind its heights are, and of single lines."""

    unit: LengthUnit | None = None
    roles: Sequence[str] | None = None
    height_kind: HeightKind | None = None
    lines: Sequence[LineSaid] = ()


@dataclass(frozen=True)
class Column:
    """A column of a list and what it is read as."""

    role: str
    header: str | None


@dataclass(frozen=True, kw_only=True)
class ControlRow:
    """A line of a list: what it gives, or why it is refused; `said` is what a person wished of it.

    `typed` are the mark's values as they would be typed, to correct them.
    """

    line: int
    cells: list[str]
    accepted: bool
    refusal: str
    remark: str
    mark: GivenMark | None
    said: LineRequest | Literal[""]
    typed: dict[str, str | bool]


@dataclass(frozen=True, kw_only=True)
class ControlPreview:
    """How a list would be read; of many lines the refused ones and the first are shown."""

    format: FileFormat
    encoding: str
    delimiter: str
    unit: LengthUnit
    unit_stated: bool
    height_kind: HeightKind | None
    asks_height_kind: bool
    columns: list[Column]
    rows: list[ControlRow]
    accepted: int
    refused: int
    questions: list[str]
    findings: list[Finding]


@dataclass(frozen=True)
class Accepted:
    """How many lines were stored, and how many stayed out."""

    accepted: int
    refused: int


def preview_control(context: Context, job_id: str, content: bytes, said: ListSaid) -> ControlPreview:
    """Return how a control list would be read, line by line, and what a person must still say.  Stores nothing."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        reading, refusals, findings = _read(session, job, content, said)
    remarks = _remarks(reading, refusals, job.length_unit)
    wishes: dict[int, LineRequest] = {item.line: item.wish for item in said.lines}
    rows = []
    for line in reading.lines:
        refusal = line.refusal or (refusals[line.number].sentence if line.number in refusals else "")
        mark = None if refusal else line.mark
        remark = remarks.get(line.number, "") if mark is not None else ""
        wished: LineRequest | Literal[""] = wishes.get(line.number, "")
        shown = _as_typed(line.mark, job.length_unit) if line.mark else _as_in_file(line, reading, said.height_kind)
        rows.append(
            ControlRow(
                line=line.number,
                cells=list(line.cells),
                accepted=mark is not None,
                refusal=refusal,
                remark=remark,
                mark=mark,
                said=wished,
                typed=shown,
            )
        )
    accepted = sum(row.accepted for row in rows)
    asks = any(line.mark and line.mark.height_m is not None for line in reading.lines)
    return ControlPreview(
        format=reading.format,
        encoding=reading.encoding,
        delimiter={",": "comma", ";": "semicolon", "\t": "tab"}.get(reading.delimiter, ""),
        unit=cast(LengthUnit, reading.unit),
        unit_stated=reading.unit_stated,
        height_kind=said.height_kind,
        asks_height_kind=asks and ("height" in reading.roles or reading.format == "GeoJSON"),
        columns=[Column(role, reading.header[place] if reading.header else None) for place, role in enumerate(reading.roles)],
        # What a person must look at comes first.
        rows=sorted(rows, key=lambda row: (row.accepted, not row.remark, row.line))[:MOST_ROWS_SHOWN],
        accepted=accepted,
        refused=len(rows) - accepted,
        questions=list(reading.questions),
        findings=[*findings, *judge_height_units(remarks)],
    )


def _remarks(reading: Reading, refusals: dict[int, Refusal], unit: str) -> dict[int, str]:
    """Return what to look at in lines that are taken, by line number."""
    taken = [line for line in reading.lines if line.mark and line.number not in refusals]
    marks = [line.mark for line in taken if line.mark]
    return {taken[at].number: sentence for at, sentence in judge_heights_of_list(marks, unit).items()}


def _read(session: Session, job: JobNow, content: bytes, said: ListSaid) -> tuple[Reading, dict[int, Refusal], list[Finding]]:
    """Return the reading, the marks that cannot be in this job by line, and what is to be said of the list."""
    if len(content) > MOST_BYTES:
        raise InputError(f"The file has {len(content)} bytes; a control list of more than {MOST_BYTES} is not read.")
    if said.unit is not None and said.unit not in METRES_PER_UNIT:
        raise InputError(f"'{said.unit}' is not a length unit; it is m, ft or sft.", field="unit")
    reading = read_control(
        content, said.unit, job.length_unit, said.roles, _height_kind(said.height_kind), lambda lines: _mended(job, lines, said.lines)
    )
    if reading.system is not None and reading.system != job.system_statement:
        raise InputError(
            f"The file says its coordinates are in {reading.system[:80]}, but this job is in "
            f"{job.system_statement[:80]}. No datum shift is applied that nobody named: make a job in that system.",
            field="system",
        )
    lines = [line for line in reading.lines if line.mark]
    marks = [line.mark for line in lines if line.mark]
    present = current_marks(session, job)
    known = KnownMarks({mark.name: (mark.east_m, mark.north_m) for mark in present})
    verdicts = judge_places(job.frame, marks, known, job.length_unit)
    refusals = {line.number: found for line, found in zip(lines, verdicts, strict=True) if found is not None}
    findings = judge_list(refusals, len(reading.lines))
    own = None if job.frame.is_local else unit_of_system(job.frame.definition.system)
    findings += judge_unit(job.frame, reading.unit, own, marks)
    taken = [line.mark for line in lines if line.mark and line.number not in refusals]
    return reading, refusals, findings + _height_kinds(job, taken, present)


def _mended(job: JobNow, lines: list[Line], said: Sequence[LineSaid]) -> list[Line]:
    """Return the lines with what a person has said of some; InputError where a line is not there or a value cannot be."""
    wishes = {item.line: item for item in said}
    if unknown := set(wishes) - {line.number for line in lines}:
        raise InputError(f"The file has no line {min(unknown)}.", field="lines")
    return [_line_mended(job, line, wishes[line.number]) if line.number in wishes else line for line in lines]


def _line_mended(job: JobNow, line: Line, said: LineSaid) -> Line:
    if said.wish == "leave out":
        return Line(number=line.number, cells=line.cells, mark=None, refusal="Left out by hand.")
    if said.wish == "correct":
        try:
            return Line(number=line.number, cells=line.cells, mark=typed_mark(job, said.values), refusal="")
        except InputError as error:
            return Line(number=line.number, cells=line.cells, mark=None, refusal=f"As corrected: {error.sentence}")
    if line.mark is None:
        return line
    mark = line.mark
    exchanged = replace(mark, east_m=mark.north_m, north_m=mark.east_m, latitude_deg=mark.longitude_deg, longitude_deg=mark.latitude_deg)
    sentence = refusal_of(exchanged)
    return Line(number=line.number, cells=line.cells, mark=None if sentence else exchanged, refusal=sentence)


def _as_typed(mark: GivenMark, unit: str) -> dict[str, str | bool]:
    """Return what a mark's fields would be typed as, lengths in a unit to the last digit."""
    found: dict[str, str | bool] = {}
    for item in fields_shown(GivenMark):
        value = getattr(mark, item.name)
        if value is None or value == "":
            continue
        if isinstance(value, bool):
            found[item.name] = value
            continue
        found[item.name] = shortest_typed(value, unit) if item.kind == "length" else repr(value) if isinstance(value, float) else str(value)
    return found


_FIELD_OF_ROLE = {
    "name": "name",
    "east": "east_m",
    "north": "north_m",
    "latitude": "latitude_deg",
    "longitude": "longitude_deg",
    "height": "height_m",
    "elevation": "height_m",
    "ellipsoidal_height": "height_m",
    "order": "order",
    "source": "source",
    "note": "note",
}
_KIND_OF_ROLE: dict[str, HeightKind] = {"elevation": "elevation", "ellipsoidal_height": "ellipsoidal"}


def _as_in_file(line: Line, reading: Reading, kind: HeightKind | None) -> dict[str, str | bool]:
    """Return the cells of a refused line as its fields would be typed: what is no number stays as it is, to be corrected."""
    found: dict[str, str | bool] = {}
    for role, cell in zip(reading.roles, line.cells, strict=False):
        field_name = _FIELD_OF_ROLE.get(role)
        if field_name is None or not cell.strip():
            continue
        is_length = field_name.endswith("_m") and number_text(cell) is not None
        found[field_name] = f"{cell.strip()} {reading.unit}" if is_length else cell.strip()
        if field_name == "height_m" and (of_role := _KIND_OF_ROLE.get(role, kind)):
            found["height_kind"] = of_role
    return found


def _height_kinds(job: JobNow, marks: Sequence[GivenMark], present: Sequence[MarkNow]) -> list[Finding]:
    """Return what a list's heights say of the kind they were taken for: by the geoid here, and by the marks that are there."""
    if job.geoid_file is None or job.lies_nowhere or job.frame.datum_is_unsaid:
        return []
    given = [mark for mark in marks if mark.height_m is not None][:_MOST_HEIGHTS]
    places = np.array([_place_of(job, mark) for mark in given]).reshape(-1, 2)
    if not len(places):
        return []
    angles = job.frame.geodetic_from_grid(places[:, 0], places[:, 1])
    geoid = job.geoid
    assert geoid is not None, "the job has a geoid file"
    lifts = np.asarray(geoid.undulation_m(angles[:, 0], angles[:, 1]))
    seen = [
        HeightGiven(
            east_m=float(east), north_m=float(north), height_m=float(mark.height_m or 0.0), kind=mark.height_kind, undulation_m=float(lift)
        )
        for mark, (east, north), lift in zip(given, places, lifts, strict=True)
        if mark.height_kind is not None and np.isfinite(lift)
    ]
    known = [(mark.east_m, mark.north_m, mark.ellipsoidal_height_m) for mark in present if mark.ellipsoidal_height_m is not None]
    return judge_height_kinds(seen, known, job.length_unit)


def _place_of(job: JobNow, mark: GivenMark) -> tuple[float, float]:
    if mark.east_m is not None and mark.north_m is not None:
        return mark.east_m, mark.north_m
    east, north = job.frame.grid_from_geodetic(mark.latitude_deg or 0.0, mark.longitude_deg or 0.0)
    return float(east), float(north)


def _height_kind(text: str | None) -> HeightKind | None:
    for kind in HEIGHT_KINDS:
        if text == kind:
            return kind
    if text is None:
        return None
    raise InputError(f"'{text}' is not a kind of height; it is ellipsoidal or elevation.", field="height_kind")


def accept_control(context: Context, job_id: str, file_name: str, content: bytes, said: ListSaid) -> Accepted:
    """Store the accepted lines of a control list with the file itself; refused lines stay out and are counted."""

    def work(tx: Transaction) -> tuple[int, int]:
        job = tx.job
        reading, refusals, _ = _read(tx.session, job, content, said)
        if reading.questions:
            raise InputError(reading.questions[0], field="questions")
        marks = [line.mark for line in reading.lines if line.mark and line.number not in refusals]
        if not marks:
            raise InputError("No line of the file can be accepted, so nothing was stored. See the reasons line by line.")
        refused = len(reading.lines) - len(marks)
        file = ImportedFile(job_id=tx.job_id, name=file_name[:200], content=content, created_s=tx.now_s)
        tx.add(file)
        tx.session.add_all(row_of(mark, tx.job_id, file_name[:200], tx.now_s) for mark in marks)
        by_hand = f" {counted(len(said.lines), 'line')} mended by hand." if said.lines else ""
        tx.tell(
            "control-imported",
            f"{counted(len(marks), 'mark')} taken from {file_name}; {counted(refused, 'line')} refused.{by_hand}",
            file=file.id,
            by_hand=[f"{item.line}: {item.wish}" for item in said.lines],
            accepted=len(marks),
            refused=refused,
            height_kind=said.height_kind,
            unit=reading.unit,
        )
        return len(marks), refused

    accepted, refused = carry_out(context, job_id, work)
    return Accepted(accepted, refused)


# Writing files

FORMATS = {
    "csv": "text/csv",
    "geojson": "application/geo+json",
    "landxml": "application/xml",
    "kml": "application/vnd.google-earth.kml+xml",
    "dxf": "image/vnd.dxf",
}
ENDINGS = {"csv": "csv", "geojson": "geojson", "landxml": "xml", "kml": "kml", "dxf": "dxf"}


def export_control(context: Context, job_id: str, kind: str) -> tuple[bytes, str, str]:
    """Return the control list as a file: its content, its media type and its name."""
    if kind not in FORMATS:
        raise InputError(f"'{kind[:20]}' is not a format of a control list; it is {', '.join(FORMATS)}.")
    with context.database.read() as session:
        job = job_of(session, job_id)
        marks = [mark.placed for mark in current_marks(session, job)]
    name = job.settings.system_label or job.frame.name
    if kind == "csv":
        content: str | bytes = write_csv(marks, job.length_unit)
    elif kind == "geojson":
        content = write_geojson(marks, job.system_statement)
    elif kind == "landxml":
        content = write_landxml(marks, job.length_unit, name, job.system_statement)
    elif kind == "kml":
        content = write_kml(map(drawn_mark, marks), job.name)
    else:
        content = write_dxf([drawn_mark(mark) for mark in marks], job.length_unit, ("CONTROL", "CHECK"))
    name = f"{file_name(job.name)}-control.{ENDINGS[kind]}"
    return content if isinstance(content, bytes) else content.encode(), FORMATS[kind], name
