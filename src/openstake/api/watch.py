"""Routes of the Watch page: the moment, the instrument, the history, points, the way to a mark, closing, and the events."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import get_type_hints

from flask import Response, g, request

from openstake.api.common import Api, Nothing, written
from openstake.live.clock import HOST_CLOCK
from openstake.live.hub import HEARTBEAT_S
from openstake.workflow import closing, handover, moment, recording
from openstake.workflow.base.average import AverageView
from openstake.workflow.context import Context, JobChanged
from openstake.workflow.job.jobs import one_job
from openstake.workflow.moment import Live
from openstake.workflow.photos import PhotoQuery
from openstake.workflow.ticks import TickRequest
from openstake.workflow.watch import devices, goto, heights, instrument, kinds, points, record, rovers
from openstake.workflow.watch import history as histories


@dataclass(frozen=True)
class Beat:
    """The program is there; its time."""

    now_s: float


@dataclass(frozen=True, kw_only=True)
class Events:
    """What the event stream of a job sends: each event by its name, its data as here.  None: it is over.

    `live` holds one moment of each rover, the first rover's first.  `beat` comes at least every two seconds.
    """

    live: list[Live] | None
    average: AverageView | None
    job: JobChanged
    beat: Beat


_SHAPES = get_type_hints(Events)


def watch_routes(api: Api, context: Context) -> None:
    """Add the routes."""
    _moment_routes(api, context)
    _rover_routes(api, context)
    _point_routes(api, context)
    _height_routes(api, context)
    _closing_routes(api, context)


def _moment_routes(api: Api, context: Context) -> None:
    @api.get("/jobs/<job_id>/watch", "watch")
    def watch_view(job_id: str, query: moment.WatchQuery) -> moment.WatchView:
        """Show the state of the moment of a rover."""
        return moment.view(context, job_id, query)

    @api.get("/jobs/<job_id>/instrument", "watch")
    def instrument_view(job_id: str, query: instrument.InstrumentQuery) -> instrument.InstrumentView:
        """Show link quality, fix, claim beside evidence and sky of a rover, and all rovers on this base."""
        return instrument.view(context, job_id, query)

    @api.get("/jobs/<job_id>/history", "watch")
    def history(job_id: str, query: histories.HistoryQuery) -> histories.History:
        """Show the fix history: runs of one solution, the worst of everything in each slice of time, and events."""
        return histories.history(context, job_id, query)

    @api.get("/jobs/<job_id>/goto", "watch")
    def go_to(job_id: str, query: goto.GoToQuery) -> goto.GoTo:
        """Show the way from the pole to a mark."""
        return goto.go_to(context, job_id, query)

    @api.get("/jobs/<job_id>/events", "watch", said=Events)
    def events(job_id: str) -> Response:
        """Stream what changes of a job: live, average, job (server-sent events)."""
        one_job(context, job_id)
        last = request.headers.get("Last-Event-ID", "0")
        return _event_stream(context, job_id, int(last) if last.isdigit() else 0)


def _rover_routes(api: Api, context: Context) -> None:
    @api.get("/ports", "watch")
    def ports() -> devices.Ports:
        """List the serial ports of this machine, and how addresses are written."""
        return devices.ports()

    @api.post("/jobs/<job_id>/rovers", "watch")
    def add_rover(job_id: str, json: rovers.NewRover) -> rovers.RoverNamed:
        """Listen to one more rover on the base that runs."""
        return rovers.add_rover(context, job_id, json)

    @api.post("/jobs/<job_id>/rovers/drop", "watch")
    def drop_rover(job_id: str, json: rovers.RoverNamed) -> Nothing:
        """Listen to a further rover no more."""
        rovers.drop_rover(context, job_id, json)
        return Nothing()

    @api.post("/jobs/<job_id>/rovers/initialise", "watch")
    def initialise_anew(job_id: str, json: rovers.RoverNamed) -> rovers.InitialiseSaid:
        """Initialise a rover anew: a stand-in does it, a crew is told how; both fixes are compared."""
        return rovers.initialise_anew(context, job_id, json)


def _point_routes(api: Api, context: Context) -> None:
    @api.get("/jobs/<job_id>/points", "watch")
    def list_points(job_id: str, query: points.PointsQuery) -> points.Points:
        """List the points as they stand now, newest first."""
        return points.list_points(context, job_id, query)

    @api.post("/jobs/<job_id>/points", "watch")
    def record_point(job_id: str, json: record.PointRequest) -> recording.Recording:
        """Begin to record a point, or a track of points."""
        return record.record(context, job_id, json)

    @api.post("/jobs/<job_id>/points/drop", "watch")
    def drop_shot(job_id: str, json: rovers.RoverNamed) -> Nothing:
        """Drop the shot in hand of a rover, or end its track."""
        recording.cancel(context, job_id, json.rover_id or None)
        return Nothing()

    @api.post("/jobs/<job_id>/points/back", "watch")
    def take_back(job_id: str) -> Nothing:
        """Take the last point's name back: the point leaves the list."""
        points.take_back(context, job_id)
        return Nothing()

    @api.get("/jobs/<job_id>/points/settings", "watch")
    def shot_settings(job_id: str) -> kinds.ShotSettingsView:
        """Show the kinds of shot and the codes of a job."""
        return kinds.shot_settings(context, job_id)

    @api.post("/jobs/<job_id>/points/settings", "watch")
    def save_shot_settings(job_id: str, json: kinds.SaveShotSettings) -> kinds.ShotSettingsView:
        """Keep the kinds of shot and the codes of a job."""
        return kinds.save_shot_settings(context, job_id, json)

    @api.post("/jobs/<job_id>/points/<shot_id>", "watch")
    def relabel(job_id: str, shot_id: str, json: points.Relabel) -> Nothing:
        """Give a point another name, code or note, take it out or bring it back."""
        points.relabel(context, job_id, shot_id, json)
        return Nothing()

    @api.post("/jobs/<job_id>/points/<shot_id>/photos", "watch")
    def add_point_photo(job_id: str, shot_id: str, query: PhotoQuery) -> Nothing:
        """Attach a photo to a point: the body is the picture, its name is in the query."""
        points.add_photo(context, job_id, shot_id, query.name, request.get_data())
        return Nothing()


