"""The Book: what happened, in order; and the points to take home."""

from __future__ import annotations

import csv
import io
import json
from typing import Any

from sqlalchemy import select

from openstake.core.units import METRES_PER_UNIT
from openstake.store.book import verify
from openstake.store.models import BookEntry, Shot
from openstake.workflow.context import Context, job_of
from openstake.workflow.now import points


def entries(context: Context, job_id: str) -> list[dict[str, Any]]:
    """Return the job's lines, newest first."""
    with context.database.read() as session:
        job_of(session, job_id)
        rows = session.scalars(
            select(BookEntry).where(BookEntry.job_id == job_id).order_by(BookEntry.sequence.desc())
        ).all()
    found = []
    for row in rows:
        document = json.loads(row.text)
        found.append(
            {
                "id": row.id, "sequence": row.sequence, "at_s": float(document["at_s"]), "kind": document["kind"],
                "sentence": document["sentence"], "side": document["side"], "hash": row.hash,
            }
        )  # fmt: skip
    return found


def verification(context: Context) -> dict[str, Any]:
    with context.database.read() as session:
        result = verify(session)
    return {
        "whole": result.whole, "entries": result.entries, "devices": result.devices, "last_hash": result.last_hash,
        "break_at": result.break_at, "sentence": result.sentence,
    }  # fmt: skip


def points_csv(context: Context, job_id: str) -> str:
    """Return the job's shots as CSV in the job's unit: coordinates derived now, differences observed − known."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        factor, unit = METRES_PER_UNIT[job.length_unit], job.length_unit
        text = io.StringIO()
        table = csv.writer(text, lineterminator="\r\n")
        table.writerow(
            [
                "name", f"east_{unit}", f"north_{unit}", f"ellipsoidal_height_{unit}", "epochs", "not_fixed",
                f"claimed_sigma_east_{unit}", f"claimed_sigma_north_{unit}", f"claimed_sigma_up_{unit}",
                "covariance_origin", "frame", "frame_epoch", "base_height_m", "rover_height_m", "recorded_utc_s",
            ]
        )  # fmt: skip

        def length(value: float | None, decimals: int = 4) -> str:
            return "" if value is None else f"{value / factor:.{decimals}f}"

        for shot in session.scalars(select(Shot).where(Shot.job_id == job_id).order_by(Shot.created_s)):
            point = points.derive(session, job, shot)
            table.writerow(
                [
                    _harmless(shot.name), length(point.east_m), length(point.north_m), length(point.height_m),
                    point.epochs, point.not_fixed, length(shot.sigma_east_m), length(shot.sigma_north_m),
                    length(shot.sigma_up_m), shot.covariance_origin, shot.frame, shot.frame_epoch,
                    f"{point.base_height.arp_height_m:.4f}", f"{point.rover_height.arp_height_m:.4f}",
                    f"{shot.created_s:.3f}",
                ]
            )  # fmt: skip
    return text.getvalue()


def _harmless(name: str) -> str:
    """Return a name that no spreadsheet takes for a formula."""
    return f"'{name}" if name[:1] in "=+-@\t" else name
