"""Routes of the chain: the state of a job in one call."""

from __future__ import annotations

from openstake.api.common import Api
from openstake.workflow import chain
from openstake.workflow.context import Context


def chain_routes(api: Api, context: Context) -> None:
    """Add the routes."""

    @api.get("/jobs/<job_id>/steps", "chain")
    def steps(job_id: str) -> chain.Steps:
        """Say the state of each step and link, and what is open."""
        return chain.view(context, job_id)
