"""`openstake backup` and `openstake restore`: a data folder copied while it is used, and put into an empty one."""

from __future__ import annotations

from pathlib import Path

import click

from openstake.cli import show
from openstake.live.clock import HOST_CLOCK
from openstake.store import backup as backups
from openstake.store.backup import Backup


def _said(found: Backup, where: Path, as_json: bool) -> None:
    document = {
        "folder": str(where),
        "created_s": found.created_s,
        "entries": found.entries,
        "last_hash": found.last_hash,
        "files": len(found.files),
        "bytes": sum(file.bytes for file in found.files),
    }
    show(document, as_json, [f"{where}", backups.in_words(found), f"last hash {found.last_hash}"])


@click.command()
@click.argument("into", metavar="DIR", type=click.Path(path_type=Path))
@click.option("--data", type=click.Path(path_type=Path), default=Path("data"), show_default=True, help="data folder")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")
def backup(into: Path, data: Path, as_json: bool) -> None:
    """Copy a data folder into a new folder in DIR, also while the program runs, and read the copy back."""
    made = backups.back_up(data, into, HOST_CLOCK.now())
    _said(made, made.folder, as_json)


@click.command()
@click.argument("source", metavar="DIR", type=click.Path(path_type=Path))
@click.option("--data", type=click.Path(path_type=Path), required=True, help="an empty folder, or one that is not there yet")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")
def restore(source: Path, data: Path, as_json: bool) -> None:
    """Put a backup (or the newest in DIR) into an empty folder, which goes on as an installation of its own."""
    _said(backups.restore(source, data, HOST_CLOCK.now()), data, as_json)
