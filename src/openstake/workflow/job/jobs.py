"""Jobs: made, copied as a template, archived, found, and their settings changed.  No setting is overwritten."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from sqlalchemy.orm import Session

from openstake.core.errors import ConflictError, FrameError, InputError
from openstake.core.geodesy.datums import DatumKind
from openstake.core.geodesy.framechange import epoch_year
from openstake.core.geodesy.frames import Anchor, Ground, job_frame, may_be_gnss
from openstake.core.geodesy.systems import unit_of_system
from openstake.core.limits import HEIGHTS_AGREE_M, WIDEST_HEIGHTS_AGREE_M, ShortText
from openstake.core.units import METRES_PER_UNIT, UNIT_WORDS, LengthUnit, metres_in_field
from openstake.derive.job import JobNow, job_of, jobs_of
from openstake.derive.marks import current_places, given_of, middle_of, row_of
from openstake.store.book import lost_race
from openstake.store.jsoncolumn import write_frame
from openstake.store.models import GeoidGridFile, Job, JobProfile, JobSettings
from openstake.store.records.bases import open_occupation
from openstake.store.records.jobs import jobs_named
from openstake.store.records.kits import chosen_lines
from openstake.store.records.marks import count_marks, current_rows
from openstake.workflow.command import OF_NO_JOB, Transaction, carry_out
from openstake.workflow.context import Context
from openstake.workflow.job.system import definition_of, ground_of, place_of, with_operation
from openstake.workflow.settings import SETTINGS_COLUMNS, SETTINGS_WORDS, store_settings, values_of
from openstake.workflow.trial import prove_system

LONGEST = {
    "name": 200,
    "client": 200,
    "task": 200,
    "crew": 200,
    "notes": 10_000,
    "vertical_system": 200,
    "frame_name": 200,
    "system_label": 200,
}
_NOT_TEXT = ("archived", "geoid_id", "project_height_m", "place_latitude_deg", "place_longitude_deg", "height_limit_m")


@dataclass(frozen=True, kw_only=True)
class JobView:
    """A job and its settings; of a system that cannot be used any more only `problem` says what it was."""

    id: str
    settings_id: str
    name: str
    archived: bool
    client: str
    task: str
    crew: str
    time_zone: str
    notes: str
    practice: bool
    created_s: float
    length_unit: LengthUnit
    length_unit_word: str
    system_code: int | None
    system_name: str
    datum: str
    area: str
    system_unit: str | None
    is_local: bool
    anchored: bool
    anchor: Anchor | None
    definition: str
    operation: str | None
    datum_kind: DatumKind
    datum_is_unsaid: bool
    may_be_gnss: bool
    ground: Ground | None
    frame_name: str
    frame_epoch: str
    vertical_system: str
    geoid_id: str | None
    project_height_m: float | None
    height_limit_m: float
    place_latitude_deg: float | None
    place_longitude_deg: float | None
    problem: str
    marks: int


@dataclass(frozen=True)
class JobsQuery:
    """Words that a job must hold; those put away, or the others."""

    text: ShortText = ""
    archived: bool = False


@dataclass(frozen=True)
class Jobs:
    """Jobs of the data folder, oldest first."""

    jobs: list[JobView]


@dataclass(frozen=True)
class CopyJob:
    """The name of a job that takes another as its template, with or without its control list."""

    name: ShortText
    with_control: bool = False


def create_job(context: Context, name: str, system: Mapping[str, Any], unit: str, practice: bool = False, **more: Any) -> JobView:
    """Make a job and return it; its name must be new, its system one we can work in."""
    _prove_system(system)

    def work(tx: Transaction) -> JobNow:
        empty = {column: "" for column in SETTINGS_COLUMNS if column not in _NOT_TEXT} | {
            "archived": False,
            "time_zone": "UTC",
            "height_limit_m": HEIGHTS_AGREE_M,
        }
        values = _changed(tx.session, None, empty, {"name": name, "system": system, "length_unit": unit} | more)
        return _store_new(tx, values, practice, "")

    job = carry_out(context, OF_NO_JOB, work)
    return job_view(job, 0)


def _prove_system(request: Any) -> None:
    """Try a text of a system in a process of its own, before anything waits for the one that writes."""
    if isinstance(request, Mapping) and request.get("kind") == "text":
        prove_system(str(request.get("text") or "").strip())


def _store_new(tx: Transaction, values: dict[str, Any], practice: bool, origin: str) -> JobNow:
    job = tx.add(Job(practice=practice, created_s=tx.now_s))
    tx.add(JobSettings(job_id=job.id, created_s=tx.now_s, **values))
    made = job_of(tx.session, job.id)
    code = f" (EPSG:{made.frame.code})" if made.frame.code else ""
    tx.of(job.id).tell(
        "job-made",
        f"Job {made.name} made{origin} in {made.settings.system_label or made.frame.name}{code}, {UNIT_WORDS[made.length_unit]}.",
        settings=made.settings.id,
        frame=write_frame(values["frame"]),
        length_unit=made.length_unit,
    )
    return made


def _holds(settings: JobSettings, wished: Mapping[str, Any]) -> str:
    """Return what settings hold of what somebody wants to change, where that is a word or a number."""
    known = {name: getattr(settings, name) for name in wished if name in SETTINGS_WORDS and name not in ("geoid_id", "frame")}
    said = ", ".join(f"{SETTINGS_WORDS[name]} is {'empty' if value in (None, '') else value}" for name, value in known.items())
    return f"{said}." if said else ""


def change_settings(context: Context, job_id: str, replaces_id: str, changes: Mapping[str, Any]) -> JobView:
    """Add settings that replace the present ones; every coordinate follows.  Only what is given changes."""
    _prove_system(changes.get("system"))

    def work(tx: Transaction) -> JobNow:
        job = tx.job
        if job.settings.id != replaces_id:
            raise lost_race(tx.session, "The settings have been changed", job.settings, _holds(job.settings, changes))
        if changes.get("archived") and open_occupation(tx.session, tx.job_id):
            raise ConflictError("A base is running in this job. End it before putting the job away.")
        before = values_of(job.settings)
        values = _changed(tx.session, job, before, changes)
        store_settings(tx, before, values)
        return job_of(tx.session, job_id)

    job = carry_out(context, job_id, work)
    with context.database.read() as session:
        return job_view(job, count_marks(session, job_id).get(job_id, 0))


def _changed(session: Session, job: JobNow | None, before: dict[str, Any], changes: Mapping[str, Any]) -> dict[str, Any]:
    """Return the settings with what a person typed put in; a sentence where it cannot be."""
    values = before | {name: None for name in _NOT_TEXT if name not in before}
    _change_texts(values, changes)
    _check_name(session, job, values["name"])
    _change_unit(values, changes)
    _change_times(values, changes)
    _change_lengths(values, changes)
    if {"latitude", "longitude"} & set(changes):
        place = place_of(str(changes.get("latitude") or ""), str(changes.get("longitude") or ""))
        values["place_latitude_deg"], values["place_longitude_deg"] = place or (None, None)
    if "archived" in changes:
        values["archived"] = bool(changes["archived"])
    if "geoid_id" in changes:
        if changes["geoid_id"] is not None and session.get(GeoidGridFile, changes["geoid_id"]) is None:
            raise InputError("This geoid grid is not in the data folder. Add it first.", field="geoid_id")
        values["geoid_id"] = changes["geoid_id"]
    _change_frame(session, job, values, changes)
    return values


def _change_texts(values: dict[str, Any], changes: Mapping[str, Any]) -> None:
    for name, most in LONGEST.items():
        if name in changes:
            text = str(changes[name] or "").strip()
            values[name] = text if name == "notes" else " ".join(text.split())
            if len(values[name]) > most:
                raise InputError(f"The {SETTINGS_WORDS[name]} has at most {most} characters.", field=name)


def _change_unit(values: dict[str, Any], changes: Mapping[str, Any]) -> None:
    if "length_unit" in changes:
        values["length_unit"] = changes["length_unit"]
    unit = values["length_unit"]
    if unit not in METRES_PER_UNIT:
        raise InputError(f"'{unit}' is not a length unit of a job; it is m, ft or sft.", field="length_unit")


def _change_times(values: dict[str, Any], changes: Mapping[str, Any]) -> None:
    if "time_zone" in changes:
        values["time_zone"] = _time_zone(str(changes["time_zone"]))
    if "frame_epoch" in changes:
        epoch_year(str(changes["frame_epoch"] or ""))
        values["frame_epoch"] = str(changes["frame_epoch"] or "").strip()


def _change_lengths(values: dict[str, Any], changes: Mapping[str, Any]) -> None:
    unit = values["length_unit"]
    if "project_height" in changes:
        values["project_height_m"] = _length(changes, "project_height", unit)
    if "height_limit" in changes:
        limit_m = _length(changes, "height_limit", unit) or HEIGHTS_AGREE_M
        if not 0.0 < limit_m <= WIDEST_HEIGHTS_AGREE_M:
            raise InputError("Readings of one height may differ by more than 0 and at most 0.1 m.", field="height_limit")
        values["height_limit_m"] = limit_m


def _length(changes: Mapping[str, Any], field: str, unit: str) -> float | None:
    """Return a length as typed in metres, None where nothing is typed."""
    return metres_in_field(str(changes[field] or ""), unit, field)


def _change_frame(session: Session, job: JobNow | None, values: dict[str, Any], changes: Mapping[str, Any]) -> None:
    """Put the system, ground distances and datum operation in; another system drops what belonged to the one before."""
    if changes.get("system") is not None:
        definition, label = definition_of(changes["system"], values["length_unit"])
        values["system_label"] = label
    elif job is not None:
        definition = job.frame.definition
    else:
        raise InputError("Choose a coordinate system, or an assumed local one.", field="system")
    if "ground" in changes:
        request = changes["ground"]
        definition = replace(definition, ground=ground_of(request, values["length_unit"]) if request else None)
    if "operation" in changes:
        request = changes["operation"]
        place = _typed_place(values) if job is None else middle_of(job, current_places(session, job)[0])
        definition = with_operation(request, definition, place, values["frame_epoch"])
    job_frame(definition)
    values["frame"] = definition


def _typed_place(values: Mapping[str, Any]) -> tuple[float, float] | None:
    latitude, longitude = values["place_latitude_deg"], values["place_longitude_deg"]
    return None if latitude is None or longitude is None else (latitude, longitude)


def _check_name(session: Session, job: JobNow | None, name: str) -> None:
    if not name:
        raise InputError("A job needs a name.", field="name")
    if any(job is None or job_id != job.id for job_id in jobs_named(session, name)):
        raise ConflictError(f"A job named {name} exists already. Open it, or choose another name.", field="name")


def _time_zone(name: str) -> str:
    try:
        ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError, OSError):
        raise InputError(f"'{name[:40]}' is not a time zone. Type one such as Europe/Dublin, or UTC.", field="time_zone") from None
    return name


def copy_job(context: Context, job_id: str, request: CopyJob) -> JobView:
    """Make a new job with another's settings and profiles, and its control list where that is wished."""

    def work(tx: Transaction) -> JobNow:
        # The copy is a job of its own: no time was let pass in it.
        pattern = job_of(tx.session, job_id)
        values = values_of(pattern.settings)
        values |= {"name": " ".join(request.name.split())[:200], "archived": False}
        _check_name(tx.session, None, values["name"])
        made = _store_new(tx, values, pattern.practice, f" after {pattern.name}")
        for line_id in chosen_lines(tx.session, job_id):
            tx.add(JobProfile(job_id=made.id, line_id=line_id, chosen=True, created_s=tx.now_s))
        if request.with_control:
            tx.session.add_all(row_of(given_of(mark), made.id, mark.source, tx.now_s) for mark in current_rows(tx.session, job_id))
        return made

    job = carry_out(context, OF_NO_JOB, work)
    with context.database.read() as session:
        return job_view(job, count_marks(session, job.id).get(job.id, 0))


