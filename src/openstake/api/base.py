"""Routes of the Base page: heights, the set-up in hand, the running base, its coordinate and its logs."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response, request
from spectree import SpecTree

from openstake.api import base_schemas as s
from openstake.api.common import answers, as_file
from openstake.api.schemas import Heights, Nothing, Tick
from openstake.workflow.base import average as base_average
from openstake.workflow.base import log as base_log
from openstake.workflow.base import setup as base_setup
from openstake.workflow.base import solution as base_solution
from openstake.workflow.base import start as base
from openstake.workflow.base.view import view
from openstake.workflow.context import Context
from openstake.workflow.now import heights


def base_routes(api: Blueprint, spec: SpecTree, context: Context) -> None:
    """Add the routes."""
    _height_routes(api, spec, context)
    _setup_routes(api, spec, context)
    _running_routes(api, spec, context)
    _coordinate_routes(api, spec, context)


def _height_routes(api: Blueprint, spec: SpecTree, context: Context) -> None:
    @api.get("/jobs/<job_id>/heights")
    @spec.validate(resp=answers(Heights), tags=["base"])
    def heights_view(job_id: str) -> Any:
        """List what heights are measured to, and the limits of checks."""
        return heights.view(context, job_id)

    @api.post("/jobs/<job_id>/height")
    @spec.validate(resp=answers(s.Height), tags=["base"])
    def height(job_id: str, json: s.HeightQuery) -> Any:
        """Read a height while it is being typed."""
        return heights.preview(context, job_id, json.reading, json.feature, json.subject)

    @api.post("/jobs/<job_id>/base/readings")
    @spec.validate(resp=answers(s.BaseView), tags=["base"])
    def read_base_height(job_id: str, json: s.NewReading) -> Any:
        """Add a reading of the base's height, before the session or after it."""
        return base.read_base_height(context, job_id, json.reading, json.feature, json.who, json.moment)

    @api.post("/jobs/<job_id>/base/height")
    @spec.validate(resp=answers(s.BaseView), tags=["base"])
    def correct_height(job_id: str, json: s.CorrectHeight) -> Any:
        """Correct a reading of the base's height, or set it aside; every point follows."""
        return base.correct_height(context, job_id, **json.model_dump())


def _setup_routes(api: Blueprint, spec: SpecTree, context: Context) -> None:
    @api.post("/jobs/<job_id>/base/setup")
    @spec.validate(resp=answers(s.BaseView), tags=["base"])
    def settle(job_id: str, json: s.Settle) -> Any:
        """Keep what is settled of the set-up in hand; begin one where there is none."""
        base_setup.settle(context, job_id, json.model_dump(exclude_unset=True))
        return view(context, job_id)

    @api.delete("/jobs/<job_id>/base/setup")
    @spec.validate(resp=answers(s.BaseView), tags=["base"])
    def drop_setup(job_id: str) -> Any:
        """Give the set-up in hand up."""
        base_setup.drop(context, job_id)
        return view(context, job_id)

    @api.post("/jobs/<job_id>/base/setup/again")
    @spec.validate(resp=answers(s.BaseView), tags=["base"])
    def take_setup_up(job_id: str) -> Any:
        """Take the set-up that was given up last up again."""
        base_setup.take_up(context, job_id)
        return view(context, job_id)

    @api.post("/jobs/<job_id>/base/tick")
    @spec.validate(resp=answers(s.BaseView), tags=["base"])
    def tick_question(job_id: str, json: Tick) -> Any:
        """Confirm a question of the set-up, or take it back."""
        base_setup.tick(context, job_id, json.key, json.done)
        return view(context, job_id)

    @api.post("/jobs/<job_id>/base/photo")
    @spec.validate(resp=answers(s.BaseView), tags=["base"])
    def add_photo(job_id: str, query: s.PhotoQuery) -> Any:
        """Attach a photo, sent as it is (application/octet-stream)."""
        base_setup.add_photo(context, job_id, query.name, request.get_data())
        return view(context, job_id)

    @api.get("/jobs/<job_id>/photos/<photo_id>")
    def photo(job_id: str, photo_id: str) -> Response:
        """Return a photo."""
        content, media_type = base_setup.photo_file(context, job_id, photo_id)
        return Response(content, mimetype=media_type)

    @api.post("/jobs/<job_id>/base/average")
    @spec.validate(resp=answers(s.Average), tags=["base"])
    def begin_average(job_id: str, json: s.AverageWish) -> Any:
        """Begin to average what the base's receiver reports, or a rover over the mark."""
        return base_average.begin_average(context, job_id, **json.model_dump())

    @api.post("/jobs/<job_id>/base/average/log")
    @spec.validate(resp=answers(s.BaseView), tags=["base"])
    def average_log(job_id: str, query: s.LogQuery) -> Any:
        """Take the average of an NMEA log, sent as it is (application/octet-stream)."""
        base_average.average_log(context, job_id, content=request.get_data(), **query.model_dump())
        return view(context, job_id)

    @api.delete("/jobs/<job_id>/base/average")
    @spec.validate(resp=answers(Nothing), tags=["base"])
    def cancel_average(job_id: str) -> Any:
        """Stop the average; what came so far is kept."""
        base_average.cancel_average(context, job_id)
        return {"done": True}


