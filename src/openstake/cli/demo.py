"""`openstake demo`: the program with its demo jobs and stand-ins."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from openstake.app import serve
from openstake.cli.serve import first_passphrase, lan_options, lan_wish, ready
from openstake.live.network import faster


@click.command()
@click.option("--port", type=int, default=8420, show_default=True)
@click.option("--data", type=click.Path(path_type=Path), default=Path("data"), show_default=True, help="data folder")
@click.option(
    "--speed", type=click.FloatRange(0.1, 20.0), default=1.0, show_default=True, help="of the time in which sessions and stand-ins run"
)
@lan_options
def demo(port: int, data: Path, speed: float, **lan: Any) -> None:
    """Serve the demo on 127.0.0.1 until Ctrl-C.  With --lan, on the network too."""
    serve(
        data,
        port,
        practice=True,
        demo=True,
        outside=faster(speed),
        on_ready=ready(data),
        open_door=True,
        lan=lan_wish(**lan),
        first_passphrase=first_passphrase,
    )
