"""Routes of the Job page: systems, geoid grids, jobs and their settings, the control list, the plan."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Annotated, Any

from annotated_types import MaxLen
from flask import Response, request
from pydantic import BaseModel

from openstake.api.common import Api, as_file, content_of
from openstake.core.limits import ShortText
from openstake.core.mark import HeightKind
from openstake.core.units import LengthUnit, metres_from_text, text_from_metres
from openstake.workflow.context import Context
from openstake.workflow.job import control, control_files, control_take, datum_grids, geoids, jobs, plan, system
from openstake.workflow.job.drafts import MOST_GRID_BYTES
from openstake.workflow.job.system import SystemRequest

Typed = dict[str, Any]


class JobChanges(BaseModel):
    """What is to change; what is left out stays.  Lengths and angles as typed."""

    name: ShortText | None = None
    client: ShortText | None = None
    task: ShortText | None = None
    crew: ShortText | None = None
    time_zone: ShortText | None = None
    notes: Annotated[str, MaxLen(10_000)] | None = None
    length_unit: LengthUnit | None = None
    system: SystemRequest | None = None
    ground: Typed | None = None
    operation: Typed | None = None
    frame_name: ShortText | None = None
    frame_epoch: ShortText | None = None
    vertical_system: ShortText | None = None
    geoid_id: ShortText | None = None
    project_height: ShortText | None = None
    height_limit: ShortText | None = None
    latitude: ShortText | None = None
    longitude: ShortText | None = None
    archived: bool | None = None


class NewJob(JobChanges):
    """A job to make: its name, unit and system, and any other setting."""

    name: ShortText
    length_unit: LengthUnit
    system: SystemRequest


class ChangeJob(BaseModel):
    """Changes of the settings that `replaces_id` names."""

    replaces_id: ShortText
    changes: JobChanges


@dataclass(frozen=True)
class LengthQuery:
    """A length as it is being typed; a bare number is in the unit given."""

    text: ShortText
    length_unit: LengthUnit = "m"


@dataclass(frozen=True)
class Length:
    """A length as typed: what is stored, and in words."""

    metres: float
    words: str


@dataclass(frozen=True)
class GeoidQuery:
    """The name of a geoid grid that is sent."""

    name: ShortText = ""


@dataclass(frozen=True)
class DatumGridQuery:
    """The name of a grid as datum operations ask for it."""

    name: ShortText


@dataclass(frozen=True, kw_only=True)
class ControlFile:
    """A control list, base64, with what a person has said about it so far."""

    name: ShortText
    content_base64: str
    unit: LengthUnit | None = None
    roles: list[str] | None = None
    height_kind: HeightKind | None = None
    lines: list[control_files.LineSaid] = field(default_factory=list)

    @property
    def said(self) -> control_files.ListSaid:
        return control_files.ListSaid(unit=self.unit, roles=self.roles, height_kind=self.height_kind, lines=self.lines)


def job_routes(api: Api, context: Context) -> None:
    """Add the routes."""
    _system_routes(api, context)
    _jobs_routes(api, context)
    _control_routes(api, context)
    _file_routes(api, context)


def _system_routes(api: Api, context: Context) -> None:
    @api.get("/systems", "job")
    def find_systems(query: system.SystemQuery) -> system.Systems:
        """Find coordinate systems by part of a name, a place, an EPSG code, or latitude and longitude."""
        return system.find_systems(query)

    @api.get("/verticals", "job")
    def find_verticals(query: system.SystemQuery) -> system.Systems:
        """Find vertical systems: what elevations are counted from."""
        return system.find_verticals(query)

    @api.get("/systems/forms", "job")
    def system_forms() -> system.SystemForms:
        """List the fields of a projection of one's own, a datum shift, ground distances, and a mark."""
        return system.forms()

    @api.post("/systems/try", "job")
    def try_system(json: system.TrySystem) -> system.TriedSystem:
        """Say what a system is and where the job's marks would fall in it; store nothing."""
        return system.try_system(context, json)

    @api.get("/length", "job")
    def length(query: LengthQuery) -> Length:
        """Read a length while it is being typed; a bare number is in the unit given."""
        metres = metres_from_text(query.text, query.length_unit)
        return Length(metres, text_from_metres(metres, "m"))

    @api.get("/geoids", "job")
    def list_geoids() -> geoids.Geoids:
        """List the geoid grids with area and resolution."""
        return geoids.list_geoids(context)

    @api.post("/geoids", "job")
    def add_geoid(query: GeoidQuery) -> geoids.Geoid:
        """Add a geoid grid: the body is the .gtx or GeoTIFF file, its name is in the query."""
        request.max_content_length = MOST_GRID_BYTES + 1
        return geoids.add_geoid(context, query.name, request.stream)

    @api.post("/datum-grids", "job")
    def add_datum_grid(query: DatumGridQuery) -> datum_grids.DatumGrid:
        """Bring in the grid of a datum operation: the body is the file, the query the name that the operation asks for it by."""
        request.max_content_length = MOST_GRID_BYTES + 1
        return datum_grids.add_datum_grid(context, query.name, request.stream)


