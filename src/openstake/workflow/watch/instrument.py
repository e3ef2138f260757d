"""The instrument: link quality, fix, claim beside evidence, the sky, distances; from a rover's NMEA alone, better with the base's stream."""

from __future__ import annotations

import math
from dataclasses import dataclass
from math import hypot

import numpy as np
from sqlalchemy.orm import Session

from openstake.core.evidence import Epoch, HeardMessage, Status
from openstake.core.geodesy.ellipsoid import ecef_from_geodetic
from openstake.core.judge.device import judge_device
from openstake.core.judge.finding import Finding, ranked
from openstake.core.judge.link_lost import LinkHeard, judge_frames, judge_lost
from openstake.core.judge.place import Control
from openstake.core.judge.watch import Distances, judge_age, judge_watch
from openstake.core.kit.profile import Profile
from openstake.core.limits import PLAN_REACHES_M, SHORTEST_SCATTER_S, UNCLAIMED_HORIZONTAL_M, UNCLAIMED_UP_M, ShortText
from openstake.core.rtk.age import fix_goes_in_s
from openstake.core.rtk.drift import smallest_drift_m
from openstake.core.rtk.jumps import smallest_jump_m
from openstake.core.rtk.rover import RoverState
from openstake.core.sigmas import Ellipse95, Sigmas, ellipse_95, horizontal_95_m, principal_sigmas_m, vertical_95_m
from openstake.core.sky.obstruction import Cell
from openstake.core.sky.satellites_used import SkyUse, sky_use
from openstake.core.units import about_seconds, text_from_metres, text_from_seconds
from openstake.core.vector import vector_length_m
from openstake.derive.base import BaseNow, bases_of
from openstake.derive.cache import Cache
from openstake.derive.job import JobNow, job_of
from openstake.derive.kit import KitNow, chosen_rows, kit_of
from openstake.derive.marks import control_of
from openstake.live.session import Moment, RunningSession, Watched
from openstake.store.records.bases import listenings_of, open_occupation
from openstake.store.records.marks import count_mark_rows
from openstake.workflow.context import Context
from openstake.workflow.moment import FeedView, feed_view
from openstake.workflow.watch.against import against_control

_DEFAULT_MASK_DEG = 10.0


@dataclass(frozen=True)
class InstrumentQuery:
    """Whose instrument: a rover by its id, the first one where none is named."""

    rover_id: ShortText = ""


@dataclass(frozen=True, kw_only=True)
class MessageQuality:
    """A message of the base's stream over the last minute at this listener: how many should have come, how many did.

    `lacks`: more than the one that may just be on its way.
    """

    number: int
    expected: int
    received: int
    planned: bool
    lacks: bool


@dataclass(frozen=True, kw_only=True)
class LinkQuality:
    """How whole the base's stream is at this listener; `share` is received ÷ expected, None where nothing can be expected yet."""

    words: str
    share: float | None
    window_s: float
    bad_crc: int
    messages: tuple[MessageQuality, ...]


@dataclass(frozen=True, kw_only=True)
class AgeNow:
    """The age of corrections and how it changes."""

    age_s: float | None
    slope_per_s: float | None
    fix_goes_in_s: float | None
    words: str


@dataclass(frozen=True, kw_only=True)
class FixNow:
    """How the fix came and went since this rover is heard."""

    time_to_fix_s: float | None
    fix_ratio: float | None
    held_for_s: float | None
    held_words: str
    losses: int
    words: str


@dataclass(frozen=True, kw_only=True)
class MeantNow:
    """What the rover uses against what is meant, and three ways to its distance from the base, metres."""

    station_heard: int | None
    station_agrees: bool | None
    vector_m: float | None
    meant_m: float | None
    planned_m: float | None
    words: str


@dataclass(frozen=True)
class Spread:
    """A spread at 95 %, metres: the circle, the height, and the ellipse about true north."""

    horizontal_95_m: float
    vertical_95_m: float
    ellipse: Ellipse95


