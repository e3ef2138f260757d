"""Routes of practice: where the stand-ins stand."""

from __future__ import annotations

from openstake.api.common import Api
from openstake.workflow.context import Context
from openstake.workflow.practice import stand


def practice_routes(api: Api, context: Context) -> None:
    """Add the routes."""

    @api.get("/jobs/<job_id>/stand", "practice")
    def stand_view(job_id: str) -> stand.StandView:
        """Show where the stand-ins stand."""
        return stand.view(context, job_id)

    @api.post("/jobs/<job_id>/stand", "practice")
    def move_stand(job_id: str, json: stand.StandWish) -> stand.StandView:
        """Walk a stand-in to a mark."""
        return stand.stand(context, job_id, json)
