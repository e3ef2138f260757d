"""`openstake serve`: the program for real work, without demo data and without stand-ins; on the network too, where that is asked for."""

from __future__ import annotations

import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

import click
from platformdirs import user_data_path

from openstake.app import serve as run
from openstake.core.errors import InputError
from openstake.live.network import HOST
from openstake.webserver import LanRequest
from openstake.workflow.access import SHORTEST_PASSPHRASE, Door, checked_passphrase

_LAN_OPTIONS = (
    click.option("--lan", is_flag=True, help="answer phones and tablets on the network too, over TLS, with a passphrase"),
    click.option("--lan-port", type=click.IntRange(0, 65535), default=8443, show_default=True, help="port of --lan"),
    click.option("--lan-address", multiple=True, help="address of this machine for --lan; all of them, if none is named"),
    click.option("--certificate", type=click.Path(path_type=Path), help="your own certificate for --lan (PEM)"),
    click.option("--key", type=click.Path(path_type=Path), help="its private key (PEM)"),
)


def lan_options(command: Callable[..., Any]) -> Callable[..., Any]:
    """Add the options of the listener on the network."""
    for option in reversed(_LAN_OPTIONS):
        command = option(command)
    return command


def lan_wish(lan: bool, lan_port: int, lan_address: tuple[str, ...], certificate: Path | None, key: Path | None) -> LanRequest | None:
    """Return what is asked of the listener on the network; None where it is not."""
    request = LanRequest(port=lan_port, addresses=lan_address, certificate=certificate, key=key)
    if not lan and (lan_address or certificate):
        raise InputError("An address or a certificate can only be used with --lan.")
    return request if lan else None


def ready(folder: Path, said: str = "") -> Callable[[int, Door | None, str], None]:
    """Return what tells where the program is, once it is there, and what is `said` of its door."""

    def tell(port: int, door: Door | None, token: str) -> None:
        key = f"/?door={token}" if token else ""
        click.echo(f"Open Stake on http://127.0.0.1:{port}{key}  (data in {folder.resolve()}; Ctrl-C stops it)")
        if said:
            click.echo(f"  {said}")
        for name in door.names if door else ():
            click.echo(f"  phones: https://{name}:{door.port if door else 0}")
        if door is not None and door.root_pem is not None:
            click.echo(f"  root certificate, SHA-256 {door.fingerprint}")

    return tell


def first_passphrase() -> str | None:
    """Ask for a passphrase where somebody sits at the terminal; else it is set on the page Phones."""
    if not sys.stdin.isatty():
        return None
    question = f"Passphrase for phones, at least {SHORTEST_PASSPHRASE} characters"
    said: str = click.prompt(question, hide_input=True, confirmation_prompt=True, value_proc=_typed)
    return said


def _typed(text: str) -> str:
    """Return a passphrase that was typed; one that is easily guessed is asked for again."""
    try:
        return checked_passphrase(text)
    except InputError as error:
        raise click.BadParameter(error.sentence) from None


@click.command()
@click.option("--port", type=click.IntRange(0, 65535), default=8420, show_default=True)
@click.option(
    "--data", type=click.Path(path_type=Path), default=None, help="data folder; where this platform keeps a user's data, if none is named"
)
@click.option("--open-door", is_flag=True, help="answer every user of this machine, without the token of the printed address")
@lan_options
def serve(port: int, data: Path | None, open_door: bool, **lan: Any) -> None:
    """Serve on 127.0.0.1 until Ctrl-C: no demo, no stand-ins.  With --lan, on the network too."""
    folder = data if data is not None else user_data_path("openstake", appauthor=False)
    run(
        folder,
        port,
        practice=False,
        demo=False,
        outside=HOST,
        open_door=open_door,
        lan=lan_wish(**lan),
        on_ready=ready(folder, "No token is asked for: every user of this machine can read and write these jobs." if open_door else ""),
        first_passphrase=first_passphrase,
    )