@dataclass(frozen=True, kw_only=True)
class Decides:
    """How good a point is now, at 95 %: as claimed, or as `seen` where that proves the claim too small."""

    horizontal_95_m: float | None
    vertical_95_m: float | None
    seen: bool
    words: str


@dataclass(frozen=True, kw_only=True)
class ClaimBeside:
    """The receiver's claim beside the scatter seen while the pole stands on this fix, and which of them counts.

    `would_tell` are the smallest errors of a fix that would be told at this claim.
    """

    claim: Spread | None
    claim_words: str
    seen: Spread | None
    seen_words: str
    effective_n: float | None
    span_s: float | None
    too_small: tuple[str, ...]
    decides: Decides
    would_tell: str


@dataclass(frozen=True, kw_only=True)
class RoverListed:
    """A rover that is listened to; `further`: it came beside the first one."""

    id: str
    name: str
    url: str
    further: bool
    feed: FeedView | None
    status: Status | None
    age_s: float | None
    horizontal_95_m: float | None


@dataclass(frozen=True, kw_only=True)
class Instrument:
    """Everything that is known of one rover now; None in all where nothing is listened to."""

    rover_id: str
    rover_name: str
    heard: bool
    link: LinkQuality
    age: AgeNow
    fix: FixNow
    meant: MeantNow
    claim: ClaimBeside
    sky: SkyUse
    mask_deg: float
    obstructed: tuple[Cell, ...]
    findings: tuple[Finding, ...]
    initialise: str
    waits_for: str


@dataclass(frozen=True, kw_only=True)
class InstrumentView:
    """The instrument of a rover, and all rovers on this base; `names` are receivers of the kit that a further one may be."""

    instrument: Instrument | None
    rovers: tuple[RoverListed, ...]
    names: tuple[str, ...]
    practice: bool


def view(context: Context, job_id: str, query: InstrumentQuery) -> InstrumentView:
    """Return the instrument of a rover: as many queries whatever the job holds."""
    with context.database.read() as session:
        job, kit = job_of(session, job_id), kit_of(session, job_id)
        occupation = open_occupation(session, job_id)
        running = None if occupation is None else context.running.session(occupation.id)
        at_base = kit.receiver(base=True)
        names = tuple(name for kind, name in kit.gear if kind == "receiver" and (at_base is None or name != at_base.name))
        if occupation is None or running is None:
            return InstrumentView(instrument=None, rovers=(), names=names, practice=job.practice)
        base = bases_of(session, job_id, {occupation.id})[occupation.id]
        watched = running.watched(query.rover_id or None)
        evidence = _evidence(session, job, kit, base)
        changed = _changed_last(session, base, context.now(job_id))
    shown = None if watched is None else _instrument(job, evidence, running, watched, changed)
    return InstrumentView(
        instrument=shown, rovers=tuple(_listed(running, rover_id) for rover_id in running.rover_ids), names=names, practice=job.practice
    )


@dataclass(frozen=True, kw_only=True)
class _Evidence:
    """What the instrument needs of the job, besides what is heard."""

    kit: KitNow
    base: BaseNow
    farthest_m: float | None
    control: Control

    @property
    def base_profile(self) -> Profile | None:
        return next(iter(self.kit.of_role(base=True)), None)

    @property
    def rover_profile(self) -> Profile | None:
        return next(iter(self.kit.of_role(base=False)), None)


# An instrument is read every second, and the marks of a job stay where they are.
_CONTROL: Cache[tuple[float | None, Control]] = Cache(64)


def _evidence(session: Session, job: JobNow, kit: KitNow, base: BaseNow) -> _Evidence:
    rows = count_mark_rows(session, job.id)
    key = f"{job.settings.id} {base.coordinate.id} {rows}"
    known = _CONTROL.of([key])
    if key not in known:
        control = control_of(session, job)
        known = {key: (_farthest(job, base, control), control)}
        _CONTROL.keep(known)
    farthest_m, control = known[key]
    return _Evidence(kit=kit, base=base, farthest_m=farthest_m, control=control)


