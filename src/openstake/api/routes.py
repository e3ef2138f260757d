"""All routes: each calls one function of `workflow/`.  Those of the larger pages stand in files of their own."""

from __future__ import annotations

import json
from collections.abc import Iterator
from typing import Any

from flask import Blueprint, Response, request
from spectree import SpecTree

from openstake import __version__
from openstake.api import schemas as s
from openstake.api.base import base_routes
from openstake.api.common import answers, as_file
from openstake.api.job import job_routes
from openstake.api.kit import kit_routes
from openstake.api.link import link_routes
from openstake.workflow import book, chain
from openstake.workflow.check import shots as check
from openstake.workflow.context import Context, file_name
from openstake.workflow.job import jobs as job
from openstake.workflow.practice import stand
from openstake.workflow.watch import listen as watch


def routes(spec: SpecTree, context: Context) -> Blueprint:
    """Return the API's routes over one context."""
    api = Blueprint("api", __name__, url_prefix="/api")
    started_s = context.now()

    @api.get("/health")
    @spec.validate(resp=answers(s.Health), tags=["app"])
    def health() -> Any:
        """Say that the program runs."""
        return {"status": "ok", "version": __version__, "started_s": started_s, "sessions": len(context.sessions)}

    job_routes(api, spec, context)
    kit_routes(api, spec, context)
    link_routes(api, spec, context)
    base_routes(api, spec, context)

    @api.get("/jobs/<job_id>/steps")
    @spec.validate(resp=answers(s.Steps), tags=["chain"])
    def steps(job_id: str) -> Any:
        """Say the state of each step."""
        return {"steps": chain.step_states(context, job_id)}

    @api.get("/jobs/<job_id>/watch")
    @spec.validate(resp=answers(s.WatchView), tags=["watch"])
    def watch_view(job_id: str) -> Any:
        """Show the state of the moment."""
        return watch.view(context, job_id)

    @api.get("/jobs/<job_id>/history")
    @spec.validate(resp=answers(s.History), tags=["watch"])
    def history(job_id: str, query: s.HistoryQuery) -> Any:
        """Show the fix history at one epoch a second."""
        return watch.history(context, job_id, query.seconds)

    @api.get("/jobs/<job_id>/events")
    def events(job_id: str) -> Response:
        """Stream what changes of a job: live, average, job (server-sent events)."""
        job.one_job(context, job_id)
        last = request.headers.get("Last-Event-ID", "0")
        return _event_stream(context, job_id, int(last) if last.isdigit() else 0)

    @api.post("/jobs/<job_id>/checks")
    @spec.validate(resp=answers(s.Recording), tags=["check"])
    def record_check(job_id: str, json: s.RecordCheck) -> Any:
        """Begin to record a check."""
        return check.record(context, job_id, check.CheckWish(**json.model_dump()))

    @api.delete("/jobs/<job_id>/checks/current")
    @spec.validate(resp=answers(s.Nothing), tags=["check"])
    def cancel_check(job_id: str) -> Any:
        """Drop the shot in hand."""
        check.cancel(context, job_id)
        return {"done": True}

    @api.get("/jobs/<job_id>/checks")
    @spec.validate(resp=answers(s.Checks), tags=["check"])
    def checks(job_id: str) -> Any:
        """List the checks as they stand now."""
        return {"checks": check.list_checks(context, job_id)}

    @api.get("/jobs/<job_id>/book")
    @spec.validate(resp=answers(s.BookView), tags=["book"])
    def book_view(job_id: str) -> Any:
        """Show what happened, and whether the Book is whole."""
        return {"lines": book.entries(context, job_id), "verification": book.verification(context)}

    @api.get("/jobs/<job_id>/points.csv")
    def points_csv(job_id: str) -> Response:
        """Return the points as CSV."""
        name = file_name(job.one_job(context, job_id)["name"])
        return as_file(book.points_csv(context, job_id), "text/csv", f"{name}-points.csv")

    @api.get("/jobs/<job_id>/stand")
    @spec.validate(resp=answers(s.StandView), tags=["practice"])
    def stand_view(job_id: str) -> Any:
        """Show where the stand-ins stand."""
        return stand.view(context, job_id)

    @api.post("/jobs/<job_id>/stand")
    @spec.validate(resp=answers(s.StandView), tags=["practice"])
    def move_stand(job_id: str, json: s.Stand) -> Any:
        """Walk a stand-in to a mark."""
        return stand.stand(context, job_id, json.who, json.mark_id)

    return api


def _event_stream(context: Context, job_id: str, last_id: int) -> Response:
    topics = tuple(f"{topic}:{job_id}" for topic in ("live", "average", "job"))

    def lines() -> Iterator[str]:
        yield "retry: 1000\n\n"
        for event in context.hub.stream(last_id, topics):
            if event is None:
                yield ": still here\n\n"
                continue
            name = event.topic.partition(":")[0]
            yield f"id: {event.id}\nevent: {name}\ndata: {json.dumps(event.payload)}\n\n"

    return Response(
        lines(), mimetype="text/event-stream", headers={"Cache-Control": "no-store", "X-Accel-Buffering": "no"}
    )
