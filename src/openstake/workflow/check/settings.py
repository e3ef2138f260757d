"""How a job is checked: its tolerances, the marks of its plan and when they are repeated, kept as a line of rows."""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass

from sqlalchemy.orm import Session

from openstake.core.check_plan import CheckSettings, checked_settings
from openstake.core.describe import FieldShown, fields_shown, typed
from openstake.core.errors import ConflictError, InputError
from openstake.core.limits import ShortText
from openstake.core.units import LengthUnit
from openstake.store import lines
from openstake.store.book import write_entry
from openstake.store.models import CheckSettingsRow
from openstake.workflow.context import Context
from openstake.workflow.now.job import job_of
from openstake.workflow.now.marks import current_rows


@dataclass(frozen=True)
class CheckSettingsView:
    """How this job is checked, with the fields of its form."""

    id: str | None
    settings: CheckSettings
    fields: tuple[FieldShown, ...]


@dataclass(frozen=True)
class SaveCheckSettings:
    """Tolerances and plan as typed, in place of the row `replaces_id`."""

    values: dict[str, object]
    replaces_id: ShortText | None = None
    length_unit: LengthUnit | None = None


def settings_row(session: Session, job_id: str) -> CheckSettingsRow | None:
    return session.scalars(lines.heads(CheckSettingsRow, CheckSettingsRow.job_id == job_id)).first()


def settings_of(session: Session, job_id: str) -> CheckSettings:
    """Return how a job is checked."""
    return _read(settings_row(session, job_id))


def _read(row: CheckSettingsRow | None) -> CheckSettings:
    return CheckSettings() if row is None else typed(CheckSettings, json.loads(row.data), None)


def check_settings(context: Context, job_id: str) -> CheckSettingsView:
    """Return how a job is checked, for its form."""
    with context.database.read() as session:
        job_of(session, job_id)
        row = settings_row(session, job_id)
    return CheckSettingsView(row.id if row else None, _read(row), fields_shown(CheckSettings))


def save_check_settings(context: Context, job_id: str, wish: SaveCheckSettings) -> CheckSettingsView:
    """Keep how a job is checked from now on; checks that were recorded keep the tolerance they were judged by."""
    settings = checked_settings(typed(CheckSettings, wish.values, wish.length_unit))

    def work(session: Session) -> None:
        job_of(session, job_id)
        row = settings_row(session, job_id)
        if (row.id if row else None) != wish.replaces_id:
            raise ConflictError("The plan of checks has been changed in the meantime. Look at it and try again.")
        names = {mark.name for mark in current_rows(session, job_id)}
        for field, chosen in (("near", [settings.near]), ("far", [settings.far]), ("benchmarks", settings.benchmarks)):
            unknown = [name for name in chosen if name and name not in names]
            if unknown:
                raise InputError(f"{unknown[0]} is not in the control list.", field=field)
        now = context.now()
        session.add(
            CheckSettingsRow(
                job_id=job_id, data=json.dumps(asdict(settings)), replaces_id=row.id if row else None, created_s=now
            )
        )
        sets = "; ".join(f"{item.name} {item.horizontal_m:g} and {item.vertical_m:g} m" for item in settings.tolerances)
        write_entry(session, now, "check-settings", f"Plan of checks and tolerances changed: {sets}.", job_id)

    context.database.write(work)
    context.changed(job_id)
    return check_settings(context, job_id)
