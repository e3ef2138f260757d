"""Routes of the Base page: heights, the set-up in hand, the running base, its coordinate and its logs."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from annotated_types import Ge, Le
from flask import Response, request
from pydantic import BaseModel

from openstake.api.common import Api, Nothing, as_file, content_of
from openstake.core.base_settled import Source
from openstake.core.evidence import RefersTo
from openstake.core.geodesy.framechange import FrameStep
from openstake.core.limits import ShortText, Text
from openstake.workflow import photos
from openstake.workflow.base import addresses, average, heights, log, readings, reseat, setup, solution, start
from openstake.workflow.base.average import AverageView
from openstake.workflow.base.earlier import EarlierBases, earlier
from openstake.workflow.base.view import BaseView, view
from openstake.workflow.context import Context
from openstake.workflow.ticks import TickRequest


class Settle(BaseModel):
    """What a set-up settles; what is left out stays as it is."""

    mark_id: ShortText | None = None
    point_name: ShortText | None = None
    caster_frame: ShortText | None = None
    caster_epoch: ShortText | None = None
    caster_operation: Text | None = None
    source: Source | None = None
    evidence_id: ShortText | None = None
    station_id: int | None = None
    base_url: ShortText | None = None
    rover_url: ShortText | None = None
    receiver_url: ShortText | None = None
    refers_to: RefersTo | None = None
    seen_id: ShortText | None = None


@dataclass(frozen=True)
class SwitchLog:
    """Start the static log, or stop it."""

    on: bool


@dataclass(frozen=True)
class RinexQuery:
    """Seconds between the epochs of the file."""

    interval: Annotated[float, Ge(1), Le(60)] = 10


def base_routes(api: Api, context: Context) -> None:
    """Add the routes."""
    _height_routes(api, context)
    _setup_routes(api, context)
    _average_routes(api, context)
    _running_routes(api, context)
    _coordinate_routes(api, context)


def _height_routes(api: Api, context: Context) -> None:
    @api.get("/jobs/<job_id>/heights", "base")
    def heights_view(job_id: str) -> heights.Heights:
        """List what heights are measured to."""
        return heights.view(context, job_id)

    @api.post("/jobs/<job_id>/height", "base")
    def height(job_id: str, json: heights.HeightQuery) -> heights.Height:
        """Read a height while it is being typed."""
        return heights.preview(context, job_id, json)

    @api.post("/jobs/<job_id>/base/readings", "base")
    def read_base_height(job_id: str, json: heights.NewReading) -> BaseView:
        """Add a reading of the base's height, before the session or after it."""
        return readings.read_base_height(context, job_id, json)

    @api.post("/jobs/<job_id>/base/height", "base")
    def correct_height(job_id: str, json: heights.CorrectHeight) -> BaseView:
        """Correct a reading of the base's height, or set it aside; every point follows."""
        return readings.correct_height(context, job_id, json)


def _setup_routes(api: Api, context: Context) -> None:
    @api.post("/jobs/<job_id>/base/setup", "base")
    def settle(job_id: str, json: Settle) -> BaseView:
        """Keep what is settled of the set-up in hand; begin one where there is none."""
        setup.settle(context, job_id, json.model_dump(exclude_unset=True))
        return view(context, job_id)

    @api.delete("/jobs/<job_id>/base/setup", "base")
    def drop_setup(job_id: str) -> BaseView:
        """Give the set-up in hand up."""
        setup.drop(context, job_id)
        return view(context, job_id)

    @api.post("/jobs/<job_id>/base/setup/again", "base")
    def take_setup_up(job_id: str) -> BaseView:
        """Take the set-up that was abandoned last up again."""
        setup.take_up(context, job_id)
        return view(context, job_id)

    @api.post("/jobs/<job_id>/base/tick", "base")
    def tick_question(job_id: str, json: TickRequest) -> BaseView:
        """Confirm a question of the set-up, or take it back."""
        setup.tick(context, job_id, json)
        return view(context, job_id)

    @api.post("/jobs/<job_id>/base/photo", "base")
    def add_photo(job_id: str, query: photos.PhotoQuery) -> BaseView:
        """Attach a photo, sent as it is (application/octet-stream)."""
        setup.add_photo(context, job_id, query.name, request.get_data())
        return view(context, job_id)

    @api.get("/jobs/<job_id>/photos/<photo_id>", "base")
    def photo(job_id: str, photo_id: str) -> Response:
        """Return a photo."""
        content, media_type = photos.photo_file(context, job_id, photo_id)
        return Response(content, mimetype=media_type)