def _height_routes(api: Api, context: Context) -> None:
    @api.get("/jobs/<job_id>/shots/<shot_id>/height", "watch")
    def rover_height_view(job_id: str, shot_id: str) -> heights.RoverHeightView:
        """Show the rover height under a shot, its corrections, and which shots another one can be for."""
        return heights.view(context, job_id, shot_id)

    @api.post("/jobs/<job_id>/shots/<shot_id>/height", "watch")
    def correct_rover_height(job_id: str, shot_id: str, json: heights.CorrectRoverHeight) -> heights.RoverHeightView:
        """Correct the rover height under shots, or go back to the one before."""
        return heights.correct(context, job_id, shot_id, json)


def _closing_routes(api: Api, context: Context) -> None:
    @api.get("/jobs/<job_id>/closing", "watch")
    def closing_view(job_id: str) -> closing.Closing:
        """Show what is to be done at the end of the day, in order."""
        return closing.view(context, job_id)

    @api.post("/jobs/<job_id>/closing", "watch")
    def tick_closing(job_id: str, json: TickRequest) -> closing.Closing:
        """Tick a thing of the closing list off, or untick it."""
        return closing.tick(context, job_id, json)

    @api.get("/jobs/<job_id>/handover", "watch")
    def handover_view(job_id: str) -> handover.Handover:
        """Show the way from network to radio, and whether both stand on one frame."""
        return handover.view(context, job_id)


def _event_stream(context: Context, job_id: str, last_id: int) -> Response:
    topics = tuple(f"{topic}:{job_id}" for topic in _SHAPES)
    client = context.hub.enter(f"{request.remote_addr} {request.user_agent.string}", g.visitor.session_id)

    def lines() -> Iterator[bytes]:
        yield b"retry: 1000\n\n" + _beat(context)
        beat_s = HOST_CLOCK.now()
        try:
            for event in context.hub.stream(last_id, topics, client):
                if event is not None:
                    name = event.topic.partition(":")[0]
                    data = written(_SHAPES[name], event.payload)
                    yield f"id: {event.id}\nevent: {name}\ndata: ".encode() + data + b"\n\n"
                if event is None or abs(HOST_CLOCK.now() - beat_s) >= HEARTBEAT_S:
                    beat_s = HOST_CLOCK.now()
                    yield _beat(context)
            if client.over:
                # A newer page has taken its place: it is asked again later, not at once.
                yield b"retry: 60000\n\n"
        finally:
            context.hub.leave(client)

    response = Response(lines(), mimetype="text/event-stream", headers={"Cache-Control": "no-store", "X-Accel-Buffering": "no"})
    response.call_on_close(lambda: context.hub.leave(client))
    return response


def _beat(context: Context) -> bytes:
    """Return the event that says nothing but that the program is there, and what time it has."""
    return b"event: beat\ndata: " + written(Beat, Beat(HOST_CLOCK.now())) + b"\n\n"
