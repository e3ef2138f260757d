"""All routes: each calls one function of `workflow/`.  Those of a step stand in the file of its name."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from flask import Blueprint, Response, request, send_file

from openstake import __version__
from openstake.api.base import base_routes
from openstake.api.book import book_routes
from openstake.api.chain import chain_routes
from openstake.api.check import check_routes
from openstake.api.common import Api, Spec
from openstake.api.fit import fit_routes
from openstake.api.hand import hand_routes
from openstake.api.job import job_routes
from openstake.api.kit import kit_routes
from openstake.api.link import link_routes
from openstake.api.practice import practice_routes
from openstake.api.sky import sky_routes
from openstake.api.watch import watch_routes
from openstake.live.clock import HOST_CLOCK
from openstake.workflow import about, backups, packages, work
from openstake.workflow.context import Context


@dataclass(frozen=True, kw_only=True)
class Health:
    """The program runs: since when, and how many sessions listen."""

    status: Literal["ok"]
    version: str
    started_s: float
    sessions: int


_STEPS = (
    job_routes,
    kit_routes,
    sky_routes,
    link_routes,
    base_routes,
    chain_routes,
    watch_routes,
    check_routes,
    fit_routes,
    book_routes,
    practice_routes,
)


def routes(spec: Spec, context: Context) -> Blueprint:
    """Return the API's routes over one context."""
    blueprint = Blueprint("api", __name__, url_prefix="/api")
    api = Api(blueprint, spec)
    started_s = HOST_CLOCK.now()

    @api.get("/health", "app")
    def health() -> Health:
        """Say that the program runs."""
        return Health(status="ok", version=__version__, started_s=started_s, sessions=len(context.running.sessions))

    @api.get("/about", "app")
    def about_view() -> about.About:
        """Say what the program is made of, and under which licences."""
        return about.about()

    @api.get("/backups", "app")
    def backups_view() -> backups.BackupsView:
        """Say when the last backup was made, and whether it was read back."""
        return backups.view(context)

    @api.post("/backups", "app")
    def back_up() -> backups.BackupsView:
        """Begin a backup."""
        return backups.make(context)

    _work_routes(api, context)
    hand_routes(api, context)
    for add in _STEPS:
        add(api, context)
    return blueprint


def _work_routes(api: Api, context: Context) -> None:
    @api.post("/packages", "app")
    def unpack() -> work.WorkView:
        """Begin to unpack a package of a job, sent as it is (application/octet-stream)."""
        request.max_content_length = packages.MOST_SENT_BYTES
        return packages.begin_unpack(context, request.stream).view()

    @api.get("/works/<work_id>", "app")
    def work_view(work_id: str) -> work.WorkView:
        """Say how far a work is, and what came of it."""
        return context.works.get(work_id).view()

    @api.post("/works/<work_id>/cancel", "app")
    def cancel_work(work_id: str) -> work.WorkView:
        """Stop a work; nothing of it stays."""
        context.works.get(work_id).cancel()
        return context.works.get(work_id).view()

    @api.get("/works/<work_id>/file", "app", said=Response)
    def work_file(work_id: str) -> Response:
        """Return the file that a work made; a PDF is shown in the browser."""
        made = context.works.file(work_id)
        assert made.file is not None
        return send_file(made.file, made.media_type, as_attachment=not made.shown, download_name=made.name)
