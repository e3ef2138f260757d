"""`openstake standin caster|base|rover`: the devices we do not have, each a process of its own."""

from __future__ import annotations

import signal
from collections.abc import Callable
from pathlib import Path

import click

from openstake.core.constants import DAY_S
from openstake.core.errors import InputError
from openstake.core.units import degrees_from_text, metres_from_text
from openstake.live.clock import HOST_CLOCK, ScaledClock
from openstake.live.network import HOST, Outside, outside_of
from openstake.standin.base import BaseReceiver, Broadcast
from openstake.standin.caster import Caster
from openstake.standin.rover import RoverReceiver
from openstake.standin.world import WorldFile


@click.group()
def standin() -> None:
    """Simulated caster, base and rover on the loopback."""


def until_told_to_stop(close: Callable[[], None]) -> None:
    """Wait for SIGTERM or Ctrl-C, then close."""
    stop = HOST_CLOCK.event()
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, lambda *_: stop.set())
    stop.wait()
    close()


def host_and_port(text: str) -> tuple[str, int]:
    host, _, port = text.rpartition(":")
    if not host or not port.isdigit() or not 0 < int(port) < 65536:
        raise InputError(f"'{text}' is not HOST:PORT.")
    return host, int(port)


def _outside(speed: float) -> Outside:
    if not 0.0 < speed <= 100.0:
        raise InputError(f"A speed of {speed:g} cannot be simulated; it lies above 0 and up to 100.")
    # Counted from midnight: stand-ins that are processes of their own agree on the time.
    midnight_s = HOST_CLOCK.now() // DAY_S * DAY_S
    return outside_of(ScaledClock(speed, midnight_s, patient=False))


def _problems(sentence: str) -> None:
    click.echo(sentence, err=True)


@standin.command()
@click.option("--port", type=int, required=True)
@click.option("--user", required=True)
@click.option("--password", required=True)
def caster(port: int, user: str, password: str) -> None:
    """An NTRIP 1 and 2 caster on 127.0.0.1."""
    running = Caster(port, user, password, HOST)
    click.echo(f"Caster on 127.0.0.1:{running.port}.")
    until_told_to_stop(running.close)


@standin.command()
@click.option("--caster", "caster_address", required=True, help="HOST:PORT")
@click.option("--mount", required=True)
@click.option("--password", required=True)
@click.option("--latitude", required=True, help="of the mark, as typed at the base")
@click.option("--longitude", required=True)
@click.option("--height", required=True, help="of the mark, ellipsoidal; bare numbers are metres")
@click.option("--antenna-height", required=True, help="of the ARP above the mark")
@click.option("--station-id", type=int, required=True)
@click.option("--world", type=click.Path(path_type=Path), help="where things really are")
@click.option("--seed", type=int, default=1, show_default=True)
@click.option("--speed", type=float, default=1.0, show_default=True)
@click.option("--nmea-port", type=int, help="where the base tells its own autonomous position")
def base(
    caster_address: str,
    mount: str,
    password: str,
    latitude: str,
    longitude: str,
    height: str,
    antenna_height: str,
    station_id: int,
    world: Path | None,
    seed: int,
    speed: float,
    nmea_port: int | None,
) -> None:
    """A base that broadcasts what was typed; the world file is the truth."""
    if not 0 <= station_id <= 4095:
        raise InputError(f"A station ID of {station_id} does not fit RTCM; it has 0 to 4095.")
    arp_height_m = metres_from_text(antenna_height)
    if not 0.0 <= arp_height_m <= 6.5535:
        raise InputError(f"An antenna height of {arp_height_m:.3f} m does not fit message 1006; it holds 0 to 6.5535 m.")
    host, port = host_and_port(caster_address)
    broadcast = Broadcast(
        host=host,
        port=port,
        mount=mount,
        password=password,
        latitude_deg=degrees_from_text(latitude, "latitude"),
        longitude_deg=degrees_from_text(longitude, "longitude"),
        height_m=metres_from_text(height),
        antenna_height_m=arp_height_m,
        station_id=station_id,
    )
    running = BaseReceiver(WorldFile(world), seed, _outside(speed), nmea_port, _problems)
    running.start(broadcast)
    click.echo(f"Base {station_id} pushes to {caster_address}/{mount}.")
    until_told_to_stop(running.close)


@standin.command()
@click.option("--caster", "caster_address", required=True, help="HOST:PORT")
@click.option("--mount", required=True)
@click.option("--user", required=True)
@click.option("--password", required=True)
@click.option("--port", type=int, required=True, help="where it speaks NMEA")
@click.option("--world", type=click.Path(path_type=Path))
@click.option("--seed", type=int, default=2, show_default=True)
@click.option("--speed", type=float, default=1.0, show_default=True)
@click.option("--rate", type=click.FloatRange(1.0, 5.0), default=1.0, show_default=True, help="epochs a second")
def rover(
    caster_address: str, mount: str, user: str, password: str, port: int, world: Path | None, seed: int, speed: float, rate: float
) -> None:
    """A rover that reads the caster and sends NMEA over TCP."""
    host, caster_port = host_and_port(caster_address)
    url = f"ntrip://{user}@{host}:{caster_port}/{mount}"
    running = RoverReceiver(url, password, port, WorldFile(world), seed, _outside(speed), rate, _problems)
    click.echo(f"Rover speaks NMEA on 127.0.0.1:{running.port}.")
    until_told_to_stop(running.close)
