"""Routes of the Fit page: marks in both systems, what is chosen, the fit in use, and the fit as files."""

from __future__ import annotations

from flask import Response

from openstake.api.common import Api, as_file, content_of
from openstake.workflow import recording
from openstake.workflow.context import Context
from openstake.workflow.fit import choose, marks, out, use
from openstake.workflow.fit.view import FitView


def fit_routes(api: Api, context: Context) -> None:
    """Add the routes."""
    _choice_routes(api, context)
    _mark_routes(api, context)
    _use_routes(api, context)


def _choice_routes(api: Api, context: Context) -> None:
    @api.get("/jobs/<job_id>/fit", "fit")
    def fit_page(job_id: str) -> FitView:
        """Show the local fit: its marks, what it gives, what its data can tell, what to do next."""
        return choose.page(context, job_id)

    @api.post("/jobs/<job_id>/fit", "fit")
    def choose_fit(job_id: str, json: choose.FitRequest) -> FitView:
        """Choose models, a school, or what marks are used for."""
        return choose.choose(context, job_id, json)

    @api.post("/jobs/<job_id>/fit/undo", "fit")
    def undo_fit(job_id: str, json: choose.FitUndo) -> FitView:
        """Take the last choice back."""
        return choose.undo(context, job_id, json)

    @api.get("/jobs/<job_id>/fit/history", "fit")
    def fit_history(job_id: str) -> choose.FitHistory:
        """List what was chosen, newest first."""
        return choose.history(context, job_id)

    @api.get("/jobs/<job_id>/fit/compare", "fit")
    def compare_fits(job_id: str, query: choose.CompareQuery) -> choose.FitCompared:
        """Compare two fits of the history."""
        return choose.compare(context, job_id, query)


def _mark_routes(api: Api, context: Context) -> None:
    @api.get("/fit/form", "fit")
    def fit_form() -> marks.FitForm:
        """List the fields of a mark's local coordinate."""
        return marks.form()

    @api.post("/jobs/<job_id>/fit/marks", "fit")
    def add_fit_mark(job_id: str, json: marks.NewFitMark) -> FitView:
        """Add a mark with its local coordinate."""
        return marks.add(context, job_id, json)

    @api.post("/jobs/<job_id>/fit/marks/<line_id>", "fit")
    def change_fit_mark(job_id: str, line_id: str, json: marks.ChangeFitMark) -> FitView:
        """Correct a mark's local coordinate, or take it out; what it was stays."""
        return marks.change(context, job_id, line_id, json)

    @api.post("/jobs/<job_id>/fit/file", "fit")
    def fit_file(job_id: str, json: marks.FitFile) -> marks.FitFileRead:
        """Read a list of local coordinates; store it where that is said."""
        return marks.read_file(context, job_id, json, content_of(json.content_base64))

    @api.post("/jobs/<job_id>/fit/from-job", "fit")
    def fit_from_job(job_id: str, json: marks.FromJob) -> FitView:
        """Take the marks of another job over."""
        return marks.from_job(context, job_id, json)

    @api.post("/jobs/<job_id>/fit/record", "fit")
    def record_fit_shot(job_id: str, json: marks.FitShotRequest) -> recording.Recording:
        """Begin to record a shot on a mark of the fit."""
        return marks.record(context, job_id, json)

    @api.post("/jobs/<job_id>/fit/shots", "fit")
    def use_fit_shot(job_id: str, json: marks.FitShotUse) -> FitView:
        """Take a shot into a mark's mean, or out of it."""
        return marks.use_shot(context, job_id, json)


def _use_routes(api: Api, context: Context) -> None:
    @api.get("/jobs/<job_id>/fit/use", "fit")
    def fit_uses(job_id: str, query: use.BothQuery) -> use.FitUse:
        """List the fits that were applied, and the job's points in both systems."""
        return use.uses(context, job_id, query)

    @api.post("/jobs/<job_id>/fit/apply", "fit")
    def apply_fit(job_id: str, json: use.FitApply) -> FitView:
        """Use the fit as it is shown."""
        return use.apply(context, job_id, json)

    @api.post("/jobs/<job_id>/fit/drop", "fit")
    def drop_fit(job_id: str, json: use.FitDrop) -> FitView:
        """Use no fit any more."""
        return use.drop(context, job_id, json)

    @api.post("/jobs/<job_id>/fit/reapply", "fit")
    def reapply_fit(job_id: str, json: use.FitReapply) -> FitView:
        """Use a fit again that was applied before."""
        return use.reapply(context, job_id, json)

    @api.get("/jobs/<job_id>/fit.<kind>", "fit")
    def export_fit(job_id: str, kind: str) -> Response:
        """Return the fit as json, proj (a PROJ pipeline) or csv (residuals)."""
        return as_file(*out.export(context, job_id, kind))
