"""How a job's shots are taken, as it stands: kinds with their limits, and codes."""

from __future__ import annotations

from sqlalchemy.orm import Session

from openstake.core.shot import ShotSettings, checked_settings
from openstake.store.models import ShotSettingsRow
from openstake.store.records.settings import SettingsLine

SHOTS = SettingsLine(
    ShotSettingsRow,
    ShotSettings,
    checked_settings,
    "shot-settings",
    "The kinds of shot have been changed",
    lambda settings: "Kinds of shot and codes changed.",
)


def elevation_limits_deg(session: Session, job_id: str) -> dict[str, float]:
    """Return the elevation limits of a job's kinds of shot, by kind; those without one are left out."""
    kinds = SHOTS.read(session, job_id)[1].kinds
    return {kind.name: kind.least_elevation_deg for kind in kinds if kind.least_elevation_deg is not None}
