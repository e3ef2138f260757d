"""Routes of the Job page: systems, geoid grids, jobs and their settings, the control list, the plan."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response, request
from spectree import SpecTree

from openstake.api import schemas as s
from openstake.api.common import answers, as_file, content_of
from openstake.core.units import metres_from_text, text_from_metres
from openstake.workflow.context import Context
from openstake.workflow.job import control, plan, system
from openstake.workflow.job import jobs as job


def job_routes(api: Blueprint, spec: SpecTree, context: Context) -> None:
    """Add the routes."""

    @api.get("/systems")
    @spec.validate(resp=answers(s.Systems), tags=["job"])
    def find_systems(query: s.SystemQuery) -> Any:
        """Find coordinate systems by part of a name, a place, an EPSG code, or latitude and longitude."""
        return {"systems": system.find_systems(query.text, query.latitude, query.longitude)}

    @api.get("/verticals")
    @spec.validate(resp=answers(s.Systems), tags=["job"])
    def find_verticals(query: s.SystemQuery) -> Any:
        """Find vertical systems: what elevations are counted from."""
        return {"systems": system.find_verticals(query.text, query.latitude, query.longitude)}

    @api.get("/systems/forms")
    @spec.validate(resp=answers(s.SystemForms), tags=["job"])
    def system_forms() -> Any:
        """List the fields of a projection of one's own, a datum shift, ground distances, and a mark."""
        return system.forms() | {"mark": control.mark_form()}

    @api.post("/systems/try")
    @spec.validate(resp=answers(s.TriedSystem), tags=["job"])
    def try_system(json: s.TrySystem) -> Any:
        """Say what a system is and where the job's marks would fall in it; store nothing."""
        return system.try_system(
            context, json.job_id, json.system.model_dump(), json.length_unit, json.latitude, json.longitude
        )

    @api.get("/length")
    @spec.validate(resp=answers(s.Length), tags=["job"])
    def length(query: s.LengthQuery) -> Any:
        """Read a length while it is being typed; a bare number is in the unit given."""
        metres = metres_from_text(query.text, query.length_unit)
        return {"metres": metres, "words": text_from_metres(metres, "m")}

    @api.get("/geoids")
    @spec.validate(resp=answers(s.Geoids), tags=["job"])
    def list_geoids() -> Any:
        """List the geoid grids with area and resolution."""
        return {"geoids": system.list_geoids(context)}

    @api.post("/geoids")
    @spec.validate(resp=answers(s.Geoid), tags=["job"])
    def add_geoid(query: s.GeoidQuery) -> Any:
        """Add a geoid grid: the body is the .gtx or GeoTIFF file, its name is in the query."""
        request.max_content_length = system.MOST_GRID_BYTES + 1
        return system.add_geoid(context, query.name, request.stream)

    @api.get("/jobs")
    @spec.validate(resp=answers(s.Jobs), tags=["job"])
    def list_jobs(query: s.JobsQuery) -> Any:
        """List the jobs that hold the words, or those put away."""
        return {"jobs": job.list_jobs(context, query.text, query.archived)}

    @api.post("/jobs")
    @spec.validate(resp=answers(s.Job), tags=["job"])
    def create_job(json: s.NewJob) -> Any:
        """Make a job."""
        wish = json.model_dump(exclude_unset=True)
        return job.create_job(context, wish.pop("name"), wish.pop("system"), wish.pop("length_unit"), **wish)

    @api.get("/jobs/<job_id>")
    @spec.validate(resp=answers(s.Job), tags=["job"])
    def one_job(job_id: str) -> Any:
        """Open a job."""
        return job.one_job(context, job_id)

    @api.post("/jobs/<job_id>/settings")
    @spec.validate(resp=answers(s.Job), tags=["job"])
    def change_job(job_id: str, json: s.ChangeJob) -> Any:
        """Change settings; every coordinate follows, and what was set before stays in the Book."""
        return job.change_settings(context, job_id, json.replaces_id, json.changes.model_dump(exclude_unset=True))

    @api.post("/jobs/<job_id>/copy")
    @spec.validate(resp=answers(s.Job), tags=["job"])
    def copy_job(job_id: str, json: s.CopyJob) -> Any:
        """Make a new job with the settings and profiles of this one."""
        return job.copy_job(context, job_id, json.name, json.with_control)

    @api.get("/jobs/<job_id>/system")
    @spec.validate(resp=answers(s.SystemView), tags=["job"])
    def system_view(job_id: str) -> Any:
        """Show scale, convergence and factors at the job's middle, and what is to be said of its settings."""
        return system.system_view(context, job_id)

    @api.get("/jobs/<job_id>/operations")
    @spec.validate(resp=answers(s.Operations), tags=["job"])
    def operations(job_id: str, query: s.OperationsQuery) -> Any:
        """List the datum operations from a frame of positions into the job's datum."""
        return system.operations_view(context, job_id, query.source)

    @api.get("/jobs/<job_id>/marks")
    @spec.validate(resp=answers(s.Marks), tags=["job"])
    def marks(job_id: str, query: s.MarksQuery) -> Any:
        """List the control marks that hold a text, or those taken out."""
        return control.list_marks(context, job_id, query.text, query.withdrawn)

    @api.post("/jobs/<job_id>/marks")
    @spec.validate(resp=answers(s.Mark), tags=["job"])
    def add_mark(job_id: str, json: s.NewMark) -> Any:
        """Add a mark by hand."""
        return control.add_mark(context, job_id, json.values)

    @api.post("/jobs/<job_id>/marks/<mark_id>")
    @spec.validate(resp=answers(s.Mark), tags=["job"])
    def change_mark(job_id: str, mark_id: str, json: s.ChangeMark) -> Any:
        """Correct a mark, take it out or bring it back; what it was stays."""
        return control.correct_mark(context, job_id, mark_id, json.values, json.reason, json.withdraw)

    @api.get("/jobs/<job_id>/marks/<mark_id>")
    @spec.validate(resp=answers(s.MarkVersions), tags=["job"])
    def mark_versions(job_id: str, mark_id: str) -> Any:
        """Show what a mark was, newest first."""
        return {"versions": control.mark_history(context, job_id, mark_id)}

    @api.get("/jobs/<job_id>/between")
    @spec.validate(resp=answers(s.Between), tags=["job"])
    def between(job_id: str, query: s.BetweenQuery) -> Any:
        """Give distance and bearing from one mark to another."""
        return control.between(context, job_id, query.from_id, query.to_id)

    @api.get("/jobs/<job_id>/plan")
    @spec.validate(resp=answers(s.Plan), tags=["job"])
    def plan_view(job_id: str) -> Any:
        """Show the site plan."""
        return plan.view(context, job_id)

    @api.post("/jobs/<job_id>/control/preview")
    @spec.validate(resp=answers(s.ControlPreview), tags=["job"])
    def preview_control(job_id: str, json: s.ControlFile) -> Any:
        """Say how a control list would be read; store nothing."""
        content = content_of(json.content_base64)
        return control.preview_control(context, job_id, content, json.unit, json.roles, json.height_kind)

    @api.post("/jobs/<job_id>/control/accept")
    @spec.validate(resp=answers(s.Accepted), tags=["job"])
    def accept_control(job_id: str, json: s.ControlFile) -> Any:
        """Store a control list as previewed."""
        content = content_of(json.content_base64)
        return control.accept_control(context, job_id, json.name, content, json.unit, json.roles, json.height_kind)

    @api.get("/jobs/<job_id>/control.<kind>")
    def export_control(job_id: str, kind: str) -> Response:
        """Return the control list as csv, geojson, landxml, kml or dxf."""
        return as_file(*control.export_control(context, job_id, kind))
