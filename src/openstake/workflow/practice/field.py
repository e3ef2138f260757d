"""The practice field: stand-in caster, base, rover and network inside the program, and the world they stand in."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import replace
from math import cos, degrees, radians
from pathlib import Path
from typing import Any, TypeVar

from openstake.core.errors import DeviceError
from openstake.core.geodesy.ellipsoid import WGS84
from openstake.live.clock import ShiftedClock
from openstake.live.network import Outside
from openstake.standin.base import BaseReceiver, Broadcast
from openstake.standin.caster import Caster
from openstake.standin.rover import RoverReceiver
from openstake.standin.world import Obstruction, Stand, World, WorldFile, read_world, write_world

T = TypeVar("T")

MOUNT = "PRACTICE"
USER = "crew"
NETWORK_STATION_ID = 900
PASSWORD = "sluice-loopback"  # the stand-ins' own; it opens nothing else
CASTER_PORT, BASE_PORT, ROVER_PORT, FURTHER_PORT = 2101, 5016, 5017, 5018
TRUE_BASE_HEIGHT_M = 1.546
TRUE_ROD_M = 2.000
# A bench behind an invented office; the meridian's radius there is within 0.1 % of the equator's.
_BENCH = (53.35, -6.25, 70.0)
_BENCH_STATION_ID = 18
# A wood south-west of the base, invented: it hides the low sky there.
_WOOD = (Obstruction(215.0, 260.0, 18.0),)
# And a bank with alders north-east of every mark: the rover lists satellites there and hears nothing of them.
_BANK = (Obstruction(25.0, 75.0, 24.0),)


class Practice:
    """Three stand-ins.  They use their usual ports where these are free, others where not."""

    def __init__(self, data_dir: Path, outside: Outside, seed: int = 7) -> None:
        self.world_path = data_dir / "world.json"
        # The stand-ins live in the time of the job that works with them.
        self._ahead_s = 0.0
        self._outside = outside = replace(outside, clock=ShiftedClock(outside.clock, lambda: self._ahead_s))
        self._lock = threading.Lock()
        if not self.world_path.exists():
            write_world(self.world_path, World(base=None, rover=None, separation_m=56.9, seed=seed))
        world = WorldFile(self.world_path)
        self._network: BaseReceiver | None = None
        self._further: RoverReceiver | None = None
        self._seed = seed
        self.caster = _on(CASTER_PORT, lambda port: Caster(port, USER, PASSWORD, outside))
        self.base = _on(BASE_PORT, lambda port: BaseReceiver(world, seed, outside, port))
        self.rover = _on(
            ROVER_PORT, lambda port: RoverReceiver(self.base_stream_url, PASSWORD, port, WorldFile(self.world_path), seed + 1, outside)
        )

    @property
    def base_stream_url(self) -> str:
        return f"ntrip://{USER}@127.0.0.1:{self.caster.port}/{MOUNT}"

    @property
    def rover_url(self) -> str:
        return f"tcp://127.0.0.1:{self.rover.port}"

    def further_rover(self) -> str:
        """Return the address of a second stand-in rover, made when it is first asked for: it stands 25 m east of the first."""
        with self._lock:
            if self._further is None:
                self._place_further()
                self._further = _on(
                    FURTHER_PORT,
                    lambda port: RoverReceiver(
                        self.base_stream_url, PASSWORD, port, WorldFile(self._further_path), self._seed + 3, self._outside
                    ),
                )
        return f"tcp://127.0.0.1:{self._further.port}"

    @property
    def _further_path(self) -> Path:
        return self.world_path.with_name("further.json")

    def _place_further(self) -> None:
        """Let the second stand-in rover stand beside the first."""
        world = self.world
        stand = world.rover
        if stand is not None:
            stand = replace(stand, longitude_deg=stand.longitude_deg + 25.0 / (111_320.0 * cos(radians(stand.latitude_deg))))
        write_world(self._further_path, replace(world, rover=stand))

    def begin_bench(self, apart_m: float) -> None:
        """Put both stand-ins on a bench, so far apart, and let the base broadcast until it is silenced."""
        base = Stand(latitude_deg=_BENCH[0], longitude_deg=_BENCH[1], height_m=_BENCH[2], arp_height_m=TRUE_ROD_M)
        north_deg = degrees(apart_m / (WGS84.equatorial_radius_m))
        with self._lock:
            write_world(self.world_path, replace(self.world, base=base, rover=replace(base, latitude_deg=base.latitude_deg + north_deg)))
        self.broadcast(*_BENCH, TRUE_ROD_M, _BENCH_STATION_ID)

    def initialise_anew(self, further: bool) -> None:
        """Let a stand-in rover drop all satellites and begin again."""
        rover = self._further if further else self.rover
        if rover is not None:
            rover.initialise_anew()

    def live_at(self, ahead_s: float) -> None:
        """Live so many seconds ahead of the clock, as the job does that works with them."""
        with self._lock:
            leap_s, self._ahead_s = ahead_s - self._ahead_s, ahead_s
        if leap_s:
            for rover in self._rovers:
                rover.leap(leap_s)

    def cut_link(self, seconds: float) -> None:
        """Let no correction reach the stand-in rovers for so long."""
        for rover in self._rovers:
            rover.cut_link(seconds)

    @property
    def _rovers(self) -> list[RoverReceiver]:
        return [rover for rover in (self.rover, self._further) if rover is not None]

    @property
    def base_receiver_url(self) -> str:
        return f"tcp://127.0.0.1:{self.base.nmea_port}"

    @property
    def password(self) -> str:
        return PASSWORD

    def silence(self) -> None:
        """Stop the stand-in base."""
        self.base.silence()

    @property
    def world(self) -> World:
        return read_world(self.world_path)

    def stand_base(self, latitude_deg: float, longitude_deg: float, height_m: float) -> None:
        """Set the stand-in tripod up over a point (the mark, ellipsoidal)."""
        stand = Stand(
            latitude_deg=latitude_deg, longitude_deg=longitude_deg, height_m=height_m, arp_height_m=TRUE_BASE_HEIGHT_M, obstructions=_WOOD
        )
        with self._lock:
            write_world(self.world_path, replace(self.world, base=stand))
            if self._further is not None:
                self._place_further()

    def stand_rover(self, latitude_deg: float, longitude_deg: float, height_m: float) -> None:
        """Walk the stand-in pole to a point."""
        with self._lock:
            stand = Stand(
                latitude_deg=latitude_deg, longitude_deg=longitude_deg, height_m=height_m, arp_height_m=TRUE_ROD_M, obstructions=_BANK
            )
            write_world(self.world_path, replace(self.world, rover=stand))
            if self._further is not None:
                self._place_further()

    def broadcast(
        self, latitude_deg: float, longitude_deg: float, height_m: float, arp_height_m: float, station_id: int, **switched: Any
    ) -> None:
        """Type a mark's coordinate and the antenna height into the stand-in base, and start it."""
        self.hang_up_network()
        self.base.start(
            Broadcast(
                host="127.0.0.1",
                port=self.caster.port,
                mount=MOUNT,
                password=PASSWORD,
                latitude_deg=latitude_deg,
                longitude_deg=longitude_deg,
                height_m=height_m,
                antenna_height_m=arp_height_m,
                station_id=station_id,
                **switched,
            )
        )

    def start_network(self) -> None:
        """Let a permanent station some kilometres from the rover send corrections, as a network would, until hung up."""
        world = self.world
        if self._network is not None or world.rover is None or self.base.is_sending:
            return
        # 2.2 km north of the pole, invented; its coordinate is right.
        station = replace(world.rover, latitude_deg=world.rover.latitude_deg + 0.02, arp_height_m=0.0)
        path = self.world_path.with_name("network.json")
        write_world(path, replace(world, base=station, rover=None))
        self._network = BaseReceiver(WorldFile(path), (world.seed or 0) + 2, self._outside)
        self._network.start(
            Broadcast(
                host="127.0.0.1",
                port=self.caster.port,
                mount=MOUNT,
                password=PASSWORD,
                latitude_deg=station.latitude_deg,
                longitude_deg=station.longitude_deg,
                height_m=station.height_m,
                antenna_height_m=0.0,
                station_id=NETWORK_STATION_ID,
                virtual=True,
            )
        )

    def hang_up_network(self) -> None:
        """End the network's corrections."""
        network, self._network = self._network, None
        if network is not None:
            network.close()

    def close(self) -> None:
        self.hang_up_network()
        if self._further is not None:
            self._further.close()
        self.rover.close()
        self.base.close()
        self.caster.close()


def _on(port: int, make: Callable[[int], T]) -> T:
    """Make a stand-in on its usual port, or on any free one where that is taken."""
    try:
        return make(port)
    except DeviceError:
        return make(0)
