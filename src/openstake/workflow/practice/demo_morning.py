"""A morning's work in one of the demo's jobs, done by the steps that the pages call, with a clock that is put forward.

It ends as mornings do: a height read again after two checks, and a mark that is not where the list says.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from openstake.core.geodesy.ellipsoid import ecef_from_geodetic
from openstake.core.site import QUESTIONS
from openstake.core.vector import raised_along_normal
from openstake.derive.job import job_of
from openstake.derive.marks import current_marks
from openstake.live.clock import HostClock
from openstake.live.hub import Hub
from openstake.live.rover import ReceivedEpoch
from openstake.live.running import Running
from openstake.live.session import RunningSession
from openstake.standin.receiver import MASK_DEG, Wander, burst, displaced
from openstake.standin.sky import above
from openstake.wire.nmea.epoch import EpochReader
from openstake.workflow.base import setup
from openstake.workflow.base.addresses import Listen
from openstake.workflow.base.heights import CorrectHeight, NewReading
from openstake.workflow.base.readings import correct_height, read_base_height
from openstake.workflow.base.setup import USUAL_STATION_ID
from openstake.workflow.base.start import StartBase, start
from openstake.workflow.check.shots import CheckRequest, keep_check
from openstake.workflow.context import Context
from openstake.workflow.practice.truth import true_geodetic
from openstake.workflow.ticks import TickRequest

# The receivers of the morning are switched off by now: nobody answers there.
_ROVER_URL = "tcp://127.0.0.1:5117"
_SECONDS = 60
_ROD_M = 2.0
_SEPARATION_M = 48.6
# Of a fix, one sigma in east, north, up at a PDOP of 1.5, and how long its error remembers (common practice).
_SIGMA_M = np.array([0.004, 0.004, 0.007])
_MEMORY_S = 30.0
_AGE_S = 1.0


class _SilentSessions(Running):
    """Starts no session: what the morning's receivers sent is at hand."""

    def begin_session(self, occupation_id: str, session: RunningSession) -> None:
        pass


@dataclass
class Clock(HostClock):
    """A clock that stands until it is put forward, seconds of Unix time."""

    now_s: float

    def now(self) -> float:
        return self.now_s

    def wait(self, seconds: float) -> None:
        self.now_s += seconds


def work_a_morning(context: Context, job_id: str, clock: Clock) -> None:
    """Set a base up on the first mark, check the next two, correct a reading of the base's height, and check the fourth, which was knocked."""
    random = np.random.default_rng(11)
    quiet = replace(context, practice=None, hub=Hub())
    quiet.running = _SilentSessions(clock)
    with context.database.read() as session:
        job = job_of(session, job_id)
        marks = current_marks(session, job)
    places = [true_geodetic(job, mark) for mark in marks]

    def check(number: int) -> None:
        clock.wait(600.0)
        epochs = _received(places[number], clock, random)
        keep_check(
            quiet, job_id, CheckRequest(mark_id=marks[number].id, seconds=_SECONDS, reading=f"{_ROD_M:.3f} m", feature="rod"), epochs
        )

    setup.settle(quiet, job_id, {"mark_id": marks[0].id, "source": "mark"})
    for question in QUESTIONS:
        clock.wait(40.0)
        setup.tick(quiet, job_id, TickRequest(question.key, True))
    for reading in ("1.485 m", "58 9/16 in"):
        clock.wait(90.0)
        read_base_height(quiet, job_id, NewReading(reading=reading, feature="bottom"))
    clock.wait(120.0)
    base = start(quiet, job_id, StartBase(listen=Listen(rover_url=_ROVER_URL)))
    check(1)
    check(2)
    clock.wait(900.0)
    first = base.heights.readings[0]
    why = "read again with the tape straight"
    correct_height(quiet, job_id, CorrectHeight(replaces_id=first.id, reason=why, reading="1.487 m", feature="bottom"))
    check(3)


def _received(place: tuple[float, float, float], clock: Clock, random: np.random.Generator) -> list[ReceivedEpoch]:
    """Return what a fixed rover on a mark sends in a shot's time, a second apart, read from its sentences."""
    arp = raised_along_normal(ecef_from_geodetic(*place), _ROD_M)
    sky = [seen for seen in above(clock.now_s, arp, MASK_DEG) if not seen.hidden]
    wander, reader = Wander(random), EpochReader()
    initialised_s, found = clock.now_s - 300.0, []
    for _ in range(_SECONDS + 1):
        clock.wait(1.0)
        error = _SIGMA_M * wander.at(clock.now_s, _MEMORY_S)
        sentences = burst(clock.now_s, 4, displaced(arp, error), _SEPARATION_M, _SIGMA_M, sky, sky, _AGE_S, USUAL_STATION_ID)
        found += [
            ReceivedEpoch(epoch=epoch, host_s=clock.now_s, reference_id=None, initialised_s=initialised_s)
            for epoch in reader.feed(sentences)
        ]
    return found
