"""`openstake demo`: the program with its demo jobs and stand-ins."""

from __future__ import annotations

from pathlib import Path

import click

from openstake.app import serve


@click.command()
@click.option("--port", type=int, default=8420, show_default=True)
@click.option("--data", type=click.Path(path_type=Path), default=Path("data"), show_default=True, help="data folder")
@click.option(
    "--speed", type=click.FloatRange(0.1, 20.0), default=1.0, show_default=True, help="of the stand-ins' time"
)
def demo(port: int, data: Path, speed: float) -> None:
    """Serve the demo on 127.0.0.1 until Ctrl-C."""

    def ready(port: int) -> None:
        click.echo(f"Open Stake on http://127.0.0.1:{port}  (data in {data.resolve()}; Ctrl-C stops it)")

    serve(data, port, practice=True, demo=True, practice_speed=speed, on_ready=ready)
