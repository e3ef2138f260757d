"""Values that two crews replaced apart from each other, as they stand: what each has, and which is used until one is chosen."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Table
from sqlalchemy.orm import Session

from openstake.core.judge.crews import judge_crews
from openstake.core.judge.finding import Finding
from openstake.core.units import text_from_metres
from openstake.derive.job import JobNow, job_of
from openstake.store.conflicts import made_s
from openstake.store.records.bases import marks_under
from openstake.store.records.crews import first_readings, open_conflicts, shots_on
from openstake.store.records.labels import labels_of

_WHAT = {
    "mark": "Mark",
    "job_settings": "Settings of the job",
    "point_label": "Point",
    "fit_mark": "Mark of the fit",
    "fit_chosen": "Choice of the fit",
    "fit_applied": "Fit in use",
    "setup": "Set-up of the base",
    "listening": "Address of a rover",
    "shot_settings": "Kinds of shots",
    "check_settings": "Tolerances and plan of checks",
    "ground_measure": "Measure without GNSS",
    "shot_series": "Series of shots",
    "budget_settings": "Terms of the budget",
}
_NO_VALUE = {"id", "replaces_id", "created_s", "started_s", "reason", "who", "job_id", "line_id"}
_MOST_WORDS = 160


@dataclass(frozen=True, kw_only=True)
class CrewsValue:
    """What one crew put in place: in words, when, and why."""

    id: str
    words: str
    at_s: float
    reason: str


@dataclass(frozen=True, kw_only=True)
class CrewsDiffer:
    """A value that two crews replaced: `id` is the row that stands for both, `values` what each has, the one in use first."""

    id: str
    table: str
    what: str
    values: list[CrewsValue]
    finding: Finding


def crews_of(session: Session, job_id: str) -> list[CrewsDiffer]:
    """Return what two crews replaced and nobody has settled: one query where there is nothing, else two more a table."""
    found = []
    for table, conflicts in open_conflicts(session, job_id):
        job = job_of(session, job_id)
        of = _of_what(session, job_id, table, [row for rows in conflicts.values() for row in rows])
        found += [_differ(job, table, row_id, rows, of) for row_id, rows in conflicts.items()]
    return found


def _of_what(session: Session, job_id: str, table: Table, rows: Collection[dict[str, Any]]) -> dict[str, str]:
    """Return by the id of a row what it belongs to: the point of a rover height, the mark under a base."""
    if table.name == "height_reading":
        return _poles(session, job_id, rows) | _bases(session, rows)
    return _bases(session, rows) if table.name == "base_coordinate" else {}


def _poles(session: Session, job_id: str, rows: Collection[dict[str, Any]]) -> dict[str, str]:
    """Return the names of the points that stand on rover heights: a shot names the first row of its line."""
    first = first_readings(session, job_id, [row["id"] for row in rows])
    shots = shots_on(session, set(first.values()))
    labels = labels_of(session, job_id, {shot_id for shot_id, _, _ in shots})
    names: dict[str, list[str]] = {}
    for shot_id, name, reading_id in shots:
        names.setdefault(reading_id, []).append(labels[shot_id].name if shot_id in labels else name)
    return {row_id: ", ".join(names[root]) for row_id, root in first.items() if root in names}


def _bases(session: Session, rows: Collection[dict[str, Any]]) -> dict[str, str]:
    """Return the marks under the bases whose heights or coordinates these are."""
    named = marks_under(session, {row["occupation_id"] for row in rows if row["occupation_id"]})
    return {row["id"]: named[row["occupation_id"]] for row in rows if row["occupation_id"] in named}


def _differ(job: JobNow, table: Table, row_id: str, rows: list[dict[str, Any]], of: Mapping[str, str]) -> CrewsDiffer:
    # What was written last is used.
    rows.sort(key=lambda row: (made_s(row), row["id"]), reverse=True)
    different = [item.name for item in table.columns if item.name not in _NO_VALUE and len({str(row[item.name]) for row in rows}) > 1]
    values = [CrewsValue(id=row["id"], words=_words(job, row, different), at_s=made_s(row), reason=row.get("reason", "")) for row in rows]
    what = _what(table.name, rows[0], of.get(rows[0]["id"], ""))
    said = tuple(value.words for value in values)
    subject = rows[0].get("subject", "")
    return CrewsDiffer(id=row_id, table=table.name, what=what, values=values, finding=judge_crews(table.name, what, said, said[0], subject))


def _what(table: str, row: dict[str, Any], of: str) -> str:
    if table == "height_reading" and row["subject"] != "base":
        return f"Rover height of {of}" if of else "Rover height"
    if table in ("height_reading", "base_coordinate"):
        what = "Height at the base" if table == "height_reading" else "Coordinate of the base"
        return f"{what} on {of}" if of else what
    named = f" {row['name']}" if table in ("mark", "point_label", "fit_mark") else ""
    return f"{_WHAT.get(table, table)}{named}"


def _words(job: JobNow, row: dict[str, Any], different: list[str]) -> str:
    """Return in what a crew's value differs from the other's; two that are alike say so."""
    if "text" in different:
        return str(row["text"])
    parts = []
    for name in different:
        value = row[name]
        if isinstance(value, float) and name.endswith("_m"):
            parts.append(f"{name.removesuffix('_m').replace('_', ' ')} {text_from_metres(value, job.length_unit)}")
        elif isinstance(value, bool):
            parts.append(name.replace("_", " ") if value else f"not {name.replace('_', ' ')}")
        elif name in ("data", "result", "rests_on", "frame"):
            parts.append("other choices")
        else:
            parts.append(f"{name.replace('_', ' ')} {value}")
    said = ", ".join(dict.fromkeys(parts))[:_MOST_WORDS]
    return said or "the same value, written twice"
