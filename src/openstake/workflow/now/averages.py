"""Averages of what a receiver reports: collected in the background with progress, stored with their epochs when they end."""

from __future__ import annotations

import threading
import time
from collections import OrderedDict
from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from openstake.core.errors import ConflictError, InputError, OpenStakeError
from openstake.core.evidence import Epoch, RefersTo, Status
from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.core.judge.average import judge_average
from openstake.core.occupation import PositionAverage, average_of_epochs
from openstake.live.session import ReceivedEpoch
from openstake.live.transport import open_source
from openstake.store.models import AverageEpoch, PositionAverageRow
from openstake.wire.nmea.epoch import EpochReader
from openstake.workflow.now.epochs import epoch_columns, epoch_of_columns

MOST_S = 4 * 3600.0
MOST_WAIT_S = 180.0
_MOST_DRAWN = 400
_SHOWN_EVERY_S = 1.0


class Average:
    """Reads a receiver's NMEA for `seconds`; `on_done` gets the epochs once, also where it was stopped early; `on_end` is
    called whatever came of it.

    Over a mark (`purpose` is `mark`) the time begins with the first fixed epoch: what came before is not taken.
    """

    def __init__(
        self, url: str, seconds: float, purpose: str, on_change: Callable[[], None],
        on_done: Callable[[list[Epoch], float], None], on_end: Callable[[], None],
    ) -> None:  # fmt: skip
        if not 1.0 <= seconds <= MOST_S:
            raise InputError(f"An average runs for 1 to {MOST_S:.0f} s; {seconds:g} s was asked.", field="seconds")
        self.url, self.seconds, self.purpose = url, seconds, purpose
        self._on_change, self._on_done, self._on_end = on_change, on_done, on_end
        self._epochs: list[Epoch] = []
        self._stop = threading.Event()
        self._began_waiting_s = time.monotonic()
        self._started_s: float | None = None if purpose == "mark" else time.monotonic()
        self.running = True
        self.problem = ""
        self._thread = threading.Thread(target=self._run, name="average", daemon=True)
        self._thread.start()

    def cancel(self) -> None:
        self._stop.set()

    def _run(self) -> None:
        reader = EpochReader()
        began_s, shown_s = time.time(), 0.0
        try:
            source = open_source(self.url)
            try:
                while not self._stop.is_set() and self._elapsed_s() < self.seconds:
                    fresh = self._wanted(list(reader.feed(source.read(0.25))))
                    self._epochs += fresh
                    if fresh and time.monotonic() - shown_s > _SHOWN_EVERY_S:
                        self._on_change()
                        shown_s = time.monotonic()
            finally:
                source.close()
            self._epochs += self._wanted(list(reader.close()))
        except OpenStakeError as error:
            self.problem = error.sentence
        if self._epochs:
            try:
                self._on_done(self._epochs, began_s)
            except OpenStakeError as error:
                self.problem = error.sentence
            except Exception as error:  # a full disk, say: the crew must be told, not only the log
                self.problem = f"The average could not be stored: {error}. Average again."
        self.running = False
        self._on_end()
        self._on_change()

    def _elapsed_s(self) -> float:
        return 0.0 if self._started_s is None else time.monotonic() - self._started_s

    def _wanted(self, fresh: list[Epoch]) -> list[Epoch]:
        """Return what is averaged of fresh epochs: from the first fixed one on, where that is waited for."""
        if self._started_s is not None:
            return fresh
        first = next((n for n, epoch in enumerate(fresh) if epoch.status is Status.FIXED), None)
        if first is not None:
            self._started_s = time.monotonic()
            return fresh[first:]
        if time.monotonic() - self._began_waiting_s > MOST_WAIT_S:
            raise InputError(
                f"The rover was not fixed within {MOST_WAIT_S:.0f} s, so nothing was averaged. "
                "Look at its corrections and the sky, then average again."
            )
        return []

    def view(self) -> dict[str, Any]:
        """Return the state for the page."""
        try:
            average = average_of_epochs(list(self._epochs))
        except InputError:
            average = None
        return {
            "purpose": self.purpose,
            "running": self.running,
            "seconds": self.seconds,
            "elapsed_s": round(min(self.seconds, self._elapsed_s()), 1),
            "waiting": self.running and self._started_s is None,
            "problem": self.problem,
            "result": average_view(average) if average else None,
        }


