"""The state of the moment: what the rover says now, what is heard beside it, and the shot in hand."""

from __future__ import annotations

from dataclasses import dataclass

from openstake.core.advice import Holds, record_holds, shot_advice, watch_advice
from openstake.core.evidence import Epoch, Status
from openstake.core.judge.watch import judge_pair
from openstake.core.limits import LEAST_GAP_S, ShortText
from openstake.core.rtk.drift import Drift
from openstake.core.rtk.jumps import Jump
from openstake.core.rtk.rover import Pair, RoverEvent, Switch
from openstake.core.shot import unreported
from openstake.core.sigmas import horizontal_95_m, vertical_95_m
from openstake.core.sky.satellites_used import lowest_used_deg
from openstake.core.units import text_from_metres, text_from_seconds
from openstake.core.vector import vector_length_m
from openstake.derive.job import job_of
from openstake.live.feed import FeedState, FeedStatus
from openstake.live.session import Moment
from openstake.store.records.bases import open_occupation
from openstake.workflow.context import Context

STATUS_WORDS = {
    Status.NONE: "NO POSITION",
    Status.SINGLE: "SINGLE",
    Status.DGPS: "DGPS",
    Status.FLOAT: "FLOAT",
    Status.FIXED: "FIXED",
    Status.OTHER: "OTHER",
}


@dataclass(frozen=True, kw_only=True)
class FeedView:
    """What a feed is doing, since when (host seconds); `trouble`: it should be receiving and is not."""

    state: FeedState
    sentence: str
    since_s: float
    received_bytes: int
    trouble: bool


@dataclass(frozen=True)
class Observable:
    """How many satellites of a constellation are sent, and in which form."""

    constellation: str
    form: str
    satellites: int


@dataclass(frozen=True, kw_only=True)
class ShotNow:
    """The shot that is being recorded, or the track; `waiting_for` is empty while it takes epochs.

    `words` say what it waits for or how far it has come, `unreported` which limits hold nothing back, `by` who records.
    """

    id: str
    wanted_s: float
    collected_s: float
    waiting_for: str
    track: bool
    words: str
    unreported: str
    by: str


@dataclass(frozen=True, kw_only=True)
class Live:
    """The state of the moment; the 95 % values are the receiver's own claim.

    `advice` is what it asks for next, `holds` what holds a recording back, `silent`: a rover is listened to and not heard.
    `jumps` counts the jumps of this fix.
    """

    rover_id: str | None
    rover_name: str
    status: Status
    status_word: str
    time_of_day_s: float | None
    host_s: float | None
    age_s: float | None
    satellites: int | None
    pdop: float | None
    hdop: float | None
    vdop: float | None
    horizontal_95_m: float | None
    vertical_95_m: float | None
    station_id: int | None
    distance_m: float | None
    base_feed: FeedView | None
    rover_feed: FeedView | None
    receiver_feed: FeedView | None
    observables: list[Observable]
    reference_settled: bool
    storing_problem: str
    shot: ShotNow | None
    silent: bool
    advice: str
    holds: Holds
    jumps: int


@dataclass(frozen=True)
class WatchQuery:
    """Whose moment: a rover by its id, the first one where none is named."""

    rover_id: ShortText = ""


@dataclass(frozen=True)
class WatchView:
    """The state of the moment of a job, `running` false where nothing listens; `holds` is for that case too."""

    running: bool
    live: Live | None
    holds: Holds


def feed_view(status: FeedStatus | None) -> FeedView | None:
    """Return a feed for the pages."""
    if status is None:
        return None
    trouble = status.state not in (FeedState.RECEIVING, FeedState.CONNECTING)
    return FeedView(
        state=status.state, sentence=status.sentence, since_s=status.since_s, received_bytes=status.received_bytes, trouble=trouble
    )


def accuracy_95(epoch: Epoch) -> tuple[float | None, float | None]:
    """Return the receiver's claim at 95 %, horizontal and vertical, metres."""
    claim = epoch.claim
    if claim is None:
        return None, None
    return horizontal_95_m(claim.east_m, claim.north_m, claim.covariance_en_m2), vertical_95_m(claim.up_m)


