"""Versions of a profile: the next one, written by the steps that change a setting of it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from openstake.core.describe import typed
from openstake.core.errors import ConflictError
from openstake.core.kit.profile import Profile
from openstake.core.units import LengthUnit
from openstake.store.models import ProfileVersion, new_id
from openstake.store.records import lines
from openstake.store.records.kits import profile_rows
from openstake.wire.profile import write_profile
from openstake.workflow.command import OF_NO_JOB, Transaction

NO_PROFILE = "There is no such profile."


def typed_version(tx: Transaction, values: Mapping[str, Any], unit: LengthUnit | None, replaces_id: str | None) -> ProfileVersion:
    """Store a profile as it was typed, or as the next version of one."""
    return next_version(tx, typed(Profile, values, unit), replaces_id)


def next_version(tx: Transaction, profile: Profile, replaces_id: str | None) -> ProfileVersion:
    """Store a profile, or the next version of one, and return it: the one that is there where nothing differs."""
    old = lines.head(tx.session, ProfileVersion, replaces_id, NO_PROFILE) if replaces_id else None
    if any(row.name == profile.name and (old is None or row.id != old.id) for row in profile_rows(tx.session)):
        raise ConflictError(f"A profile named {profile.name} exists already. Choose another name.", field="name")
    values = {"name": profile.name, "role": profile.role, "data": write_profile(profile)}
    if old is None:
        row = tx.add(ProfileVersion(line_id=new_id(), version=1, created_s=tx.now_s, **values))
    elif old.data == values["data"]:
        return old
    else:
        row = tx.replace(old, version=old.version + 1, withdrawn=False, **values)
    tx.of(OF_NO_JOB).tell("profile-saved", f"Profile {row.name}, version {row.version}.", profile=row.id, replaces=row.replaces_id)
    return row