def _jobs_routes(api: Api, context: Context) -> None:
    @api.get("/jobs", "job")
    def list_jobs(query: jobs.JobsQuery) -> jobs.Jobs:
        """List the jobs that hold the words, or those put away."""
        return jobs.list_jobs(context, query)

    @api.post("/jobs", "job")
    def create_job(json: NewJob) -> jobs.JobView:
        """Make a job."""
        request = json.model_dump(exclude_unset=True)
        return jobs.create_job(context, request.pop("name"), request.pop("system"), request.pop("length_unit"), **request)

    @api.get("/jobs/<job_id>", "job")
    def one_job(job_id: str) -> jobs.JobView:
        """Open a job."""
        return jobs.one_job(context, job_id)

    @api.post("/jobs/<job_id>/settings", "job")
    def change_job(job_id: str, json: ChangeJob) -> jobs.JobView:
        """Change settings; every coordinate follows, and what was set before stays in the Book."""
        return jobs.change_settings(context, job_id, json.replaces_id, json.changes.model_dump(exclude_unset=True))

    @api.post("/jobs/<job_id>/copy", "job")
    def copy_job(job_id: str, json: jobs.CopyJob) -> jobs.JobView:
        """Make a new job with the settings and profiles of this one."""
        return jobs.copy_job(context, job_id, json)

    @api.get("/jobs/<job_id>/system", "job")
    def system_view(job_id: str) -> system.SystemView:
        """Show scale, convergence and factors at the job's middle, and what is to be said of its settings."""
        return system.system_view(context, job_id)

    @api.get("/jobs/<job_id>/operations", "job")
    def operations(job_id: str, query: system.OperationsQuery) -> system.Operations:
        """List the datum operations from a frame of positions into the job's datum."""
        return system.operations_view(context, job_id, query.source)


def _control_routes(api: Api, context: Context) -> None:
    @api.get("/jobs/<job_id>/marks", "job")
    def marks(job_id: str, query: control.MarksQuery) -> control.Marks:
        """List the control marks that hold a text, or those taken out."""
        return control.list_marks(context, job_id, query)

    @api.post("/jobs/<job_id>/marks", "job")
    def add_mark(job_id: str, json: control.NewMark) -> control.MarkView:
        """Add a mark by hand."""
        return control.add_mark(context, job_id, json)

    @api.post("/jobs/<job_id>/marks/<mark_id>", "job")
    def change_mark(job_id: str, mark_id: str, json: control.ChangeMark) -> control.MarkView:
        """Correct a mark, take it out or bring it back; what it was stays."""
        return control.correct_mark(context, job_id, mark_id, json)

    @api.get("/jobs/<job_id>/marks/<mark_id>", "job")
    def mark_versions(job_id: str, mark_id: str) -> control.MarkVersions:
        """Show what a mark was, newest first."""
        return control.mark_history(context, job_id, mark_id)

    @api.get("/jobs/<job_id>/between", "job")
    def between(job_id: str, query: control.BetweenQuery) -> control.Between:
        """Give distance and bearing from one mark to another."""
        return control.between(context, job_id, query)

    @api.get("/jobs/<job_id>/plan", "job")
    def plan_view(job_id: str, query: plan.PlanQuery) -> plan.Plan:
        """Show the site plan, its points page by page."""
        return plan.view(context, job_id, query)


def _file_routes(api: Api, context: Context) -> None:
    @api.post("/jobs/<job_id>/control/preview", "job")
    def preview_control(job_id: str, json: ControlFile) -> control_files.ControlPreview:
        """Say how a control list would be read; store nothing."""
        return control_files.preview_control(context, job_id, content_of(json.content_base64), json.said)

    @api.post("/jobs/<job_id>/control/accept", "job")
    def accept_control(job_id: str, json: ControlFile) -> control_files.Accepted:
        """Store a control list as previewed."""
        content = content_of(json.content_base64)
        return control_files.accept_control(context, job_id, json.name, content, json.said)

    @api.post("/jobs/<job_id>/control/take-over", "job")
    def take_over(job_id: str, json: control_take.TakeOver) -> control_files.Accepted:
        """Take the control list, or the points, of another job over."""
        return control_take.take_over(context, job_id, json)

    @api.get("/jobs/<job_id>/control.<kind>", "job")
    def export_control(job_id: str, kind: str) -> Response:
        """Return the control list as csv, geojson, landxml, kml or dxf."""
        return as_file(*control_files.export_control(context, job_id, kind))