def _running_routes(api: Blueprint, spec: SpecTree, context: Context) -> None:
    @api.get("/jobs/<job_id>/base")
    @spec.validate(resp=answers(s.BaseView), tags=["base"])
    def base_view(job_id: str) -> Any:
        """Show the base: the set-up, meant against on the air, findings."""
        return view(context, job_id)

    @api.post("/jobs/<job_id>/base/start")
    @spec.validate(resp=answers(s.BaseView), tags=["base"])
    def start_base(job_id: str, json: s.StartBase) -> Any:
        """Start the base; a finding that says stop must be accepted."""
        listen = None if json.listen is None else base.ListenWish(**json.listen.model_dump())
        return base.start(context, job_id, base.StartWish(**(json.model_dump() | {"listen": listen})))

    @api.post("/jobs/<job_id>/base/listen")
    @spec.validate(resp=answers(s.BaseView), tags=["base"])
    def listen_elsewhere(job_id: str, json: s.Listen) -> Any:
        """Listen at other addresses from now on."""
        return base.listen_elsewhere(context, job_id, base.ListenWish(**json.model_dump()))

    @api.post("/jobs/<job_id>/base/end")
    @spec.validate(resp=answers(s.BaseView), tags=["base"])
    def end_base(job_id: str) -> Any:
        """End the base."""
        return base.end(context, job_id)

    @api.post("/jobs/<job_id>/base/log")
    @spec.validate(resp=answers(s.BaseView), tags=["base"])
    def switch_log(job_id: str, json: s.SwitchLog) -> Any:
        """Start the static log, or stop it."""
        base_log.switch(context, job_id, json.on)
        return view(context, job_id)

    @api.get("/jobs/<job_id>/logs/<log_id>.rnx")
    @spec.validate(tags=["base"])
    def rinex(job_id: str, log_id: str, query: s.RinexQuery) -> Any:
        """Return a static log as RINEX 3."""
        text, name = base_log.rinex(context, job_id, log_id, query.interval)
        return as_file(text, "application/octet-stream", name)


def _coordinate_routes(api: Blueprint, spec: SpecTree, context: Context) -> None:
    @api.post("/jobs/<job_id>/base/solution/preview")
    @spec.validate(resp=answers(s.SolutionPreview), tags=["base"])
    def preview_solution(job_id: str, json: s.SolutionWish) -> Any:
        """Say what a static solution would move; store nothing."""
        return base_solution.preview_solution(context, job_id, base_solution.SolutionWish(**json.model_dump()))

    @api.post("/jobs/<job_id>/base/solution")
    @spec.validate(resp=answers(s.BaseView), tags=["base"])
    def apply_solution(job_id: str, json: s.SolutionWish) -> Any:
        """Replace a base's coordinate by a static solution, locked."""
        return base.apply_solution(context, job_id, base_solution.SolutionWish(**json.model_dump()))

    @api.post("/jobs/<job_id>/base/coordinate")
    @spec.validate(resp=answers(s.BaseView), tags=["base"])
    def restore_coordinate(job_id: str, json: s.RestoreCoordinate) -> Any:
        """Go back to a coordinate that the base had before."""
        return base.restore_coordinate(context, job_id, **json.model_dump())
