"""Routes of the Kit page: gear, profiles, the packing list."""

from __future__ import annotations

from flask import Response

from openstake.api.common import Api, FileSent, Nothing, as_file, content_of
from openstake.workflow.context import Context
from openstake.workflow.kit import bench, gear, packing, profiles
from openstake.workflow.ticks import TickRequest


def kit_routes(api: Api, context: Context) -> None:
    """Add the routes."""
    _gear_routes(api, context)
    _profile_routes(api, context)
    _job_routes(api, context)


def _gear_routes(api: Api, context: Context) -> None:
    @api.get("/gear", "kit")
    def list_gear() -> gear.Kit:
        """List the kit, and the form of each kind of gear."""
        return gear.list_gear(context)

    @api.post("/gear", "kit")
    def save_gear(json: gear.SaveGear) -> gear.GearView:
        """Add a thing to the kit, or change one."""
        return gear.save_gear(context, json)

    @api.delete("/gear/<item_id>", "kit")
    def withdraw_gear(item_id: str) -> Nothing:
        """Take a thing out of the kit."""
        gear.withdraw_gear(context, item_id)
        return Nothing()

    @api.post("/gear/antex", "kit")
    def antennas_in(json: FileSent) -> gear.Antennas:
        """List the receiver antennas of an ANTEX file; store nothing."""
        return gear.antennas_in(content_of(json.content_base64))


def _profile_routes(api: Api, context: Context) -> None:
    @api.get("/profiles/form", "kit")
    def profile_form() -> profiles.ProfileForm:
        """List the fields of a profile."""
        return profiles.profile_form()

    @api.get("/profiles/new", "kit")
    def new_profile(query: profiles.NewProfileQuery) -> profiles.ProfileValues:
        """Return where a new profile of a role starts."""
        return profiles.new_values(query.role)

    @api.post("/profiles", "kit")
    def save_profile(json: profiles.SaveProfile) -> profiles.ProfileView:
        """Store a profile, or a new version of one."""
        return profiles.save_profile(context, json)

    @api.post("/profiles/import", "kit")
    def import_profile(json: FileSent) -> profiles.ProfileView:
        """Store a profile from its file; one of the same name becomes its next version."""
        return profiles.import_profile(context, content_of(json.content_base64))

    @api.get("/profiles/<line_id>/versions", "kit")
    def profile_versions(line_id: str) -> profiles.Profiles:
        """List all versions of a profile."""
        return profiles.versions(context, line_id)

    @api.delete("/profiles/<profile_id>", "kit")
    def withdraw_profile(profile_id: str) -> Nothing:
        """Take a profile out of the list."""
        profiles.withdraw_profile(context, profile_id)
        return Nothing()

    @api.get("/profiles/<profile_id>.json", "kit")
    def export_profile(profile_id: str) -> Response:
        """Return a profile's file."""
        text, name = profiles.export_profile(context, profile_id)
        return as_file(text, "application/json", name)


def _job_routes(api: Api, context: Context) -> None:
    @api.get("/jobs/<job_id>/profiles", "kit")
    def list_profiles(job_id: str) -> profiles.Profiles:
        """List the profiles, and which of them the job uses."""
        return profiles.list_profiles(context, job_id)

    @api.post("/jobs/<job_id>/profiles", "kit")
    def choose_profile(job_id: str, json: profiles.ChooseProfile) -> profiles.Profiles:
        """Use a profile in the job, or no longer."""
        return profiles.choose_profile(context, job_id, json)

    @api.get("/jobs/<job_id>/packing", "kit")
    def packing_view(job_id: str) -> packing.Packing:
        """Show the packing and charging list."""
        return packing.view(context, job_id)

    @api.post("/jobs/<job_id>/packing", "kit")
    def tick(job_id: str, json: TickRequest) -> packing.Packing:
        """Tick a thing off the packing list, or untick it."""
        return packing.tick(context, job_id, json)

    @api.get("/jobs/<job_id>/bench", "kit")
    def bench_view(job_id: str) -> bench.BenchView:
        """Show the bench test that runs, and those before it."""
        return bench.view(context, job_id)

    @api.post("/jobs/<job_id>/bench", "kit")
    def begin_bench(job_id: str, json: bench.BenchRequest) -> bench.BenchView:
        """Begin a bench test: both units a taped distance apart."""
        return bench.begin(context, job_id, json)

    @api.delete("/jobs/<job_id>/bench", "kit")
    def cancel_bench(job_id: str) -> Nothing:
        """Stop the bench test that runs."""
        bench.cancel(context, job_id)
        return Nothing()
