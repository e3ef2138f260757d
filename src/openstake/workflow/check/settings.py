"""How a job is checked: its tolerances, the marks of its plan and when they are repeated, kept as a line of rows."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy.orm import Session

from openstake.core.check_plan import CheckSettings, checked_settings
from openstake.core.describe import FieldShown, fields_shown
from openstake.core.errors import InputError
from openstake.core.limits import ShortText
from openstake.core.units import LengthUnit
from openstake.derive.job import job_of
from openstake.store.models import CheckSettingsRow
from openstake.store.records.marks import current_rows
from openstake.store.records.settings import SettingsLine
from openstake.workflow.command import Transaction, command
from openstake.workflow.context import Context


def _words(settings: CheckSettings) -> str:
    sets = "; ".join(f"{item.name} {item.horizontal_m:g} and {item.vertical_m:g} m" for item in settings.tolerances)
    return f"Plan of checks and tolerances changed: {sets}."


CHECKS = SettingsLine(CheckSettingsRow, CheckSettings, checked_settings, "check-settings", "Plan and tolerances have been changed", _words)


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


def settings_of(session: Session, job_id: str) -> CheckSettings:
    """Return how a job is checked."""
    return CHECKS.read(session, job_id)[1]


def check_settings(context: Context, job_id: str) -> CheckSettingsView:
    """Return how a job is checked, for its form."""
    with context.database.read() as session:
        job_of(session, job_id)
        return CheckSettingsView(*CHECKS.read(session, job_id), fields_shown(CheckSettings))


@command(check_settings)
def save_check_settings(tx: Transaction, request: SaveCheckSettings) -> None:
    """Keep how a job is checked from now on; checks that were recorded keep the tolerance they were judged by."""
    settings = CHECKS.typed(request.values, request.length_unit)
    names = {mark.name for mark in current_rows(tx.session, tx.job_id)}
    for field, chosen in (("near", [settings.near]), ("far", [settings.far]), ("benchmarks", settings.benchmarks)):
        unknown = [name for name in chosen if name and name not in names]
        if unknown:
            raise InputError(f"{unknown[0]} is not in the control list.", field=field)
    CHECKS.keep(tx.session, tx.job_id, settings, request.replaces_id, tx.now_s)
