"""Routes of the Link page: the pair sheet and the load on the air."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response, request
from spectree import SpecTree

from openstake.api import schemas as s
from openstake.api.common import answers, as_file
from openstake.workflow.context import Context
from openstake.workflow.link import card as link_card
from openstake.workflow.link import caster as link_caster
from openstake.workflow.link import pair as link
from openstake.workflow.link import reach as link_reach


def link_routes(api: Blueprint, spec: SpecTree, context: Context) -> None:
    """Add the routes."""

    @api.get("/jobs/<job_id>/link")
    @spec.validate(resp=answers(s.LinkView), tags=["link"])
    def link_view(job_id: str, query: s.LinkQuery) -> Any:
        """Compare the job's base with each of its rovers, and its stream with the link's rate."""
        chirp = None
        if query.spreading_factor and query.bandwidth_khz and query.coding_denominator:
            chirp = link.Chirp(query.spreading_factor, query.bandwidth_khz, query.coding_denominator)
        return link.view(context, job_id, query.satellites, query.signals, query.duty_limit, chirp)

    @api.post("/jobs/<job_id>/link/mend")
    @spec.validate(resp=answers(s.LinkView), tags=["link"])
    def mend(job_id: str, json: s.Mend) -> Any:
        """Set a setting of one end to the other's value; the mended profile becomes its next version."""
        return link.mend(context, job_id, json.field, json.take, json.base_id, json.rover_id)

    @api.post("/jobs/<job_id>/link/table")
    @spec.validate(resp=answers(s.SourceTable), tags=["link"])
    def source_table(job_id: str, json: s.CasterWish) -> Any:
        """Fetch a caster's source table, the nearest mountpoints first."""
        return link_caster.table(context, job_id, link_caster.CasterWish(**json.model_dump()))

    @api.post("/jobs/<job_id>/link/try")
    @spec.validate(resp=answers(s.MountpointHeard), tags=["link"])
    def try_mountpoint(job_id: str, json: s.TryMountpoint) -> Any:
        """Listen to a mountpoint for some seconds and say what it does."""
        wish = link_caster.CasterWish(**json.caster.model_dump())
        return link_caster.try_mountpoint(
            context, job_id, wish, json.mountpoint, json.seconds, json.send_gga, json.push
        )

    @api.post("/jobs/<job_id>/link/mountpoint")
    @spec.validate(resp=answers(s.LinkView), tags=["link"])
    def take_mountpoint(job_id: str, json: s.TakeMountpoint) -> Any:
        """Put a mountpoint into a profile of the job."""
        wish = link_caster.CasterWish(**json.caster.model_dump())
        return link_caster.take_mountpoint(context, job_id, json.profile_id, wish, json.mountpoint)

    @api.get("/jobs/<job_id>/link/card")
    @spec.validate(resp=answers(s.Card), tags=["link"])
    def card(job_id: str, query: s.PairQuery) -> Any:
        """Show the setup card of a pair."""
        return link_card.card_view(context, job_id, query.base_id, query.rover_id)

    @api.post("/jobs/<job_id>/link/card")
    @spec.validate(resp=answers(s.Card), tags=["link"])
    def tick_card(job_id: str, json: s.TickCard) -> Any:
        """Tick a line of a setup card, or untick it."""
        return link_card.tick_card(context, job_id, json.base_id, json.rover_id, json.key, json.done)

    @api.get("/jobs/<job_id>/link/card.pdf")
    def card_pdf(job_id: str) -> Response:
        """Return the setup card as one printed page."""
        pair = (request.args.get("base_id", ""), request.args.get("rover_id", ""))
        return as_file(*link_card.card_pdf(context, job_id, *pair))

    @api.get("/jobs/<job_id>/link/reach")
    @spec.validate(resp=answers(s.Reach), tags=["link"])
    def reach(job_id: str, query: s.ReachQuery) -> Any:
        """Say how far each power of the base's radio reaches by rule, for how long, and whom to keep how far away."""
        return link_reach.reach(context, job_id, link_reach.ReachWish(**query.model_dump()))