def job_view(job: JobNow, marks: int) -> JobView:
    """Return a job for the pages; `marks` is how many its list holds."""
    settings = job.settings
    bare = JobView(
        id=job.id,
        settings_id=settings.id,
        name=settings.name,
        archived=settings.archived,
        client=settings.client,
        task=settings.task,
        crew=settings.crew,
        time_zone=settings.time_zone,
        notes=settings.notes,
        practice=job.practice,
        created_s=job.created_s,
        length_unit=job.length_unit,
        length_unit_word=UNIT_WORDS[job.length_unit],
        system_code=None,
        system_name=settings.system_label,
        datum="",
        area="",
        system_unit=None,
        is_local=False,
        anchored=False,
        anchor=None,
        definition="",
        operation=None,
        datum_kind=DatumKind.ASSUMED,
        datum_is_unsaid=False,
        may_be_gnss=False,
        ground=None,
        frame_name=settings.frame_name,
        frame_epoch=settings.frame_epoch,
        vertical_system=settings.vertical_system,
        geoid_id=settings.geoid_id,
        project_height_m=settings.project_height_m,
        height_limit_m=settings.height_limit_m,
        place_latitude_deg=settings.place_latitude_deg,
        place_longitude_deg=settings.place_longitude_deg,
        problem="",
        marks=marks,
    )
    try:
        frame = job.frame
    except FrameError as error:
        return replace(bare, problem=error.sentence)
    definition = frame.definition
    return replace(
        bare,
        system_code=frame.code,
        system_name=settings.system_label or frame.name,
        datum=frame.datum,
        area=frame.area.name if frame.area else "",
        is_local=frame.is_local,
        anchored=definition.anchor is not None,
        system_unit=None if frame.is_local else unit_of_system(definition.system),
        definition=definition.system,
        anchor=definition.anchor,
        ground=definition.ground,
        operation=definition.operation.name if definition.operation else None,
        datum_kind=frame.datum_kind,
        datum_is_unsaid=frame.datum_is_unsaid,
        may_be_gnss=may_be_gnss(definition.system),
    )


def list_jobs(context: Context, query: JobsQuery) -> Jobs:
    """Return the jobs whose name, client, task, crew or notes hold every word; those put away only where asked."""
    words = query.text.lower().split()
    with context.database.read() as session:
        jobs = jobs_of(session)
        counts = count_marks(session)
    found = []
    for job in jobs:
        settings = job.settings
        haystack = " ".join((settings.name, settings.client, settings.task, settings.crew, settings.notes)).lower()
        if settings.archived == query.archived and all(word in haystack for word in words):
            found.append(job_view(job, counts.get(job.id, 0)))
    return Jobs(found)


def one_job(context: Context, job_id: str) -> JobView:
    with context.database.read() as session:
        return job_view(job_of(session, job_id), count_marks(session, job_id).get(job_id, 0))