def _farthest(job: JobNow, base: BaseNow, control: Control) -> float | None:
    """Return how far the plan's farthest mark lies from the base; None where the plan reaches no farther than the set-up."""
    known = control.grid_m[np.isfinite(control.grid_m[:, :2]).all(axis=1), :2]
    if job.lies_nowhere or not len(known):
        return None
    east, north, _ = (float(value) for value in job.frame.grid_from_ecef(np.array(base.mark_m)))
    farthest = float(np.hypot(known[:, 0] - east, known[:, 1] - north).max())
    return farthest if farthest >= PLAN_REACHES_M else None


def watch_findings(session: Session, job: JobNow, kit: KitNow, base: BaseNow, running: RunningSession, now_s: float) -> tuple[Finding, ...]:
    """Return what all rovers of a base have to be told, in the words of their instruments."""
    evidence, changed = _evidence(session, job, kit, base), _changed_last(session, base, now_s)
    found: list[Finding] = []
    for rover_id in running.rover_ids:
        watched = running.watched(rover_id)
        if watched is not None:
            found += _findings(job, evidence, running.moment(rover_id), watched, changed)
    return ranked(found)


def _listed(running: RunningSession, rover_id: str) -> RoverListed:
    moment = running.moment(rover_id)
    epoch = moment.epoch.epoch if moment.epoch and moment.rover_is_heard else None
    claim = epoch.claim if epoch else None
    rover = running.rover(rover_id)
    return RoverListed(
        id=rover_id,
        name=moment.rover_name or "Rover",
        url=rover.url if rover else "",
        further=rover_id != running.rover_ids[0],
        feed=feed_view(moment.rover_feed),
        status=epoch.status if epoch else None,
        age_s=epoch.age_s if epoch else None,
        horizontal_95_m=None if claim is None else horizontal_95_m(claim.east_m, claim.north_m, claim.covariance_en_m2),
    )


def _instrument(job: JobNow, evidence: _Evidence, running: RunningSession, watched: Watched, changed: str) -> Instrument:
    moment = running.moment(watched.id)
    state = watched.state if moment.rover_is_heard else None
    profile = evidence.rover_profile
    mask = profile.elevation_mask_deg if profile else _DEFAULT_MASK_DEG
    in_view = watched.in_view if moment.rover_is_heard else ()
    sent = moment.heard.satellites if _base_is_heard(moment) else None
    return Instrument(
        rover_id=watched.id,
        rover_name=watched.name or "Rover",
        heard=state is not None,
        link=_link_quality(evidence, moment, watched),
        age=_age(state),
        fix=_fix(state),
        meant=_meant(job, evidence, moment, state),
        claim=claim_beside(state, job.length_unit),
        sky=sky_use(in_view, sent, mask, profile.constellations if profile else None),
        mask_deg=mask,
        obstructed=watched.obstructed,
        findings=ranked(_findings(job, evidence, moment, watched, changed)),
        initialise=_how_to_initialise(job.practice),
        waits_for=(state.waits_for or "") if state else "",
    )


def _how_to_initialise(practice: bool) -> str:
    if practice:
        return "The stand-in drops all satellites and begins again. Hold the pole still: the two fixes are compared by themselves."
    return (
        "At the receiver: reset the RTK engine, or turn the antenna over until the fix is lost. Hold the pole on the same point: "
        "the two fixes are compared by themselves."
    )


def _base_is_heard(moment: Moment) -> bool:
    return moment.base_feed is not None and moment.heard.span_s > 0.0