def heard_epoch(moment: Moment) -> Epoch | None:
    """Return the rover's last epoch where the rover is heard now: the last fix must not look like the present."""
    return moment.epoch.epoch if moment.epoch and moment.rover_is_heard else None


def live_view(moment: Moment) -> Live:
    """Return the moment as pages show it; unknown values are None."""
    epoch = heard_epoch(moment)
    status = epoch.status if epoch else Status.NONE
    horizontal, vertical = accuracy_95(epoch) if epoch else (None, None)
    rover = feed_view(moment.rover_feed)
    return Live(
        rover_id=moment.rover_id,
        rover_name=moment.rover_name,
        status=status,
        status_word=STATUS_WORDS[status] if epoch else "NOT HEARD",
        time_of_day_s=epoch.time_of_day_s if epoch else None,
        host_s=moment.epoch.host_s if moment.epoch else None,
        age_s=epoch.age_s if epoch else None,
        satellites=epoch.satellites if epoch else None,
        pdop=epoch.pdop if epoch else None,
        hdop=epoch.hdop if epoch else None,
        vdop=epoch.vdop if epoch else None,
        horizontal_95_m=horizontal,
        vertical_95_m=vertical,
        station_id=epoch.station_id if epoch else None,
        distance_m=vector_length_m(epoch, moment.reference),
        base_feed=feed_view(moment.base_feed),
        rover_feed=rover,
        receiver_feed=feed_view(moment.receiver_feed),
        observables=[Observable(item.constellation, item.form, item.satellites) for item in moment.observables],
        reference_settled=moment.reference_settled,
        storing_problem=moment.storing_problem,
        shot=_shot_now(moment),
        silent=rover is not None and status is Status.NONE,
        advice=watch_advice(status, epoch.age_s if epoch else None),
        holds=record_holds(status if rover else None),
        jumps=moment.jumps,
    )


def _shot_now(moment: Moment) -> ShotNow | None:
    shot = moment.shot
    if shot is None:
        return None
    kind, collected_s = shot.request.kind, shot.collected_s
    silent_s = moment.shot_silent_s
    waiting_for = shot.waiting_for if silent_s < LEAST_GAP_S else f"the rover since {text_from_seconds(silent_s)}"
    words = shot_advice(waiting_for, shot.points if kind.is_track else None, collected_s, kind.seconds, len(shot.epochs))
    missing = unreported(moment.epoch.epoch, kind, lowest_used_deg(moment.in_view)) if moment.epoch else ""
    return ShotNow(
        id=shot.request.id,
        wanted_s=kind.seconds,
        collected_s=round(collected_s, 1),
        waiting_for=waiting_for,
        track=kind.is_track,
        words=words,
        unreported=missing,
        by=shot.request.by,
    )


def view(context: Context, job_id: str, query: WatchQuery) -> WatchView:
    """Return the state of the moment of a job, `running` false where nothing listens."""
    with context.database.read() as session:
        job_of(session, job_id)
        occupation = open_occupation(session, job_id)
    running = context.running.session(occupation.id) if occupation else None
    if running is None:
        return WatchView(False, None, record_holds(None))
    live = live_view(running.moment(query.rover_id or None))
    return WatchView(True, live, live.holds)


def told_in_book(item: RoverEvent, unit: str) -> tuple[str, str]:
    """Return the kind and the sentence under which the Book tells what a rover's epochs show, in the job's unit."""
    if isinstance(item, Jump):
        return "position-jumped", f"the position jumped by {text_from_metres(item.size_m, unit)} while it was fixed."
    if isinstance(item, Drift):
        flat, up = text_from_metres(item.horizontal_m, unit), text_from_metres(item.up_m, unit)
        over = text_from_seconds(item.over_s)
        return ("position-drifted", f"the position drifted by {flat} and {up} in height within {over} while the pole stood.")
    if isinstance(item, Pair):
        found = judge_pair(item, unit)
        return found.code, found.sentence
    if isinstance(item, Switch):
        return ("source-switched", f"corrections from base {item.to_station} and no longer from base {item.from_station}.")
    if item.after_s is not None:
        return "fix-back", f"fixed again after {text_from_seconds(item.after_s)}."
    return ("fix-lost", f"the fix was lost: {item.status.value} now.") if item.status is not Status.FIXED else ("", "")