def average_view(average: PositionAverage, unit: str = "m") -> dict[str, Any]:
    """Return an average as pages show it, with what to draw of its wander."""
    latitude, longitude, height = (float(value) for value in geodetic_from_ecef(average.xyz_m))
    east, north, up = average.precisions_m
    step = max(1, len(average.offsets_m) // _MOST_DRAWN)
    drawn = average.offsets_m[::step]
    return {
        "used": average.used, "epochs": average.epochs, "span_s": average.span_s, "status": average.lowest_status.value,
        "latitude_deg": latitude, "longitude_deg": longitude, "height_m": height,
        "spread_horizontal_m": max(average.east.spread, average.north.spread), "spread_up_m": average.up.spread,
        "precision_east_m": east, "precision_north_m": north, "precision_up_m": up,
        "effective_n": average.effective_n, "correlation_s": average.correlation_s,
        "accuracy_95_m": average.accuracy_95_m, "precision_95_m": average.precision_95_m,
        "east_m": np.round(drawn[:, 0], 4).tolist(), "north_m": np.round(drawn[:, 1], 4).tolist(),
        "up_m": np.round(drawn[:, 2], 4).tolist(), "time_s": np.round(average.time_s[::step], 2).tolist(),
        "findings": [item.as_dict() for item in judge_average(average, unit)],
    }  # fmt: skip


def store_average(
    session: Session, job_id: str, purpose: str, epochs: Sequence[Epoch], origin: str, began_s: float, now: float,
    refers_to: RefersTo, arp_to_apc_m: float | None, **more: Any,
) -> PositionAverageRow:  # fmt: skip
    """Store an average with its epochs; what it is worth is computed from them again whenever it is shown."""
    average = average_of_epochs(epochs)
    east, north, up = average.precisions_m
    x, y, z = average.xyz_m
    row = PositionAverageRow(
        job_id=job_id, purpose=purpose, origin=origin, refers_to=refers_to.value, arp_to_apc_m=arp_to_apc_m, x_m=x, y_m=y,
        z_m=z, epochs=average.epochs, used=average.used, span_s=average.span_s, precision_east_m=east,
        precision_north_m=north, precision_up_m=up, effective_n=average.effective_n,
        lowest_status=average.lowest_status.value, accuracy_95_m=average.accuracy_95_m, created_s=now, **more,
    )  # fmt: skip
    session.add(row)
    session.flush()
    session.add_all(
        AverageEpoch(average_id=row.id, n=n, **epoch_columns(ReceivedEpoch(epoch, began_s, None)))
        for n, epoch in enumerate(epochs)
    )
    session.flush()
    return row


# Averages seen last, by id: their rows never change, and a page asks for the same one every few seconds.
_SEEN: OrderedDict[str, PositionAverage] = OrderedDict()
_MOST_SEEN = 16


def stored_average(session: Session, average_id: str) -> PositionAverage:
    """Return an average from its stored epochs."""
    found = _SEEN.get(average_id)
    if found is None:
        query = select(AverageEpoch).where(AverageEpoch.average_id == average_id).order_by(AverageEpoch.n)
        rows: list[Any] = list(session.scalars(query))
        found = _SEEN[average_id] = average_of_epochs([epoch_of_columns(row) for row in rows])
        while len(_SEEN) > _MOST_SEEN:
            _SEEN.popitem(last=False)
    return found


def needed_average(running: Average | None) -> None:
    """Raise ConflictError where an average is running."""
    if running is not None and running.running:
        raise ConflictError("An average is running already. Wait for it or stop it.")
