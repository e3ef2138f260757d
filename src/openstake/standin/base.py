"""The stand-in base: it sees the sky from where it truly stands, and broadcasts the coordinate that was typed."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from openstake.core.errors import DeviceError
from openstake.core.evidence import StationReference
from openstake.core.geodesy.ellipsoid import ecef_from_geodetic
from openstake.core.vector import raised_along_normal
from openstake.live.network import Connection, Outside
from openstake.live.transport import connect
from openstake.standin.clock import ticks
from openstake.standin.fanout import Fanout
from openstake.standin.observables import Observables
from openstake.standin.receiver import AUTONOMOUS_MEMORY_S, AUTONOMOUS_SIGMA_M, HORIZON_DEG, Wander, burst, displaced
from openstake.standin.sky import visible
from openstake.standin.world import WorldFile
from openstake.wire.ntrip.http import source_request
from openstake.wire.rtcm3.station import Descriptor, GlonassBiases, encode_biases, encode_descriptor, encode_reference

STATION_INTERVAL_S = 10
_RETRY_S = 1.0


@dataclass(frozen=True, kw_only=True)
class Broadcast:
    """What was typed at the base: mark (degrees, ellipsoidal metres), ARP height above it, and where to push.

    The rest is what can be switched in a receiver: a 1005 in place of the 1006 (`states_height` False), the flag of a
    virtual station, messages that are off, the seconds between two epochs, and the elevation mask.
    """

    host: str
    port: int
    mount: str
    password: str
    latitude_deg: float
    longitude_deg: float
    height_m: float
    antenna_height_m: float
    station_id: int
    states_height: bool = True
    virtual: bool = False
    switched_off: frozenset[int] = frozenset()
    epoch_interval_s: int = 1
    mask_deg: float = HORIZON_DEG

    @property
    def arp_ecef_m(self) -> NDArray[np.float64]:
        mark = ecef_from_geodetic(self.latitude_deg, self.longitude_deg, self.height_m)
        return raised_along_normal(mark, self.antenna_height_m)

    @property
    def station(self) -> StationReference:
        x, y, z = (float(value) for value in self.arp_ecef_m)
        height = self.antenna_height_m if self.states_height else None
        return StationReference(station_id=self.station_id, x_m=x, y_m=y, z_m=z, antenna_height_m=height, virtual=self.virtual)

    def station_frames(self) -> list[bytes]:
        """Return 1006, 1008, 1033 and 1230: what goes out every ten seconds."""
        antenna = Descriptor(station_id=self.station_id, antenna="STANDIN-A NONE", setup_id=0, antenna_serial="0001")
        return [
            encode_reference(self.station),
            encode_descriptor(antenna),
            encode_descriptor(replace(antenna, receiver="STANDIN BASE", firmware="0.1", receiver_serial="S-4471")),
            encode_biases(GlonassBiases(self.station_id, True, (0.0, 0.0, 0.0, 0.0))),
        ]


def _number(frame: bytes) -> int:
    """Return the message number of a frame: the 12 bits after its three-byte head."""
    return int.from_bytes(frame[3:5], "big") >> 4


class BaseReceiver:
    """A receiver on a tripod.  It reports its autonomous position over TCP, and broadcasts once it is told to."""

    def __init__(
        self,
        world: WorldFile,
        seed: int,
        outside: Outside,
        nmea_port: int | None = None,
        on_problem: Callable[[str], None] = lambda sentence: None,
    ) -> None:
        self._world, self._seed, self._on_problem = world, seed, on_problem
        self._clock, self._network = outside.clock, outside.network
        self._stop = self._clock.event()
        self._broadcast: Broadcast | None = None
        self._connection: Connection | None = None
        self._fanout = Fanout(nmea_port, outside) if nmea_port is not None else None
        self.nmea_port = self._fanout.port if self._fanout else None
        self._thread = self._clock.thread(self._run, "stand-in base")
        self._thread.start()

    def start(self, broadcast: Broadcast) -> None:
        """Begin to broadcast, or go on with other settings."""
        self._hang_up()
        self._broadcast = broadcast

    @property
    def is_sending(self) -> bool:
        """Whether it was told to broadcast."""
        return self._broadcast is not None

    def silence(self) -> None:
        """Stop broadcasting."""
        self._broadcast = None
        self._hang_up()

    def close(self) -> None:
        self._stop.set()
        self._hang_up()
        if self._fanout:
            self._fanout.close()
        self._thread.join(1.5)

    def wait(self) -> None:
        """Block until `close` is called from elsewhere."""
        self._stop.wait()

    def _hang_up(self) -> None:
        connection, self._connection = self._connection, None
        if connection is not None:
            with contextlib.suppress(OSError):
                connection.close()

    def _true_arp(self, broadcast: Broadcast | None) -> NDArray[np.float64] | None:
        """Where the antenna really is: the world's word, or what was typed where there is no world."""
        stand = self._world.world.base
        if stand is not None:
            return stand.arp_ecef_m
        return broadcast.arp_ecef_m if broadcast else None

    def _run(self) -> None:
        observables = Observables(self._seed)
        random = np.random.default_rng(self._seed + 1)
        wander, bias = Wander(random), random.normal(0.0, 1.0, 3) * AUTONOMOUS_SIGMA_M
        station_due_s = 0.0
        retry_at_s = 0.0
        sent_for: Broadcast | None = None
        for time_s in ticks(self._clock, 1.0, self._stop):
            broadcast = self._broadcast
            arp = self._true_arp(broadcast)
            if arp is None:
                continue
            stand = self._world.world.base
            sky = visible(time_s, arp, HORIZON_DEG, stand.obstructions if stand else ())
            if self._fanout:
                error = bias + 0.4 * AUTONOMOUS_SIGMA_M * wander.at(time_s, AUTONOMOUS_MEMORY_S)
                self._fanout.send(
                    burst(
                        time_s,
                        1 if len(sky) >= 4 else 0,
                        displaced(arp, error) if len(sky) >= 4 else None,
                        self._world.world.separation_m,
                        AUTONOMOUS_SIGMA_M,
                        sky,
                        sky,
                        None,
                        None,
                    )
                )
            if broadcast is None:
                continue
            above = [item for item in sky if item.elevation_deg >= broadcast.mask_deg]
            frames = observables.frames(time_s, broadcast.station_id, above)
            if round(time_s) % broadcast.epoch_interval_s:
                frames = []
            if sent_for is not broadcast or time_s >= station_due_s:
                frames += broadcast.station_frames()
                # On whole tens, so that a listener who joins late waits at most ten seconds.
                station_due_s = time_s // STATION_INTERVAL_S * STATION_INTERVAL_S + STATION_INTERVAL_S
                sent_for = broadcast
            on_air = [frame for frame in frames if _number(frame) not in broadcast.switched_off]
            if not self._push(broadcast, b"".join(on_air), time_s >= retry_at_s):
                sent_for = None
                retry_at_s = time_s + _RETRY_S

    def _push(self, broadcast: Broadcast, data: bytes, may_connect: bool) -> bool:
        """Send to the caster, connecting first where needed; False if it did not go out."""
        try:
            if self._connection is None:
                if not may_connect:
                    return False
                connection = connect(broadcast.host, broadcast.port, self._network)
                connection.sendall(source_request(broadcast.mount, broadcast.password))
                answer = connection.recv(1024)
                if not answer.startswith((b"ICY 200", b"OK")):
                    connection.close()
                    said = answer.decode("latin-1", "replace").strip() or "nothing"
                    raise DeviceError(f"The caster does not take the stream for {broadcast.mount}: it says '{said}'.")
                self._connection = connection
            self._connection.sendall(data)
        except DeviceError as error:
            self._on_problem(error.sentence)
            return False
        except (OSError, AttributeError):
            self._hang_up()
            self._on_problem("The connection to the caster broke.")
            return False
        return True
