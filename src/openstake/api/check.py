"""Routes of the Check page: shots recorded, and checks as they stand now."""

from __future__ import annotations

from openstake.api.common import Api, Nothing
from openstake.workflow import recording
from openstake.workflow.check import checks as listed
from openstake.workflow.check import plan, settings, shots
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

    @api.get("/jobs/<job_id>/checks/plan", "check")
    def plan_of_checks(job_id: str) -> plan.PlanView:
        """Show the plan of checks of the base that runs, what it lacks, and the verdict."""
        return plan.view(context, job_id)

    @api.post("/jobs/<job_id>/checks/changes", "check")
    def tell_change(job_id: str, json: plan.ChangeWish) -> plan.PlanView:
        """Keep that a battery, a channel or something else was changed at the base."""
        return plan.tell_change(context, job_id, json)

    @api.get("/jobs/<job_id>/checks/settings", "check")
    def check_settings(job_id: str) -> settings.CheckSettingsView:
        """Show tolerances and the settings of the plan."""
        return settings.check_settings(context, job_id)

    @api.post("/jobs/<job_id>/checks/settings", "check")
    def save_check_settings(job_id: str, json: settings.SaveCheckSettings) -> settings.CheckSettingsView:
        """Change tolerances and the settings of the plan."""
        return settings.save_check_settings(context, job_id, json)
