"""Profiles: named, copied, edited as versions, exported and imported as files, chosen for a job."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from openstake.core.describe import fields_shown, typed
from openstake.core.errors import ConflictError, InputError, NotFoundError
from openstake.core.kit.profile import ROLES, Profile, example
from openstake.store import lines
from openstake.store.book import write_entry
from openstake.store.models import JobProfile, ProfileVersion, new_id
from openstake.wire.profile import read_profile, write_profile
from openstake.workflow.context import Context, file_name, job_of

_MISSING = "There is no such profile."
GEAR_FIELDS = {
    "receiver": "receiver", "antenna": "antenna", "pole": "pole", "radio": "radio", "battery": "battery",
    "caster_account": "caster",
}  # fmt: skip


def profile_form() -> dict[str, Any]:
    """Return the fields of a profile, and which of them name gear of which kind."""
    return {
        "fields": [asdict(field) for field in fields_shown(Profile)],
        "gear_fields": GEAR_FIELDS,
        "roles": list(ROLES),
    }


def new_values(role: str) -> dict[str, Any]:
    """Return where a new profile of a role starts: the example's settings, without its name and gear."""
    if role not in ROLES:
        raise InputError(f"'{role[:20]}' is no role; it is {', '.join(ROLES)}.", field="role")
    return asdict(example(role)) | {"name": ""} | dict.fromkeys(GEAR_FIELDS, "")


def heads(session: Session) -> list[ProfileVersion]:
    """Return the newest version of every profile that is not withdrawn, by name."""
    newest = lines.heads(ProfileVersion, ~ProfileVersion.withdrawn)
    return list(session.scalars(newest.order_by(ProfileVersion.name)))


def profile_of(row: ProfileVersion) -> Profile:
    return read_profile(row.data.encode())


def _chosen_lines(session: Session, job_id: str) -> set[str]:
    rows = session.scalars(select(JobProfile).where(JobProfile.job_id == job_id).order_by(JobProfile.n))
    latest = {row.line_id: row.chosen for row in rows}
    return {line_id for line_id, chosen in latest.items() if chosen}


def chosen_profiles(session: Session, job_id: str) -> list[Profile]:
    """Return the profiles chosen for a job, in their newest versions."""
    return [profile_of(row) for row in chosen_rows(session, job_id)]


def chosen_rows(session: Session, job_id: str) -> list[ProfileVersion]:
    """Return the rows of the profiles chosen for a job, in their newest versions."""
    chosen = _chosen_lines(session, job_id)
    return [row for row in heads(session) if row.line_id in chosen]


def list_profiles(context: Context, job_id: str) -> list[dict[str, Any]]:
    """Return all profiles with their newest values, and whether the job uses them."""
    with context.database.read() as session:
        job_of(session, job_id)
        chosen = _chosen_lines(session, job_id)
        return [_view(row) | {"chosen": row.line_id in chosen} for row in heads(session)]


def _view(row: ProfileVersion) -> dict[str, Any]:
    return {
        "id": row.id, "line_id": row.line_id, "version": row.version, "name": row.name, "role": row.role,
        "created_s": row.created_s, "data": asdict(profile_of(row)),
    }  # fmt: skip


def versions(context: Context, line_id: str) -> list[dict[str, Any]]:
    """Return all versions of a profile, newest first."""
    with context.database.read() as session:
        rows = session.scalars(
            select(ProfileVersion).where(ProfileVersion.line_id == line_id).order_by(ProfileVersion.version.desc())
        ).all()
    if not rows:
        raise NotFoundError(_MISSING)
    return [_view(row) | {"chosen": False} for row in rows]


def save_profile(
    context: Context, values: Mapping[str, Any], unit: str, replaces_id: str | None = None
) -> dict[str, Any]:
    """Store a profile as typed, or a new version of one."""
    return _store(context, typed(Profile, values, unit), replaces_id)


def import_profile(context: Context, content: bytes) -> dict[str, Any]:
    """Store a profile from its file.  One of the same name becomes its next version; the older ones stay."""
    profile = read_profile(content)
    with context.database.read() as session:
        same = next((row.id for row in heads(session) if row.name == profile.name), None)
    return _store(context, profile, same)


def _store(context: Context, profile: Profile, replaces_id: str | None) -> dict[str, Any]:
    def work(session: Session) -> ProfileVersion:
        old = lines.head(session, ProfileVersion, replaces_id, _MISSING) if replaces_id else None
        if any(row.name == profile.name and (old is None or row.id != old.id) for row in heads(session)):
            raise ConflictError(f"A profile named {profile.name} exists already. Choose another name.", field="name")
        text = write_profile(profile)
        if old is not None and old.data == text:
            return old
        row = ProfileVersion(
            line_id=old.line_id if old else new_id(), version=old.version + 1 if old else 1, name=profile.name,
            role=profile.role, data=text, replaces_id=old.id if old else None, created_s=context.now(),
        )  # fmt: skip
        session.add(row)
        session.flush()
        write_entry(
            session, row.created_s, "profile-saved", f"Profile {profile.name}, version {row.version}.", None,
            profile=row.id, replaces=row.replaces_id,
        )  # fmt: skip
        return row

    return _view(context.database.write(work)) | {"chosen": False}


def withdraw_profile(context: Context, profile_id: str) -> None:
    """Take a profile out of the list; its versions stay."""

    def work(session: Session) -> None:
        old, now = lines.head(session, ProfileVersion, profile_id, _MISSING), context.now()
        session.add(
            ProfileVersion(
                line_id=old.line_id, version=old.version + 1, name=old.name, role=old.role, data=old.data, withdrawn=True,
                replaces_id=old.id, created_s=now,
            )
        )  # fmt: skip
        write_entry(session, now, "profile-withdrawn", f"Profile {old.name} taken out.", None, profile=old.id)

    context.database.write(work)


def export_profile(context: Context, profile_id: str) -> tuple[str, str]:
    """Return a profile's file and its name."""
    with context.database.read() as session:
        row = session.get(ProfileVersion, profile_id)
    if row is None:
        raise NotFoundError(_MISSING)
    return row.data, f"{file_name(row.name)}-v{row.version}.json"


def choose_profile(context: Context, job_id: str, line_id: str, chosen: bool) -> None:
    """Use a profile in a job, or no longer."""

    def work(session: Session) -> None:
        job_of(session, job_id)
        row = next((row for row in heads(session) if row.line_id == line_id), None)
        if row is None:
            raise NotFoundError(_MISSING)
        now = context.now()
        session.add(JobProfile(job_id=job_id, line_id=line_id, chosen=chosen, created_s=now))
        write_entry(
            session, now, "profile-chosen", f"Profile {row.name} {'chosen' if chosen else 'no longer used'}.", job_id,
            profile=row.id,
        )  # fmt: skip

    context.database.write(work)
    context.changed(job_id)
