"""Geoid grids: the one that comes with the program, and those that were added, each under its SHA-256."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import IO

from openstake.core.errors import InputError
from openstake.derive.job import TRAINING_GRID, grid_of_file
from openstake.store.models import GeoidGridFile
from openstake.store.records.kits import geoid_of_file, geoid_rows, training_geoid
from openstake.wire.gridfiles import grid_ending
from openstake.workflow.command import OF_NO_JOB, Transaction, carry_out
from openstake.workflow.context import Context
from openstake.workflow.job.drafts import kept_draft
from openstake.workflow.trial import prove_grid


@dataclass(frozen=True, kw_only=True)
class Geoid:
    """A geoid grid with its area and step; `problem` where its file cannot be read any more."""

    id: str
    name: str
    training_only: bool
    west_deg: float | None
    south_deg: float | None
    east_deg: float | None
    north_deg: float | None
    latitude_step_min: float | None
    longitude_step_min: float | None
    problem: str


@dataclass(frozen=True)
class Geoids:
    """The geoid grids of the data folder."""

    geoids: list[Geoid]


def ensure_training_grid(context: Context) -> None:
    """List the coarse grid that comes with the program, once."""

    def work(tx: Transaction) -> None:
        if training_geoid(tx.session) is None:
            tx.session.add(
                GeoidGridFile(name="EGM96, 15 minutes (training only)", file=TRAINING_GRID.name, training_only=True, created_s=tx.now_s)
            )

    carry_out(context, OF_NO_JOB, work)


def training_grid_id(context: Context) -> str:
    with context.database.read() as session:
        row = training_geoid(session)
    assert row is not None, "it is listed when the program starts"
    return row.id


def list_geoids(context: Context) -> Geoids:
    """Return the grids of the data folder with area and resolution, or the problem of a file that has gone."""
    with context.database.read() as session:
        rows = geoid_rows(session)
    return Geoids([_geoid_view(row, context.data_dir) for row in rows])


def _geoid_view(row: GeoidGridFile, folder: Path) -> Geoid:
    try:
        grid = grid_of_file(row, folder)
    except InputError as error:
        return Geoid(
            id=row.id,
            name=row.name,
            training_only=row.training_only,
            west_deg=None,
            south_deg=None,
            east_deg=None,
            north_deg=None,
            latitude_step_min=None,
            longitude_step_min=None,
            problem=error.sentence,
        )
    area = grid.area
    return Geoid(
        id=row.id,
        name=row.name,
        training_only=row.training_only,
        west_deg=area.west_deg,
        south_deg=area.south_deg,
        east_deg=area.east_deg,
        north_deg=area.north_deg,
        latitude_step_min=grid.latitude_step_min,
        longitude_step_min=grid.longitude_step_min,
        problem="",
    )


def add_geoid(context: Context, name: str, stream: IO[bytes]) -> Geoid:
    """Keep a geoid grid that was sent, once it has been read; the same file twice is one grid."""
    name = " ".join(name.split())[:200] or "geoid grid"
    start = stream.read(1 << 20)
    ending = grid_ending(start)
    with kept_draft(context, context.data_dir / "geoid", start, stream, ending) as draft:
        prove_grid(draft.path)
        file, size = draft.sha256 + ending, draft.size
        draft.path.replace(context.data_dir / "geoid" / file)

    def work(tx: Transaction) -> GeoidGridFile:
        if known := geoid_of_file(tx.session, file):
            return known
        row = GeoidGridFile(name=name, file=file, created_s=tx.now_s)
        tx.add(row)
        tx.tell("geoid-added", f"Geoid grid {name} added ({size} bytes).", geoid=row.id)
        return row

    return _geoid_view(carry_out(context, OF_NO_JOB, work), context.data_dir)
