"""What the stand-in base sends of its sky: MSM4 of four constellations, from the geometry alone.

The practice sky has no atmosphere and its clocks are right: pseudorange and phase are the signal's path with noise.
"""

from __future__ import annotations

import numpy as np

from openstake.core.constants import SPEED_OF_LIGHT_M_S
from openstake.core.sky.constellations import CONSTELLATIONS
from openstake.standin.clock import gps_time_of_week_s
from openstake.standin.sky import Seen
from openstake.wire.rtcm3.msm import MOST_CELLS, Observation, encode_msm4

_CODE_NOISE_M = 0.30
_PHASE_NOISE_M = 0.002


class Observables:
    """Keeps what lasts from epoch to epoch: since when a satellite is locked, and its whole cycles."""

    def __init__(self, seed: int) -> None:
        self._random = np.random.default_rng(seed)
        self._locked_since_s: dict[tuple[str, int], float] = {}
        self._cycles: dict[tuple[str, int, int], int] = {}

    def frames(self, unix_s: float, station_id: int, sky: list[Seen]) -> list[bytes]:
        """Return the MSM4 frames of one epoch; all but the last say that more follow."""
        now = {seen.key for seen in sky}
        self._locked_since_s = {key: since for key, since in self._locked_since_s.items() if key in now}
        self._cycles = {key: cycles for key, cycles in self._cycles.items() if key[:2] in now}
        sets = []
        # One draw for all signals of all satellites: four numbers a call cost more than what is done with them.
        most = sum(len(seen.constellation.signals) for seen in sky)
        noise = iter(self._random.normal(0.0, (_CODE_NOISE_M, _PHASE_NOISE_M), (most, 2)).tolist())
        for constellation in CONSTELLATIONS:
            cells: dict[tuple[int, int], Observation] = {}
            for seen in sky:
                if seen.constellation is not constellation:
                    continue
                if len(cells) + len(constellation.signals) > MOST_CELLS:
                    break
                for signal in constellation.signals:
                    cells[(seen.number, signal.msm_id)] = self._observe(unix_s, seen, signal.msm_id, next(noise))
            if cells:
                sets.append((constellation.msm4_number, cells))
        time_s = gps_time_of_week_s(unix_s)
        return [
            encode_msm4(number, station_id, time_s, cells, more_follow=place < len(sets) - 1) for place, (number, cells) in enumerate(sets)
        ]

    def _observe(self, unix_s: float, seen: Seen, msm_id: int, noise: list[float]) -> Observation:
        since = self._locked_since_s.setdefault(seen.key, unix_s)
        signal = next(item for item in seen.constellation.signals if item.msm_id == msm_id)
        channel = seen.constellation.channels[seen.number - 1]
        wavelength_m = SPEED_OF_LIGHT_M_S / (signal.carrier_hz + channel * signal.per_channel_hz)
        # A receiver starts its phase count within some cycles of the code; the number stays while it is locked.
        key = (*seen.key, msm_id)
        cycles = self._cycles.get(key)
        if cycles is None:
            cycles = self._cycles[key] = int(self._random.integers(-20, 21))
        code, phase = noise
        return Observation(
            pseudorange_m=seen.range_m + code,
            phase_range_m=seen.range_m + cycles * wavelength_m + phase,
            lock_s=unix_s - since,
            cnr_dbhz=seen.cnr_dbhz,
        )
