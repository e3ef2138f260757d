"""Turning a pole: two shots at 180° or four at 90°, and what its lean is."""

from __future__ import annotations

from dataclasses import dataclass

from openstake.core.errors import ConflictError, InputError
from openstake.core.kit.gear import TURNED_KINDS
from openstake.core.lean import SIDES
from openstake.core.limits import ShortText
from openstake.core.shot_series import TurnSettled
from openstake.derive.job import job_of
from openstake.derive.kit import KitNow, kit_of
from openstake.derive.poles import PoleTurned, is_whole, turned_from, turned_poles
from openstake.derive.series import SeriesNow, series_now
from openstake.store.models import ShotSeries
from openstake.workflow.check.series import SeriesNamed, SeriesShotRequest, begin_series, give_up, open_series, place_wanted, record_place
from openstake.workflow.context import Context
from openstake.workflow.recording import Recording


@dataclass(frozen=True)
class TurnRequest:
    """Which pole is turned, and how often: to 2 sides or to 4."""

    pole: ShortText
    sides: int = 2


@dataclass(frozen=True)
class SideView:
    """A side that the pole is turned to, degrees clockwise from the first; `words` say how to hold it."""

    turned_deg: int
    words: str
    taken: bool


@dataclass(frozen=True, kw_only=True)
class TurnNow:
    """The series in hand; `next_deg` is the side to record now, None where all are taken."""

    series_id: str
    pole: str
    sides: tuple[SideView, ...]
    next_deg: int | None
    next_words: str


@dataclass(frozen=True, kw_only=True)
class Turns:
    """The poles of the job's rovers, the series in hand, and what earlier ones showed, newest first."""

    poles: tuple[str, ...]
    never_turned: tuple[str, ...]
    now: TurnNow | None
    turned: list[PoleTurned]


_HELD = {
    0: "The label of the pole faces north (a phone's compass is enough).",
    90: "The label faces east.",
    180: "The label faces south.",
    270: "The label faces west.",
}


def rover_poles(kit: KitNow) -> tuple[str, ...]:
    """Return the names of the poles that a job's rovers stand on."""
    return tuple(dict.fromkeys(pole.name for pole in kit.poles(base=False) if pole.kind in TURNED_KINDS))


def view(context: Context, job_id: str) -> Turns:
    """Return the turning of poles in a job."""
    with context.database.read() as session:
        job, kit = job_of(session, job_id), kit_of(session, job_id)
        listed = series_now(session, TurnSettled, ShotSeries.job_id == job_id)
        turned = turned_from(session, job, listed)
        known = turned_poles(session)
    in_hand = next((item for item in listed if not is_whole(item)), None)
    poles = rover_poles(kit)
    return Turns(
        poles=poles,
        never_turned=tuple(pole for pole in poles if pole not in known),
        now=None if in_hand is None else _now(in_hand),
        turned=turned,
    )


def _now(series: SeriesNow[TurnSettled]) -> TurnNow:
    sides = tuple(SideView(side, _HELD[side], str(side) in series.shots) for side in SIDES[series.settled.sides])
    left = next((side for side in sides if not side.taken), None)
    return TurnNow(
        series_id=series.id,
        pole=series.settled.pole,
        sides=sides,
        next_deg=left.turned_deg if left else None,
        next_words=left.words if left else "",
    )


def begin(context: Context, job_id: str, request: TurnRequest) -> Turns:
    """Begin to turn a pole; one series is in hand at a time."""
    pole = request.pole.strip()
    if not pole:
        raise InputError("Say which pole it is: its lean is kept with it.", field="pole")
    if request.sides not in SIDES:
        raise InputError("A pole is turned to 2 sides or to 4.", field="sides")
    if view(context, job_id).now is not None:
        raise ConflictError("A pole is being turned already. Finish it, or abandon it.")

    begin_series(context, job_id, TurnSettled(pole, request.sides), f"{pole} is turned to {request.sides} sides.")
    return view(context, job_id)


def record(context: Context, job_id: str, request: SeriesShotRequest) -> Recording:
    """Begin to record the next side of a pole, or the last one again."""
    with context.database.read() as session:
        series = open_series(session, job_id, TurnSettled, request.series_id)
    following = _now(series).next_deg
    place = place_wanted(series, None if following is None else str(following), request.again)
    return record_place(context, job_id, "pole turn", request, place, f"{series.settled.pole} turned by {place}°")


def drop(context: Context, job_id: str, request: SeriesNamed) -> Turns:
    """Give a series up."""
    give_up(context, job_id, "pole turn", request.series_id)
    return view(context, job_id)
