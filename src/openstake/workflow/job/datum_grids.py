"""Grids of datum operations: files that a national operation needs and that do not come with the program, brought in once.

They are no part of a package: who may pass them on is said by who publishes them.
"""

from __future__ import annotations

import hashlib
import os
import sqlite3
from contextlib import closing
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import IO

from openstake.core.errors import ConflictError, InputError
from openstake.core.geodesy.grids import GRID_NAME
from openstake.core.geodesy.systems import finer_with_grid
from openstake.workflow.command import OF_NO_JOB, Transaction, carry_out
from openstake.workflow.context import Context
from openstake.workflow.job.drafts import kept_draft
from openstake.workflow.trial import prove_datum_grid

FOLDER = "datum"


@lru_cache(maxsize=1)
def known_grids() -> frozenset[str]:
    """Return the names of all grids that operations of the EPSG dataset may ask for, as PROJ's database has them."""
    import pyproj

    database = Path(pyproj.datadir.get_data_dir().split(";")[0]) / "proj.db"
    with closing(sqlite3.connect(f"file:{database}?mode=ro", uri=True)) as opened:
        rows = opened.execute("SELECT proj_grid_name, old_proj_grid_name, original_grid_name FROM grid_alternatives").fetchall()
    return frozenset(name for row in rows for name in row if name)


@dataclass(frozen=True)
class DatumGrid:
    """A grid that is here: its name as operations ask for it."""

    name: str


def add_datum_grid(context: Context, name: str, stream: IO[bytes]) -> DatumGrid:
    """Keep a grid under the name that operations ask for it by, once it has been read; ConflictError where another is there."""
    if not GRID_NAME.fullmatch(name) or name not in known_grids():
        raise InputError(
            f"No operation of the EPSG dataset asks for a grid called '{name[:80]}'. Choose the operation first, then its grid.",
            field="name",
        )
    folder = context.data_dir / FOLDER
    with kept_draft(context, folder, stream.read(1 << 20), stream, Path(name).suffix) as draft:
        prove_datum_grid(draft.path)
        there, size = folder / name, draft.size
        try:
            os.link(draft.path, there)  # whoever comes second finds it there: nothing is overwritten
        except FileExistsError:
            with there.open("rb") as file:
                same = hashlib.file_digest(file, "sha256").hexdigest() == draft.sha256
            if not same:
                raise ConflictError(
                    f"Another file is here as {name} already, and jobs may rest on it. Take it out of the folder {FOLDER} of the data folder first."
                ) from None
            return DatumGrid(name)

    def work(tx: Transaction) -> None:
        tx.tell("datum-grid-added", f"Grid {name} for datum operations added ({size} bytes).", sha256=draft.sha256)

    carry_out(context, OF_NO_JOB, work)
    finer_with_grid.cache_clear()
    return DatumGrid(name)