def _link_quality(evidence: _Evidence, moment: Moment, watched: Watched) -> LinkQuality:
    if moment.base_feed is None:
        return LinkQuality(
            words="The base's stream is not listened to here: the link is judged by the rover's age alone.",
            share=None,
            window_s=0.0,
            bad_crc=0,
            messages=(),
        )
    planned = {item.number: item.interval_s for item in evidence.base_profile.messages} if evidence.base_profile else {}
    messages = tuple(_quality(item, planned.get(item.number)) for item in moment.heard.messages)
    expected = sum(item.expected for item in messages)
    share = min(1.0, sum(min(item.received, item.expected) for item in messages) / expected) if expected else None
    window = max((item.window_s for item in moment.heard.messages), default=0.0)
    return LinkQuality(
        words="At this listener, not at the rover's radio: that link shows in the rover's age.",
        share=share,
        window_s=window,
        bad_crc=watched.bad_crc,
        messages=messages,
    )


def _quality(message: HeardMessage, planned_s: float | None) -> MessageQuality:
    """Return how many of a message should have come and how many did; one that cannot be expected yet expects what came."""
    interval = planned_s or message.interval_s
    expected = message.recent if interval is None else math.floor(message.window_s / interval + 0.05)
    expected = max(expected, 0)
    return MessageQuality(
        number=message.number,
        expected=expected,
        received=message.recent,
        planned=planned_s is not None,
        lacks=message.recent < expected - 1,
    )


def _age(state: RoverState | None) -> AgeNow:
    age = state.epoch.age_s if state else None
    trend = state.trend if state else None
    if state is None or age is None:
        return AgeNow(age_s=None, slope_per_s=None, fix_goes_in_s=None, words="No corrections reach the rover." if state else "")
    slope = trend.slope_per_s if trend else None
    goes = fix_goes_in_s(age, trend) if trend is not None else None
    climbs = bool(judge_age(age, trend))
    words = "steady" if slope is None or abs(slope) < 0.01 or not climbs else f"rising {slope:.2f} s a second"
    if climbs and goes is not None:
        words += f": the fix will be lost in about {about_seconds(goes)}"
    return AgeNow(age_s=age, slope_per_s=slope, fix_goes_in_s=goes if climbs else None, words=words)


def _fix(state: RoverState | None) -> FixNow:
    if state is None:
        return FixNow(time_to_fix_s=None, fix_ratio=None, held_for_s=None, held_words="", losses=0, words="")
    back = next((loss.back_after_s for loss in reversed(state.losses) if loss.back_after_s is not None), None)
    held = None if state.fix_since_s is None else state.now_s - state.fix_since_s
    parts = []
    if state.time_to_fix_s is not None:
        parts.append("fixed when first heard" if state.time_to_fix_s < 0.5 else f"first fix after {text_from_seconds(state.time_to_fix_s)}")
    if state.losses:
        parts.append(f"lost {len(state.losses)} times" if len(state.losses) > 1 else "lost once")
        if back is not None:
            parts.append(f"back after {text_from_seconds(back)} the last time")
    held_words = "none" if held is None else text_from_seconds(held)
    return FixNow(
        time_to_fix_s=state.time_to_fix_s,
        fix_ratio=state.fix_ratio,
        held_for_s=held,
        held_words=held_words,
        losses=len(state.losses),
        words=", ".join(parts),
    )


def _distances(job: JobNow, evidence: _Evidence, moment: Moment, epoch: Epoch | None) -> Distances:
    if epoch is None or epoch.latitude_deg is None or epoch.height_m is None:
        return Distances(planned_m=evidence.farthest_m)
    rover = ecef_from_geodetic(epoch.latitude_deg, epoch.longitude_deg or 0.0, epoch.height_m)
    meant = float(np.linalg.norm(rover - np.array(evidence.base.arp_m)))
    station = moment.reference
    # A virtual base is meant to be elsewhere.
    virtual = station is not None and station.virtual
    other = epoch.station_id is not None and station is not None and epoch.station_id != station.station_id
    return Distances(vector_length_m(epoch, station), None if virtual or other else meant, evidence.farthest_m)


