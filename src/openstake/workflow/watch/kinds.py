"""How a job's shots are taken: its kinds with their limits and its codes, kept as a line of rows."""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass

from sqlalchemy.orm import Session

from openstake.core.describe import FieldShown, fields_shown, typed
from openstake.core.errors import ConflictError
from openstake.core.limits import ShortText
from openstake.core.shot import ShotSettings, checked_settings
from openstake.core.units import LengthUnit
from openstake.store import lines
from openstake.store.book import write_entry
from openstake.store.models import ShotSettingsRow
from openstake.workflow.context import Context
from openstake.workflow.now.job import job_of


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


def settings_row(session: Session, job_id: str) -> ShotSettingsRow | None:
    return session.scalars(lines.heads(ShotSettingsRow, ShotSettingsRow.job_id == job_id)).first()


def settings_of(row: ShotSettingsRow | None) -> ShotSettings:
    return ShotSettings() if row is None else typed(ShotSettings, json.loads(row.data), None)


def shot_settings(context: Context, job_id: str) -> ShotSettingsView:
    """Return how shots are taken in a job."""
    with context.database.read() as session:
        job_of(session, job_id)
        row = settings_row(session, job_id)
    return ShotSettingsView(row.id if row else None, settings_of(row), fields_shown(ShotSettings))


def save_shot_settings(context: Context, job_id: str, wish: SaveShotSettings) -> ShotSettingsView:
    """Keep how shots are taken from now on; what was recorded stays as it is."""
    settings = checked_settings(typed(ShotSettings, wish.values, wish.length_unit))

    def work(session: Session) -> None:
        job_of(session, job_id)
        row = settings_row(session, job_id)
        if (row.id if row else None) != wish.replaces_id:
            raise ConflictError("The kinds of shot have been changed in the meantime. Look at them and try again.")
        now = context.now()
        session.add(
            ShotSettingsRow(
                job_id=job_id, data=json.dumps(asdict(settings)), replaces_id=row.id if row else None, created_s=now
            )
        )
        write_entry(session, now, "shot-settings", "Kinds of shot and codes changed.", job_id)

    context.database.write(work)
    context.changed(job_id)
    return shot_settings(context, job_id)
