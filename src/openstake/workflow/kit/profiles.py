"""Profiles: named, copied, edited as versions, exported and imported as files, chosen for a job."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any

from openstake.core.describe import FieldShown, fields_shown
from openstake.core.errors import InputError, NotFoundError
from openstake.core.kit.profile import ROLES, Profile, example
from openstake.core.limits import ShortText
from openstake.core.units import LengthUnit
from openstake.derive.job import job_of
from openstake.derive.kit import profile_of
from openstake.store.models import JobProfile, ProfileVersion
from openstake.store.records import lines
from openstake.store.records.kits import chosen_lines, profile_rows, profile_versions
from openstake.wire.profile import read_profile
from openstake.workflow.command import OF_NO_JOB, Transaction, carry_out, command
from openstake.workflow.context import Context, file_name
from openstake.workflow.versions import NO_PROFILE, next_version, typed_version

GEAR_FIELDS = {
    "receiver": "receiver",
    "antenna": "antenna",
    "pole": "pole",
    "radio": "radio",
    "battery": "battery",
    "caster_account": "caster",
}


@dataclass(frozen=True)
class ProfileForm:
    """The fields of a profile, and which of them name gear of which kind."""

    fields: tuple[FieldShown, ...]
    gear_fields: dict[str, str]
    roles: list[str]


@dataclass(frozen=True, kw_only=True)
class ProfileView:
    """One version of a profile, its values as they are kept; `chosen`: the job uses it."""

    id: str
    line_id: str
    version: int
    name: str
    role: str
    created_s: float
    chosen: bool
    data: dict[str, Any]


@dataclass(frozen=True)
class Profiles:
    """Profiles by name, or the versions of one, newest first."""

    profiles: list[ProfileView]


@dataclass(frozen=True)
class NewProfileQuery:
    """The role of a new profile."""

    role: ShortText


@dataclass(frozen=True)
class ProfileValues:
    """Where a new profile starts."""

    values: dict[str, Any]


@dataclass(frozen=True)
class SaveProfile:
    """A profile as typed; `replaces_id` names the version that it follows."""

    values: dict[str, Any]
    length_unit: LengthUnit = "m"
    replaces_id: ShortText | None = None


@dataclass(frozen=True)
class ChooseProfile:
    """A profile to use in a job, or no longer."""

    line_id: ShortText
    chosen: bool


def profile_form() -> ProfileForm:
    """Return the fields of a profile, and which of them name gear of which kind."""
    return ProfileForm(fields_shown(Profile), GEAR_FIELDS, list(ROLES))


def new_values(role: str) -> ProfileValues:
    """Return where a new profile of a role starts: the example's settings, without its name and gear."""
    if role not in ROLES:
        raise InputError(f"'{role[:20]}' is not a role; it is {', '.join(ROLES)}.", field="role")
    return ProfileValues(asdict(example(role)) | {"name": ""} | dict.fromkeys(GEAR_FIELDS, ""))


def list_profiles(context: Context, job_id: str) -> Profiles:
    """Return all profiles with their newest values, and whether the job uses them."""
    with context.database.read() as session:
        job_of(session, job_id)
        chosen = chosen_lines(session, job_id)
        return Profiles([_view(row, row.line_id in chosen) for row in profile_rows(session)])


def _view(row: ProfileVersion, chosen: bool = False) -> ProfileView:
    return ProfileView(
        id=row.id,
        line_id=row.line_id,
        version=row.version,
        name=row.name,
        role=row.role,
        created_s=row.created_s,
        chosen=chosen,
        data=asdict(profile_of(row)),
    )


def versions(context: Context, line_id: str) -> Profiles:
    """Return all versions of a profile, newest first."""
    with context.database.read() as session:
        rows = profile_versions(session, line_id)
    if not rows:
        raise NotFoundError(NO_PROFILE)
    return Profiles([_view(row) for row in rows])


def save_profile(context: Context, request: SaveProfile) -> ProfileView:
    """Store a profile as typed, or a new version of one."""
    return _view(carry_out(context, OF_NO_JOB, lambda tx: typed_version(tx, request.values, request.length_unit, request.replaces_id)))


def import_profile(context: Context, content: bytes) -> ProfileView:
    """Store a profile from its file.  One of the same name becomes its next version; the older ones stay."""
    profile = read_profile(content)
    with context.database.read() as session:
        same = next((row.id for row in profile_rows(session) if row.name == profile.name), None)
    return _view(carry_out(context, OF_NO_JOB, lambda tx: next_version(tx, profile, same)))


def _withdraw(tx: Transaction, profile_id: str) -> None:
    old = lines.head(tx.session, ProfileVersion, profile_id, NO_PROFILE)
    tx.replace(old, version=old.version + 1, withdrawn=True)
    tx.tell("profile-withdrawn", f"Profile {old.name} taken out.", profile=old.id)


def withdraw_profile(context: Context, profile_id: str) -> None:
    """Take a profile out of the list; its versions stay."""
    carry_out(context, OF_NO_JOB, lambda tx: _withdraw(tx, profile_id))


def export_profile(context: Context, profile_id: str) -> tuple[str, str]:
    """Return a profile's file and its name."""
    with context.database.read() as session:
        row = session.get(ProfileVersion, profile_id)
    if row is None:
        raise NotFoundError(NO_PROFILE)
    return row.data, f"{file_name(row.name)}-v{row.version}.json"


@command(list_profiles)
def choose_profile(tx: Transaction, request: ChooseProfile) -> None:
    """Use a profile in a job, or no longer."""
    row = next((row for row in profile_rows(tx.session) if row.line_id == request.line_id), None)
    if row is None:
        raise NotFoundError(NO_PROFILE)
    tx.add(JobProfile(job_id=tx.job_id, line_id=request.line_id, chosen=request.chosen, created_s=tx.now_s))
    tx.tell("profile-chosen", f"Profile {row.name} {'chosen' if request.chosen else 'no longer used'}.", profile=row.id)