def _meant(job: JobNow, evidence: _Evidence, moment: Moment, state: RoverState | None) -> MeantNow:
    epoch = state.epoch if state else None
    heard, meant = epoch.station_id if epoch else None, evidence.base.occupation.station_id
    found = _distances(job, evidence, moment, epoch)
    station = moment.reference
    off = None
    if station is not None and not station.virtual:
        off = float(np.linalg.norm(np.array(station.xyz_m) - np.array(evidence.base.arp_m)))
    unit, parts = job.length_unit, []
    if off is not None:
        parts.append(f"base on the air {text_from_metres(off, unit)} from where it is meant")
    if found.vector_m is not None:
        parts.append(f"{text_from_metres(found.vector_m, unit)} to the base on the air")
    if found.meant_m is not None and epoch is not None:
        parts.append(f"{text_from_metres(found.meant_m, unit)} as meant")
    if found.planned_m is not None:
        parts.append(f"farthest mark {text_from_metres(found.planned_m, unit)}")
    return MeantNow(
        station_heard=heard,
        station_agrees=None if heard is None else heard == meant,
        vector_m=found.vector_m,
        meant_m=found.meant_m,
        planned_m=found.planned_m,
        words=", ".join(parts),
    )


def _spread(sigmas: Sigmas) -> Spread:
    return Spread(horizontal_95_m(sigmas.east_m, sigmas.north_m, sigmas.covariance_en_m2), vertical_95_m(sigmas.up_m), ellipse_95(sigmas))


def claim_beside(state: RoverState | None, unit: str) -> ClaimBeside:
    """Return a receiver's claim, the scatter seen beside it, and which of the two counts."""
    if state is None:
        return ClaimBeside(
            claim=None,
            claim_words="",
            seen=None,
            seen_words="",
            effective_n=None,
            span_s=None,
            too_small=(),
            decides=_decides(None, None, ()),
            would_tell="",
        )
    claim, epoch, stood = state.epoch.claim, state.epoch, state.stood
    if claim is None:
        words = "no GST: the receiver claims nothing"
    else:
        words = "by its error ellipse" if epoch.orientation_deg is not None else "GST without an ellipse: by both sigmas"
    claimed = None if claim is None else _spread(claim)
    scatter = None if stood is None else stood.scatter
    if stood is None or scatter is None:
        return ClaimBeside(
            claim=claimed,
            claim_words=words,
            seen=None,
            seen_words=_unseen(state),
            effective_n=None,
            span_s=None,
            too_small=(),
            decides=_decides(claimed, None, ()),
            would_tell=_would_tell(state, unit),
        )
    seen = _spread(
        Sigmas(
            east_m=scatter.sigma_east_m, north_m=scatter.sigma_north_m, up_m=scatter.sigma_up_m, covariance_en_m2=scatter.covariance_en_m2
        )
    )
    enough = stood.span_s >= SHORTEST_SCATTER_S
    said = f"seen over {text_from_seconds(stood.span_s)}, {scatter.effective_n:.0f} independent epochs"
    too_small = tuple(item.component for item in state.claims if item.too_small)
    return ClaimBeside(
        claim=claimed,
        claim_words=words,
        seen=seen if enough else None,
        seen_words=said if enough else "stand still for 20 s to see the scatter",
        effective_n=scatter.effective_n,
        span_s=stood.span_s,
        too_small=too_small,
        decides=_decides(claimed, seen if enough else None, too_small),
        would_tell=_would_tell(state, unit),
    )


def _would_tell(state: RoverState, unit: str) -> str:
    """Say the smallest jump, drift and excess of scatter that would be told of a pole that stands, at the claim there is."""
    claim = state.epoch.claim
    flat_m, up_m = UNCLAIMED_HORIZONTAL_M, UNCLAIMED_UP_M
    if claim is not None:
        flat_m, up_m = principal_sigmas_m(claim.east_m, claim.north_m, claim.covariance_en_m2)[0], claim.up_m
    drift, drift_up = (text_from_metres(value, unit) for value in smallest_drift_m(flat_m, up_m))
    jump = text_from_metres(smallest_jump_m(hypot(flat_m, up_m)), unit)
    said = f"Standing, it would tell a jump of {jump}, a drift of {drift} ({drift_up} in height)"
    if claim is None:
        return f"{said}."
    takes_s = max((item.takes_s for item in state.claims), default=SHORTEST_SCATTER_S)
    return f"{said}, and a scatter of twice the claim after {about_seconds(takes_s)}."


