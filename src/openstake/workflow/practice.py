"""The practice field: stand-in caster, base and rover inside the program, and the world they stand in."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any, TypeVar

from openstake.core.errors import DeviceError
from openstake.standin.base import BaseReceiver, Broadcast
from openstake.standin.caster import Caster
from openstake.standin.clock import SimClock
from openstake.standin.rover import RoverReceiver
from openstake.standin.world import Obstruction, Stand, World, WorldFile, read_world, write_world

T = TypeVar("T")

MOUNT = "PRACTICE"
USER = "crew"
PASSWORD = "sluice-loopback"  # the stand-ins' own; it opens nothing else
CASTER_PORT, BASE_PORT, ROVER_PORT = 2101, 5016, 5017
TRUE_BASE_HEIGHT_M = 1.546
TRUE_ROD_M = 2.000
# A wood south-west of the base, invented: it hides the low sky there.
_WOOD = (Obstruction(215.0, 260.0, 18.0),)


class Practice:
    """Three stand-ins.  They use their usual ports where these are free, others where not."""

    def __init__(self, data_dir: Path, seed: int = 7, speed: float = 1.0) -> None:
        self.world_path = data_dir / "world.json"
        self._lock = threading.Lock()
        if not self.world_path.exists():
            write_world(self.world_path, World(None, None, 56.9, seed))
        world, clock = WorldFile(self.world_path), SimClock(speed)
        self.caster = _on(CASTER_PORT, lambda port: Caster(port, USER, PASSWORD))
        self.base = _on(BASE_PORT, lambda port: BaseReceiver(world, seed, clock, port))
        self.rover = _on(
            ROVER_PORT,
            lambda port: RoverReceiver(
                self.base_stream_url, PASSWORD, port, WorldFile(self.world_path), seed + 1, clock
            ),
        )

    @property
    def base_stream_url(self) -> str:
        return f"ntrip://{USER}@127.0.0.1:{self.caster.port}/{MOUNT}"

    @property
    def rover_url(self) -> str:
        return f"tcp://127.0.0.1:{self.rover.port}"

    @property
    def base_receiver_url(self) -> str:
        return f"tcp://127.0.0.1:{self.base.nmea_port}"

    @property
    def world(self) -> World:
        return read_world(self.world_path)

    def stand_base(self, latitude_deg: float, longitude_deg: float, height_m: float) -> None:
        """Set the stand-in tripod up over a point (the mark, ellipsoidal)."""
        stand = Stand(latitude_deg, longitude_deg, height_m, TRUE_BASE_HEIGHT_M, _WOOD)
        with self._lock:
            write_world(self.world_path, replace(self.world, base=stand))

    def stand_rover(self, latitude_deg: float, longitude_deg: float, height_m: float) -> None:
        """Walk the stand-in pole to a point."""
        with self._lock:
            write_world(
                self.world_path, replace(self.world, rover=Stand(latitude_deg, longitude_deg, height_m, TRUE_ROD_M))
            )

    def broadcast(
        self, latitude_deg: float, longitude_deg: float, height_m: float, arp_height_m: float, station_id: int,
        **switched: Any,
    ) -> None:  # fmt: skip
        """Type a mark's coordinate and the antenna height into the stand-in base, and start it."""
        self.base.start(
            Broadcast(
                "127.0.0.1", self.caster.port, MOUNT, PASSWORD, latitude_deg, longitude_deg, height_m, arp_height_m,
                station_id, **switched,
            )
        )  # fmt: skip

    def close(self) -> None:
        self.rover.close()
        self.base.close()
        self.caster.close()


def _on(port: int, make: Callable[[int], T]) -> T:
    """Make a stand-in on its usual port, or on any free one where that is taken."""
    try:
        return make(port)
    except DeviceError:
        return make(0)
