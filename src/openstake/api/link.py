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
