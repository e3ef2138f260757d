"""`openstake book verify`: is the Book whole."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path

import click

from openstake.cli import show
from openstake.derive.job import named_job
from openstake.store.book import verify as verify_book
from openstake.store.database import ReadOnly


@click.group()
def book() -> None:
    """The Book of a data folder."""


@book.command()
@click.option("--data", type=click.Path(path_type=Path), default=Path("data"), show_default=True, help="data folder")
@click.option("--job", help="name or id of a job: its lines, and every link of the chain")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")
def verify(data: Path, job: str | None, as_json: bool) -> None:
    """Walk the hash chain and say whether it is whole."""
    database = ReadOnly(data)
    try:
        with database.read() as session:
            result = verify_book(session, None if job is None else named_job(session, job).id)
    finally:
        database.close()
    show(asdict(result), as_json, [result.sentence, f"last hash {result.last_hash}"])
