"""An average that is being taken: a receiver's NMEA collected in the background, with progress and an end."""

from __future__ import annotations

from collections.abc import Callable

from openstake.core.errors import InputError, OpenStakeError
from openstake.core.evidence import Epoch, Status
from openstake.live.flood import Thinning, Throttle
from openstake.live.network import Outside
from openstake.live.transport import open_source
from openstake.wire.nmea.epoch import EpochReader

MOST_S = 4 * 3600.0
MOST_WAIT_S = 180.0
_SHOWN_EVERY_S = 1.0


class Average:
    """Reads a receiver's NMEA for `seconds`; `on_done` gets the epochs once, also where it was stopped early.

    Over a mark (`purpose` is `mark`) the time begins with the first fixed epoch: what came before is not taken.
    """

    def __init__(
        self,
        url: str,
        password: str | None,
        seconds: float,
        purpose: str,
        on_change: Callable[[], None],
        on_done: Callable[[list[Epoch], float], None],
        outside: Outside,
    ) -> None:
        if not 1.0 <= seconds <= MOST_S:
            raise InputError(f"An average runs for 1 to {MOST_S:.0f} s; {seconds:g} s was asked.", field="seconds")
        self.url, self.seconds, self.purpose = url, seconds, purpose
        self._password = password
        self._on_change, self._on_done = on_change, on_done
        self._epochs: list[Epoch] = []
        self._outside, self._clock = outside, outside.clock
        self._stop = self._clock.event()
        self._began_waiting_s = self._clock.monotonic()
        self._started_s: float | None = None if purpose == "mark" else self._began_waiting_s
        self.running = True
        self.problem = ""
        self._thread = self._clock.thread(self._run, "average")
        self._thread.start()

    def cancel(self) -> None:
        self._stop.set()

    @property
    def epochs(self) -> list[Epoch]:
        """What has been taken so far."""
        return list(self._epochs)

    @property
    def elapsed_s(self) -> float:
        return 0.0 if self._started_s is None else self._clock.monotonic() - self._started_s

    @property
    def waiting(self) -> bool:
        """Whether it waits for the first fixed epoch."""
        return self.running and self._started_s is None

    def _run(self) -> None:
        reader, throttle, thinning = EpochReader(), Throttle(self._clock), Thinning()
        began_s, shown_s = self._clock.now(), 0.0
        try:
            source = open_source(self.url, self._password, self._outside)
            try:
                while not self._stop.is_set() and self.elapsed_s < self.seconds:
                    data = source.read(0.25)
                    now_s = self._clock.now()
                    fresh = self._wanted([epoch for epoch in reader.feed(data) if thinning.take(now_s)])
                    self._stop.wait(throttle.wait_s(len(data)))
                    self._epochs += fresh
                    if fresh and self._clock.monotonic() - shown_s > _SHOWN_EVERY_S:
                        self._on_change()
                        shown_s = self._clock.monotonic()
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
        self._on_change()

    def _wanted(self, fresh: list[Epoch]) -> list[Epoch]:
        """Return what is averaged of fresh epochs: from the first fixed one on, where that is waited for."""
        if self._started_s is not None:
            return fresh
        first = next((n for n, epoch in enumerate(fresh) if epoch.status is Status.FIXED), None)
        if first is not None:
            self._started_s = self._clock.monotonic()
            return fresh[first:]
        if self._clock.monotonic() - self._began_waiting_s > MOST_WAIT_S:
            raise InputError(
                f"The rover was not fixed within {MOST_WAIT_S:.0f} s, so nothing was averaged. "
                "Look at its corrections and the sky, then average again."
            )
        return []
