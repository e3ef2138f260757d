"""`openstake report`: a report of a job as PDF, also beside a program that runs."""

from __future__ import annotations

from pathlib import Path
from typing import cast

import click

from openstake.core.report import REPORTS
from openstake.derive.job import named_job
from openstake.live.hub import Hub
from openstake.store.database import Database, ReadOnly
from openstake.workflow.context import Context
from openstake.workflow.reports import ReportQuery, pdf


@click.command()
@click.argument("job")
@click.option("--kind", type=click.Choice(tuple(REPORTS)), required=True)
@click.option("--out", type=click.Path(path_type=Path, dir_okay=False), required=True, help="the PDF to write")
@click.option("--day", default="", help="of a day sheet, as 2026-11-27; the newest one if none is named")
@click.option("--data", type=click.Path(path_type=Path), default=Path("data"), show_default=True, help="data folder")
def report(job: str, kind: str, out: Path, day: str, data: Path) -> None:
    """Write a report of JOB (a name or an id) as PDF."""
    database = ReadOnly(data)
    try:
        with database.read() as session:
            job_id = named_job(session, job).id
        # Nothing of a report is written to the folder: reading is all that is asked of the database.
        content, _, _ = pdf(
            Context(database=cast(Database, database), hub=Hub(), data_dir=data, practice=None), job_id, kind, ReportQuery(day)
        )
    finally:
        database.close()
    out.write_bytes(content)
    click.echo(f"{out}: {len(content) / 1000:.0f} kB")
