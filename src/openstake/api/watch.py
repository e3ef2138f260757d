"""Routes of the Watch page: the state of the moment, its history, and the events that browsers listen to."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import get_type_hints

from flask import Response, request

from openstake.api.common import Api, written
from openstake.workflow.context import Context, JobChanged
from openstake.workflow.job.jobs import one_job
from openstake.workflow.now.averages import AverageView
from openstake.workflow.watch import history as histories
from openstake.workflow.watch import live as moment
from openstake.workflow.watch.live import Live


@dataclass(frozen=True)
class Events:
    """What the event stream of a job sends: each event by its name, its data as here.  None: it is over."""

    live: Live | None
    average: AverageView | None
    job: JobChanged


_SHAPES = get_type_hints(Events)


def watch_routes(api: Api, context: Context) -> None:
    """Add the routes."""

    @api.get("/jobs/<job_id>/watch", "watch")
    def watch_view(job_id: str) -> moment.WatchView:
        """Show the state of the moment."""
        return moment.view(context, job_id)

    @api.get("/jobs/<job_id>/history", "watch")
    def history(job_id: str, query: histories.HistoryQuery) -> histories.History:
        """Show the fix history: runs of one solution, the worst of everything in each slice of time."""
        return histories.history(context, job_id, query)

    @api.get("/jobs/<job_id>/events", "watch", said=Events)
    def events(job_id: str) -> Response:
        """Stream what changes of a job: live, average, job (server-sent events)."""
        one_job(context, job_id)
        last = request.headers.get("Last-Event-ID", "0")
        return _event_stream(context, job_id, int(last) if last.isdigit() else 0)


def _event_stream(context: Context, job_id: str, last_id: int) -> Response:
    topics = tuple(f"{topic}:{job_id}" for topic in _SHAPES)

    client = context.hub.enter(f"{request.remote_addr} {request.user_agent.string}")

    def lines() -> Iterator[bytes]:
        yield b"retry: 1000\n\n"
        try:
            for event in context.hub.stream(last_id, topics, client):
                if event is None:
                    yield b": still here\n\n"
                    continue
                name = event.topic.partition(":")[0]
                yield (
                    f"id: {event.id}\nevent: {name}\ndata: ".encode() + written(_SHAPES[name], event.payload) + b"\n\n"
                )
            if client.over:
                # A newer page has taken its place: it is asked again later, not at once.
                yield b"retry: 60000\n\n"
        finally:
            context.hub.leave(client)

    response = Response(
        lines(), mimetype="text/event-stream", headers={"Cache-Control": "no-store", "X-Accel-Buffering": "no"}
    )
    response.call_on_close(lambda: context.hub.leave(client))
    return response
