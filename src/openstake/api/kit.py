"""Routes of the Kit page: gear, profiles, the packing list."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response
from spectree import SpecTree

from openstake.api import schemas as s
from openstake.api.common import answers, as_file, content_of
from openstake.workflow.context import Context
from openstake.workflow.kit import gear, packing, profiles


def kit_routes(api: Blueprint, spec: SpecTree, context: Context) -> None:
    """Add the routes."""

    @api.get("/gear")
    @spec.validate(resp=answers(s.Kit), tags=["kit"])
    def list_gear() -> Any:
        """List the kit, and the form of each kind of gear."""
        return {"forms": gear.gear_forms(), "items": gear.list_gear(context)}

    @api.post("/gear")
    @spec.validate(resp=answers(s.GearItem), tags=["kit"])
    def save_gear(json: s.SaveGear) -> Any:
        """Add a thing to the kit, or change one."""
        return gear.save_gear(context, json.kind, json.values, json.length_unit, json.replaces_id, json.password)

    @api.delete("/gear/<item_id>")
    @spec.validate(resp=answers(s.Nothing), tags=["kit"])
    def withdraw_gear(item_id: str) -> Any:
        """Take a thing out of the kit."""
        gear.withdraw_gear(context, item_id)
        return {"done": True}

    @api.post("/gear/antex")
    @spec.validate(resp=answers(s.Antennas), tags=["kit"])
    def antennas_in(json: s.FileSent) -> Any:
        """List the receiver antennas of an ANTEX file; store nothing."""
        return gear.antennas_in(content_of(json.content_base64))

    @api.get("/profiles/form")
    @spec.validate(resp=answers(s.ProfileForm), tags=["kit"])
    def profile_form() -> Any:
        """List the fields of a profile."""
        return profiles.profile_form()

    @api.get("/profiles/new")
    @spec.validate(resp=answers(s.ProfileValues), tags=["kit"])
    def new_profile(query: s.NewProfileQuery) -> Any:
        """Return where a new profile of a role starts."""
        return {"values": profiles.new_values(query.role)}

    @api.post("/profiles")
    @spec.validate(resp=answers(s.Profile), tags=["kit"])
    def save_profile(json: s.SaveProfile) -> Any:
        """Store a profile, or a new version of one."""
        return profiles.save_profile(context, json.values, json.length_unit, json.replaces_id)

    @api.post("/profiles/import")
    @spec.validate(resp=answers(s.Profile), tags=["kit"])
    def import_profile(json: s.FileSent) -> Any:
        """Store a profile from its file; one of the same name becomes its next version."""
        return profiles.import_profile(context, content_of(json.content_base64))

    @api.get("/profiles/<line_id>/versions")
    @spec.validate(resp=answers(s.Profiles), tags=["kit"])
    def profile_versions(line_id: str) -> Any:
        """List all versions of a profile."""
        return {"profiles": profiles.versions(context, line_id)}

    @api.delete("/profiles/<profile_id>")
    @spec.validate(resp=answers(s.Nothing), tags=["kit"])
    def withdraw_profile(profile_id: str) -> Any:
        """Take a profile out of the list."""
        profiles.withdraw_profile(context, profile_id)
        return {"done": True}

    @api.get("/profiles/<profile_id>.json")
    def export_profile(profile_id: str) -> Response:
        """Return a profile's file."""
        text, name = profiles.export_profile(context, profile_id)
        return as_file(text, "application/json", name)

    @api.get("/jobs/<job_id>/profiles")
    @spec.validate(resp=answers(s.Profiles), tags=["kit"])
    def list_profiles(job_id: str) -> Any:
        """List the profiles, and which of them the job uses."""
        return {"profiles": profiles.list_profiles(context, job_id)}

    @api.post("/jobs/<job_id>/profiles")
    @spec.validate(resp=answers(s.Profiles), tags=["kit"])
    def choose_profile(job_id: str, json: s.ChooseProfile) -> Any:
        """Use a profile in the job, or no longer."""
        profiles.choose_profile(context, job_id, json.line_id, json.chosen)
        return {"profiles": profiles.list_profiles(context, job_id)}

    @api.get("/jobs/<job_id>/packing")
    @spec.validate(resp=answers(s.Packing), tags=["kit"])
    def packing_view(job_id: str) -> Any:
        """Show the packing and charging list."""
        return packing.view(context, job_id)

    @api.post("/jobs/<job_id>/packing")
    @spec.validate(resp=answers(s.Packing), tags=["kit"])
    def tick(job_id: str, json: s.Tick) -> Any:
        """Tick a thing off the packing list, or untick it."""
        return packing.tick(context, job_id, json.key, json.done)
