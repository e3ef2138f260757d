"""Routes of the Link page: the pair sheet, the load on the air, casters, the setup card, the reach."""

from __future__ import annotations

from flask import Response, request

from openstake.api.common import Api, as_file
from openstake.workflow.context import Context
from openstake.workflow.link import card, caster, pair, reach


def link_routes(api: Api, context: Context) -> None:
    """Add the routes."""
    _pair_routes(api, context)
    _caster_routes(api, context)


def _pair_routes(api: Api, context: Context) -> None:
    @api.get("/jobs/<job_id>/link", "link")
    def link_view(job_id: str, query: pair.LinkQuery) -> pair.LinkView:
        """Compare the job's base with each of its rovers, and its stream with the link's rate."""
        return pair.view(context, job_id, query)

    @api.post("/jobs/<job_id>/link/mend", "link")
    def mend(job_id: str, json: pair.Mend) -> pair.LinkView:
        """Set a setting of one end to the other's value; the mended profile becomes its next version."""
        return pair.mend(context, job_id, json)

    @api.get("/jobs/<job_id>/link/card", "link")
    def card_view(job_id: str, query: card.PairQuery) -> card.CardView:
        """Show the setup card of a pair."""
        return card.card_view(context, job_id, query)

    @api.post("/jobs/<job_id>/link/card", "link")
    def tick_card(job_id: str, json: card.TickCard) -> card.CardView:
        """Tick a line of a setup card, or untick it."""
        return card.tick_card(context, job_id, json)

    @api.get("/jobs/<job_id>/link/card.pdf", "link")
    def card_pdf(job_id: str) -> Response:
        """Return the setup card as one printed page."""
        ends = card.PairQuery(request.args.get("base_id", ""), request.args.get("rover_id", ""))
        return as_file(*card.card_pdf(context, job_id, ends))

    @api.get("/jobs/<job_id>/link/reach", "link")
    def radio_reach(job_id: str, query: reach.ReachRequest) -> reach.Reach:
        """Say how far each power of the base's radio reaches by rule, for how long, and whom to keep how far away."""
        return reach.reach(context, job_id, query)


def _caster_routes(api: Api, context: Context) -> None:
    @api.post("/jobs/<job_id>/link/table", "link")
    def source_table(job_id: str, json: caster.CasterRequest) -> caster.SourceTable:
        """Fetch a caster's source table, the nearest mountpoints first."""
        return caster.table(context, job_id, json)

    @api.post("/jobs/<job_id>/link/try", "link")
    def try_mountpoint(job_id: str, json: caster.TryMountpoint) -> caster.MountpointHeard:
        """Listen to a mountpoint for some seconds and say what it does."""
        return caster.try_mountpoint(context, job_id, json)

    @api.post("/jobs/<job_id>/link/mountpoint", "link")
    def take_mountpoint(job_id: str, json: caster.TakeMountpoint) -> pair.LinkView:
        """Put a mountpoint into a profile of the job."""
        return caster.take_mountpoint(context, job_id, json)
