"""The average of what a receiver reports now: collected in the background, with progress, until it is taken or dropped."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from typing import Any

from openstake.core.errors import ConflictError, InputError, OpenStakeError
from openstake.core.evidence import Epoch
from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.core.occupation import AUTONOMOUS_ACCURACY_95_M, ReportedAverage, average_of_epochs
from openstake.live.transport import open_source
from openstake.wire.nmea.epoch import EpochReader

_MOST_S = 3600.0


class Average:
    """Reads a receiver's NMEA for `seconds` and averages what it says."""

    def __init__(self, url: str, seconds: float, on_change: Callable[[], None]) -> None:
        if not 1.0 <= seconds <= _MOST_S:
            raise InputError(f"An average runs for 1 to {_MOST_S:.0f} s; {seconds:g} s was asked.", field="seconds")
        self.url, self.seconds, self._on_change = url, seconds, on_change
        self._epochs: list[Epoch] = []
        self._stop = threading.Event()
        self._started_s = time.monotonic()
        self.running = True
        self.problem = ""
        self._thread = threading.Thread(target=self._run, name="average", daemon=True)
        self._thread.start()

    def cancel(self) -> None:
        self._stop.set()

    def _run(self) -> None:
        reader = EpochReader()
        try:
            source = open_source(self.url)
            try:
                while not self._stop.is_set() and time.monotonic() - self._started_s < self.seconds:
                    fresh = list(reader.feed(source.read(0.25)))
                    if fresh:
                        self._epochs += fresh
                        self._on_change()
            finally:
                source.close()
            self._epochs += reader.close()
        except OpenStakeError as error:
            self.problem = error.sentence
        self.running = False
        self._on_change()

    def result(self) -> ReportedAverage:
        """Return the average so far; a sentence where there is nothing to average or it still runs."""
        if self.running:
            raise ConflictError("The average is still running. Wait for its end, or stop it.")
        return average_of_epochs(self._epochs)

    def view(self) -> dict[str, Any]:
        """Return the state for the page."""
        try:
            average = average_of_epochs(list(self._epochs))
        except InputError:
            average = None
        latitude, longitude, height = (
            (float(value) for value in geodetic_from_ecef(average.xyz_m)) if average else (None, None, None)
        )
        return {
            "running": self.running,
            "seconds": self.seconds,
            "elapsed_s": round(min(self.seconds, time.monotonic() - self._started_s), 1),
            "problem": self.problem,
            "count": average.count if average else 0,
            "status": average.lowest_status.value if average else "none",
            "latitude_deg": latitude,
            "longitude_deg": longitude,
            "height_m": height,
            "spread_horizontal_m": max(average.spread_east_m, average.spread_north_m) if average else None,
            "spread_up_m": average.spread_up_m if average else None,
            "accuracy_95_m": AUTONOMOUS_ACCURACY_95_M,
        }
