"""Routes of the Check page: shots recorded, and checks as they stand now."""

from __future__ import annotations

from openstake.api.common import Api, Nothing
from openstake.workflow import recording
from openstake.workflow.check import checks as listed
from openstake.workflow.check import shots
from openstake.workflow.context import Context


def check_routes(api: Api, context: Context) -> None:
    """Add the routes."""

    @api.post("/jobs/<job_id>/checks", "check")
    def record_check(job_id: str, json: shots.CheckWish) -> recording.Recording:
        """Begin to record a check."""
        return shots.record(context, job_id, json)

    @api.delete("/jobs/<job_id>/checks/current", "check")
    def cancel_check(job_id: str) -> Nothing:
        """Drop the first rover's shot in hand."""
        recording.cancel(context, job_id, None)
        return Nothing()

    @api.get("/jobs/<job_id>/checks", "check")
    def checks(job_id: str, query: listed.ChecksQuery) -> listed.Checks:
        """List the checks as they stand now, newest first."""
        return listed.list_checks(context, job_id, query)