def _average_routes(api: Api, context: Context) -> None:
    @api.post("/jobs/<job_id>/base/average", "base")
    def begin_average(job_id: str, json: average.AverageRequest) -> AverageView:
        """Begin to average what the base's receiver reports, or a rover over the mark."""
        return average.begin_average(context, job_id, json)

    @api.post("/jobs/<job_id>/base/average/log", "base")
    def average_log(job_id: str, query: average.LogQuery) -> BaseView:
        """Take the average of an NMEA log, sent as it is (application/octet-stream)."""
        average.average_log(context, job_id, query, request.get_data())
        return view(context, job_id)

    @api.delete("/jobs/<job_id>/base/average", "base")
    def cancel_average(job_id: str) -> Nothing:
        """Stop the average; what was collected counts."""
        average.cancel_average(context, job_id)
        return Nothing()


def _running_routes(api: Api, context: Context) -> None:
    @api.get("/jobs/<job_id>/base", "base")
    def base_view(job_id: str) -> BaseView:
        """Show the base: the set-up, meant against on the air, findings."""
        return view(context, job_id)

    @api.get("/jobs/<job_id>/base/earlier", "base")
    def earlier_bases(job_id: str) -> EarlierBases:
        """List the bases that ran before."""
        return earlier(context, job_id)

    @api.post("/jobs/<job_id>/base/start", "base")
    def start_base(job_id: str, json: start.StartBase) -> BaseView:
        """Start the base; a finding that says stop must be accepted."""
        return start.start(context, job_id, json)

    @api.post("/jobs/<job_id>/base/listen", "base")
    def listen_elsewhere(job_id: str, json: addresses.Listen) -> BaseView:
        """Listen at other addresses from now on."""
        return start.listen_elsewhere(context, job_id, json)

    @api.post("/jobs/<job_id>/base/end", "base")
    def end_base(job_id: str) -> BaseView:
        """End the base."""
        return start.end(context, job_id)

    @api.post("/jobs/<job_id>/base/log", "base")
    def switch_log(job_id: str, json: SwitchLog) -> BaseView:
        """Start the static log, or stop it."""
        log.switch(context, job_id, json.on)
        return view(context, job_id)

    @api.get("/jobs/<job_id>/logs/<log_id>.rnx", "base")
    def rinex(job_id: str, log_id: str, query: RinexQuery) -> Response:
        """Return a static log as RINEX 3."""
        text, name = log.rinex(context, job_id, log_id, query.interval)
        return as_file(text, "application/octet-stream", name)


def _coordinate_routes(api: Api, context: Context) -> None:
    @api.post("/jobs/<job_id>/base/solution/preview", "base")
    def preview_solution(job_id: str, json: solution.SolutionRequest) -> solution.SolutionPreview:
        """Say what a static solution would move; store nothing."""
        return solution.preview_solution(context, job_id, json)

    @api.post("/jobs/<job_id>/bases/<occupation_id>/solution/read", "base")
    def read_solution_file(job_id: str, occupation_id: str, json: solution.SolutionSent) -> solution.SolutionOffered:
        """Read a solution out of a SINEX file or a mail, each value with its line; store nothing."""
        return solution.read_file(context, job_id, occupation_id, json, content_of(json.content_base64))

    @api.post("/jobs/<job_id>/base/solution/frame", "base")
    def solution_frame(job_id: str, json: solution.FrameAsked) -> FrameStep:
        """Say what lies between a solution's frame and epoch and the job's."""
        return solution.frame_step_of(context, job_id, json)

    @api.post("/jobs/<job_id>/base/solution", "base")
    def apply_solution(job_id: str, json: solution.SolutionRequest) -> BaseView:
        """Replace a base's coordinate by a static solution, locked."""
        return start.apply_solution(context, job_id, json, content_of(json.content_base64))

    @api.post("/jobs/<job_id>/base/coordinate/anew", "base")
    def take_anew(job_id: str, json: solution.TakeAnew) -> BaseView:
        """Take a base's coordinate from its mark as settings and control list have it now."""
        return start.take_anew(context, job_id, json)

    @api.post("/jobs/<job_id>/base/coordinate", "base")
    def restore_coordinate(job_id: str, json: solution.RestoreCoordinate) -> BaseView:
        """Go back to a coordinate that the base had before."""
        return start.restore_coordinate(context, job_id, json)

    @api.get("/jobs/<job_id>/base/reseat", "base")
    def reseat_view(job_id: str, query: reseat.ReseatQuery) -> reseat.ReseatView:
        """List the shots on a mark by which the base that runs could be re-seated."""
        return reseat.view(context, job_id, query)

    @api.post("/jobs/<job_id>/base/reseat/preview", "base")
    def preview_reseat(job_id: str, json: reseat.ReseatRequest) -> reseat.ReseatPreview:
        """Say everything that a re-seat would do; store nothing."""
        return reseat.preview(context, job_id, json)

    @api.post("/jobs/<job_id>/base/reseat", "base")
    def apply_reseat(job_id: str, json: reseat.ReseatRequest) -> reseat.ReseatView:
        """Move the base by what a known mark says; every point follows."""
        return reseat.apply(context, job_id, json)