def _decides(claimed: Spread | None, seen: Spread | None, too_small: tuple[str, ...]) -> Decides:
    """Return what counts: the claim, until what is seen proves it too small; without a claim what is seen."""
    if seen is not None and (too_small or claimed is None):
        why = "more than the receiver claims" if claimed is not None else "the receiver claims nothing"
        return Decides(horizontal_95_m=seen.horizontal_95_m, vertical_95_m=seen.vertical_95_m, seen=bool(too_small), words=f"seen; {why}")
    if claimed is None:
        return Decides(horizontal_95_m=None, vertical_95_m=None, seen=False, words="nothing is claimed, and nothing seen yet")
    return Decides(
        horizontal_95_m=claimed.horizontal_95_m,
        vertical_95_m=claimed.vertical_95_m,
        seen=False,
        words="claimed; only a check on a mark proves it",
    )


def _unseen(state: RoverState) -> str:
    return "not fixed" if state.fix_since_s is None else "the pole moves"


def _findings(job: JobNow, evidence: _Evidence, moment: Moment, watched: Watched, changed: str) -> list[Finding]:
    state = watched.state
    if state is None or not moment.rover_is_heard:
        return []
    station = moment.reference
    found = judge_watch(state, _distances(job, evidence, moment, state.epoch), station is not None and station.virtual, job.length_unit)
    # The time of stand-ins may run faster than the host's.
    found += [item for item in judge_device(state.device) if item.code != "clock-off" or not job.practice]
    found += judge_lost(_link_heard(evidence, moment, watched, state, changed))
    link = _link_quality(evidence, moment, watched)
    return found + against_control(job, evidence.control, state) + judge_frames(link.share, link.window_s, link.bad_crc)


def _link_heard(evidence: _Evidence, moment: Moment, watched: Watched, state: RoverState, changed: str) -> LinkHeard:
    profile, stream = evidence.rover_profile, moment.base_feed
    silent = None if state.last_corrected_s is None else state.now_s - state.last_corrected_s
    newest = moment.epoch
    last_byte = stream.last_byte_s if stream else None
    return LinkHeard(
        status=state.epoch.status,
        age_s=state.epoch.age_s,
        heard_for_s=(newest.host_s if newest else watched.started_s) - watched.started_s,
        silent_s=silent,
        unused_for_s=state.unused_for_s,
        frames=None if stream is None else watched.frames,
        bad_frames=watched.bad_crc,
        stream_silent_s=None if newest is None or last_byte is None else max(0.0, newest.host_s - last_byte),
        radio=profile is None or profile.link.kind != "internet",
        changed=changed,
    )


def _changed_last(session: Session, base: BaseNow, now: float) -> str:
    """Return what changed last at either end, in words with how long ago; empty where nothing did since the base started."""
    occupation = base.occupation
    found: list[tuple[float, str]] = [
        (row.created_s, f"the profile {row.name}") for row in chosen_rows(session, occupation.job_id) if row.version > 1
    ]
    listening = listenings_of(session, {occupation.id})
    found += [(row.started_s, "where is listened") for row in listening if row.started_s > occupation.started_s + 1.0]
    found += [(row.created_s, "the base's coordinate") for row in base.coordinates[1:]]
    found += [(row.created_s, "the base's height") for row in base.readings.rows if row.replaces_id is not None and row.moment == "before"]
    found = [(at_s, words) for at_s, words in found if now - at_s < 86_400.0]
    if not found:
        return f"the base was started {text_from_seconds(max(0.0, now - occupation.started_s))} ago"
    at_s, words = max(found)
    return f"{words}, {text_from_seconds(max(0.0, now - at_s))} ago"
