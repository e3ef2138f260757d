"""A job's settings: the row that holds from now on, written by the steps that change them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from openstake.core.geodesy.frames import FrameDefinition
from openstake.store.jsoncolumn import write_frame
from openstake.store.models import JobSettings
from openstake.workflow.command import Transaction

# What each column of the settings is called in a sentence.
SETTINGS_WORDS = {
    "name": "name",
    "client": "client",
    "task": "task",
    "crew": "crew",
    "notes": "notes",
    "time_zone": "time zone",
    "length_unit": "unit",
    "frame": "coordinate system",
    "system_label": "label of the system",
    "frame_name": "frame",
    "frame_epoch": "epoch",
    "vertical_system": "vertical system",
    "geoid_id": "geoid grid",
    "project_height_m": "project height",
    "height_limit_m": "limit of antenna heights",
    "place_latitude_deg": "place",
    "place_longitude_deg": "place",
    "archived": "archive",
}
SETTINGS_COLUMNS = tuple(SETTINGS_WORDS)


def values_of(settings: JobSettings) -> dict[str, Any]:
    """Return what settings say, by column."""
    return {column: getattr(settings, column) for column in SETTINGS_COLUMNS}


def store_settings(tx: Transaction, before: Mapping[str, Any], values: Mapping[str, Any], reason: str = "") -> None:
    """Write settings that replace the present ones, and say in the Book what changed; nothing where nothing did."""
    changed = [column for column in SETTINGS_COLUMNS if before[column] != values[column]]
    if not changed:
        return
    old = tx.job.settings
    row = tx.replace(old, reason=reason, **values)
    words = ", ".join(dict.fromkeys(SETTINGS_WORDS[column] for column in changed))
    tx.tell(
        "job-changed",
        f"Job settings changed: {words}{f' ({reason})' if reason else ''}.",
        settings=row.id,
        replaces=old.id,
        **{column: _told(values[column]) for column in changed if column != "notes"},
    )


def _told(value: Any) -> Any:
    """Return a value of the settings as the Book has it."""
    return write_frame(value) if isinstance(value, FrameDefinition) else value


def place_assumed_system(tx: Transaction, definition: FrameDefinition, reason: str) -> None:
    """Say where on Earth an assumed system lies."""
    before = values_of(tx.job.settings)
    store_settings(tx, before, before | {"frame": definition}, reason)
