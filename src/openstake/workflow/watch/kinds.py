"""How a job's shots are taken: its kinds with their limits and its codes, kept as a line of rows."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy.orm import Session

from openstake.core.describe import FieldShown, fields_shown
from openstake.core.limits import ShortText
from openstake.core.shot import ShotSettings
from openstake.core.units import LengthUnit
from openstake.derive.job import job_of
from openstake.derive.shotkinds import SHOTS
from openstake.workflow.command import Transaction, command
from openstake.workflow.context import Context


@dataclass(frozen=True)
class ShotSettingsView:
    """How shots are taken in this job, with the fields of its form."""

    id: str | None
    settings: ShotSettings
    fields: tuple[FieldShown, ...]


@dataclass(frozen=True)
class SaveShotSettings:
    """Kinds and codes as typed, in place of the row `replaces_id`."""

    values: dict[str, object]
    replaces_id: ShortText | None = None
    length_unit: LengthUnit | None = None


def settings_of(session: Session, job_id: str) -> ShotSettings:
    """Return how shots are taken in a job."""
    return SHOTS.read(session, job_id)[1]


def shot_settings(context: Context, job_id: str) -> ShotSettingsView:
    """Return how shots are taken in a job, for its form."""
    with context.database.read() as session:
        job_of(session, job_id)
        return ShotSettingsView(*SHOTS.read(session, job_id), fields_shown(ShotSettings))


@command(shot_settings)
def save_shot_settings(tx: Transaction, request: SaveShotSettings) -> None:
    """Keep how shots are taken from now on; what was recorded stays as it is."""
    SHOTS.keep(tx.session, tx.job_id, SHOTS.typed(request.values, request.length_unit), request.replaces_id, tx.now_s)
