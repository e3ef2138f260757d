"""Routes of practice: where the stand-ins stand, and what time it is there."""

from __future__ import annotations

from openstake.api.common import Api
from openstake.workflow.context import Context
from openstake.workflow.practice import stand, time


def practice_routes(api: Api, context: Context) -> None:
    """Add the routes."""

    @api.get("/jobs/<job_id>/stand", "practice")
    def stand_view(job_id: str) -> stand.StandView:
        """Show where the stand-ins stand."""
        return stand.view(context, job_id)

    @api.post("/jobs/<job_id>/stand", "practice")
    def move_stand(job_id: str, json: stand.StandRequest) -> stand.StandView:
        """Walk a stand-in to a mark."""
        return stand.stand(context, job_id, json)

    @api.get("/jobs/<job_id>/practice", "practice")
    def practice_time(job_id: str) -> time.PracticeTime:
        """Show what time it is in a practice job, and what can be let pass."""
        return time.view(context, job_id)

    @api.post("/jobs/<job_id>/practice/wait", "practice")
    def let_time_pass(job_id: str, json: time.WaitRequest) -> time.PracticeTime:
        """Let time pass in a practice job."""
        return time.let_pass(context, job_id, json)

    @api.post("/jobs/<job_id>/practice/cut", "practice")
    def cut_link(job_id: str, json: time.CutRequest) -> time.PracticeTime:
        """Let no correction reach the stand-in rovers for a while."""
        return time.cut_link(context, job_id, json)
