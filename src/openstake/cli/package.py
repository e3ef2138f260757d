"""`openstake package` and `openstake unpack`: a job to another machine, whole, and joined there with what is here of it."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import cast

import click

from openstake.cli import show
from openstake.derive.job import named_job
from openstake.live.hub import Hub
from openstake.store.database import Database, ReadOnly
from openstake.store.lock import FolderLock
from openstake.workflow.context import Context
from openstake.workflow.packages import package_in_words, read_package, write_package


@click.command()
@click.argument("job")
@click.argument("out", metavar="OUT.zip", type=click.Path(path_type=Path, dir_okay=False))
@click.option("--data", type=click.Path(path_type=Path), default=Path("data"), show_default=True, help="data folder")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")
def package(job: str, out: Path, data: Path, as_json: bool) -> None:
    """Write JOB (a name or an id) with its Book, raw streams and photos as a package, also while the program runs."""
    database = ReadOnly(data)
    try:
        with database.read() as session:
            job_id = named_job(session, job).id
        context = Context(database=cast(Database, database), hub=Hub(), data_dir=data, practice=None)
        made = write_package(context, job_id, out)
    finally:
        database.close()
    show(asdict(made), as_json, [f"{out}", package_in_words(made), f"fingerprint {made.fingerprint}"])


@click.command()
@click.argument("source", metavar="IN.zip", type=click.Path(path_type=Path, dir_okay=False, exists=True))
@click.option("--data", type=click.Path(path_type=Path), default=Path("data"), show_default=True, help="data folder")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")
def unpack(source: Path, data: Path, as_json: bool) -> None:
    """Put a package into a data folder, or join it with what is there of its job; not while the program runs on it."""
    lock = FolderLock(data)
    try:
        database = Database.in_folder(data)
        try:
            made = read_package(Context(database=database, hub=Hub(), data_dir=data, practice=None), source)
        finally:
            database.close()
    finally:
        lock.release()
    fingerprint = [] if made.unproven else [f"fingerprint {made.fingerprint}"]
    show(asdict(made) | {"words": made.words}, as_json, [made.words, *fingerprint])
