"""Routes of the Check page: shots recorded, and checks as they stand now."""

from __future__ import annotations

from openstake.api.common import Api, Nothing
from openstake.workflow import recording
from openstake.workflow.check import checks as listed
from openstake.workflow.check import fieldtests, ground, plan, settings, shots, turns
from openstake.workflow.check.series import SeriesNamed, SeriesShotRequest
from openstake.workflow.context import Context


def check_routes(api: Api, context: Context) -> None:
    """Add the routes."""
    _shot_routes(api, context)
    _plan_routes(api, context)
    _ground_routes(api, context)
    _turn_routes(api, context)
    _field_test_routes(api, context)


def _shot_routes(api: Api, context: Context) -> None:
    @api.post("/jobs/<job_id>/checks", "check")
    def record_check(job_id: str, json: shots.CheckRequest) -> recording.Recording:
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


def _plan_routes(api: Api, context: Context) -> None:
    @api.get("/jobs/<job_id>/checks/plan", "check")
    def plan_of_checks(job_id: str) -> plan.PlanView:
        """Show the plan of checks of the base that runs, what it lacks, and the verdict."""
        return plan.view(context, job_id)

    @api.post("/jobs/<job_id>/checks/changes", "check")
    def tell_change(job_id: str, json: plan.ChangeRequest) -> plan.PlanView:
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


def _ground_routes(api: Api, context: Context) -> None:
    @api.get("/jobs/<job_id>/ground", "check")
    def ground_view(job_id: str) -> ground.MeasuresView:
        """List what was measured without GNSS, and points that two set-ups have."""
        return ground.view(context, job_id)

    @api.post("/jobs/<job_id>/ground", "check")
    def add_measure(job_id: str, json: ground.MeasureRequest) -> ground.MeasuresView:
        """Keep a distance or a height difference that was measured without GNSS."""
        return ground.add(context, job_id, json)

    @api.post("/jobs/<job_id>/ground/drop", "check")
    def drop_measure(job_id: str, json: ground.DropMeasure) -> ground.MeasuresView:
        """Use a measure no more."""
        return ground.drop(context, job_id, json)


def _turn_routes(api: Api, context: Context) -> None:
    @api.get("/jobs/<job_id>/turns", "check")
    def turns_view(job_id: str) -> turns.Turns:
        """Show the pole that is being turned, and how poles stood."""
        return turns.view(context, job_id)

    @api.post("/jobs/<job_id>/turns", "check")
    def begin_turn(job_id: str, json: turns.TurnRequest) -> turns.Turns:
        """Begin to turn a pole."""
        return turns.begin(context, job_id, json)

    @api.post("/jobs/<job_id>/turns/record", "check")
    def record_side(job_id: str, json: SeriesShotRequest) -> recording.Recording:
        """Begin to record the next side of the pole."""
        return turns.record(context, job_id, json)

    @api.post("/jobs/<job_id>/turns/drop", "check")
    def drop_turn(job_id: str, json: SeriesNamed) -> turns.Turns:
        """Give a series up."""
        return turns.drop(context, job_id, json)


def _field_test_routes(api: Api, context: Context) -> None:
    @api.get("/jobs/<job_id>/fieldtests", "check")
    def field_tests(job_id: str) -> fieldtests.FieldTests:
        """List field tests with their plan and result."""
        return fieldtests.view(context, job_id)

    @api.post("/jobs/<job_id>/fieldtests", "check")
    def begin_field_test(job_id: str, json: fieldtests.FieldTestRequest) -> fieldtests.FieldTests:
        """Begin a field test."""
        return fieldtests.begin(context, job_id, json)

    @api.post("/jobs/<job_id>/fieldtests/record", "check")
    def record_field_test(job_id: str, json: SeriesShotRequest) -> recording.Recording:
        """Begin to record the next point of the field test."""
        return fieldtests.record(context, job_id, json)

    @api.post("/jobs/<job_id>/fieldtests/drop", "check")
    def drop_field_test(job_id: str, json: SeriesNamed) -> fieldtests.FieldTests:
        """Give a field test up."""
        return fieldtests.drop(context, job_id, json)
