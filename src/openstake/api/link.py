"""Routes of the Link page: the pair sheet and the load on the air."""

from __future__ import annotations

from typing import Any

from flask import Blueprint
from spectree import SpecTree

from openstake.api import schemas as s
from openstake.api.common import answers
from openstake.workflow import link
from openstake.workflow.context import Context


def link_routes(api: Blueprint, spec: SpecTree, context: Context) -> None:
    """Add the routes."""

    @api.get("/jobs/<job_id>/link")
    @spec.validate(resp=answers(s.LinkView), tags=["link"])
    def link_view(job_id: str, query: s.LinkQuery) -> Any:
        """Compare the job's base with each of its rovers, and its stream with the link's rate."""
        return link.view(context, job_id, query.satellites, query.signals, query.duty_limit)

    @api.post("/jobs/<job_id>/link/mend")
    @spec.validate(resp=answers(s.LinkView), tags=["link"])
    def mend(job_id: str, json: s.Mend) -> Any:
        """Set a setting of one end to the other's value; the mended profile becomes its next version."""
        return link.mend(context, job_id, json.field, json.take, json.base_id, json.rover_id)

    @api.post("/jobs/<job_id>/link/table")
    @spec.validate(resp=answers(s.SourceTable), tags=["link"])
    def source_table(job_id: str, json: s.CasterWish) -> Any:
        """Fetch a caster's source table, the nearest mountpoints first."""
        return link.table(context, job_id, link.CasterWish(**json.model_dump()))

    @api.post("/jobs/<job_id>/link/try")
    @spec.validate(resp=answers(s.MountpointHeard), tags=["link"])
    def try_mountpoint(job_id: str, json: s.TryMountpoint) -> Any:
        """Listen to a mountpoint for some seconds and say what it does."""
        wish = link.CasterWish(**json.caster.model_dump())
        return link.try_mountpoint(context, job_id, wish, json.mountpoint, json.seconds, json.send_gga, json.push)

    @api.post("/jobs/<job_id>/link/mountpoint")
    @spec.validate(resp=answers(s.LinkView), tags=["link"])
    def take_mountpoint(job_id: str, json: s.TakeMountpoint) -> Any:
        """Put a mountpoint into a profile of the job."""
        wish = link.CasterWish(**json.caster.model_dump())
        return link.take_mountpoint(context, job_id, json.profile_id, wish, json.mountpoint)
