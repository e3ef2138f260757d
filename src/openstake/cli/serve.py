"""`openstake serve`: the program for real work, without demo data and without stand-ins."""

from __future__ import annotations

from pathlib import Path

import click
from platformdirs import user_data_path

from openstake.app import serve as run


@click.command()
@click.option("--port", type=click.IntRange(0, 65535), default=8420, show_default=True)
@click.option(
    "--data",
    type=click.Path(path_type=Path),
    default=None,
    help="data folder; where this platform keeps a user's data, if none is named",
)
def serve(port: int, data: Path | None) -> None:
    """Serve on 127.0.0.1 until Ctrl-C: no demo, no stand-ins."""
    folder = data if data is not None else user_data_path("openstake", appauthor=False)

    def ready(port: int) -> None:
        click.echo(f"Open Stake on http://127.0.0.1:{port}  (data in {folder.resolve()}; Ctrl-C stops it)")

    run(folder, port, practice=False, demo=False, practice_speed=1.0, on_ready=ready)
