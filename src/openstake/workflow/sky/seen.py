"""The sky that is expected now against what the base sends and the rover uses; masks beside each other; the comparison that checks the link."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass

import numpy as np
from sqlalchemy.orm import Session

from openstake.core.chain import SkyHeld
from openstake.core.errors import ConflictError, NotFoundError
from openstake.core.evidence import HeardStream, InView
from openstake.core.judge.finding import Finding, ranked
from openstake.core.judge.sky import judge_compared, judge_masks
from openstake.core.limits import ShortText
from openstake.core.link.airload import letters_of_messages
from openstake.core.observation import CONSTELLATION_NAMES
from openstake.core.sky.against import Overhead, SatelliteAgainst, Sent, SkyCompared, SkyUnder, against, compared, under_of
from openstake.core.sky.constellations import nominal_orbits
from openstake.core.sky.expected import Directions, directions_of
from openstake.core.sky.satellites_used import lowest_used_deg
from openstake.core.sky.sources import SOURCE_WORDS
from openstake.core.time_scales import gps_from_unix_s
from openstake.derive.job import JobNow, job_of
from openstake.derive.kit import KitNow, kit_of
from openstake.derive.shotkinds import elevation_limits_deg
from openstake.derive.sky import EndsNow, elements_now, ends_now
from openstake.live.session import RunningSession
from openstake.store.models import SkyCheck
from openstake.store.records.bases import open_occupation
from openstake.store.records.skies import latest_check
from openstake.workflow.command import Transaction, carry_out
from openstake.workflow.context import Context
from openstake.workflow.sky.where import rover_grid_m

_NO_ELEMENTS = "No elements of these days: load a file under Elements, or let the base send its ephemerides. Nothing is expected before."
_NOTHING = "Nothing is heard: start the base, and listen to it and to a rover that lists its satellites (GSV)."


@dataclass(frozen=True)
class SeenQuery:
    """On which mark the rover stands; the base stands where it was started."""

    rover_mark_id: ShortText = ""


@dataclass(frozen=True)
class CompareSky:
    """On which mark the rover stands while its sky is compared."""

    rover_mark_id: ShortText = ""


@dataclass(frozen=True, kw_only=True)
class MaskRow:
    """An elevation mask or the lowest satellite beside it, degrees; None where it is not known."""

    words: str
    degrees: float | None


@dataclass(frozen=True, kw_only=True)
class SkySeen:
    """Expected against seen, now: satellites above the rover's horizon, the highest first, how many of the expected are used, and masks.

    `sky` says whose sky it is compared with, `masks_words` what the masks beside each other say; `last_words` tell of the comparison that
    the chain rests on, `last_is_open` where it does not hold any more or does not agree.
    """

    satellites: tuple[SatelliteAgainst, ...]
    expected: int
    sent: int | None
    used: int | None
    words: str
    sky: str
    masks: tuple[MaskRow, ...]
    masks_words: str
    findings: tuple[Finding, ...]
    may_compare: bool
    last_words: str
    last_is_open: bool


@dataclass(frozen=True)
class SkySeenView:
    """Expected against seen; where it cannot be shown, why in one sentence."""

    shown: SkySeen | None
    lacks: str


@dataclass(frozen=True, kw_only=True)
class _Now:
    """What is compared at a moment."""

    ends: EndsNow
    satellites: tuple[SatelliteAgainst, ...]
    sent: Sent | None
    in_view: tuple[InView, ...] | None
    lowest_sent_deg: float | None
    sky: str
    under: SkyUnder


def view(context: Context, job_id: str, query: SeenQuery) -> SkySeenView:
    """Return the sky that is expected now beside what is seen of it."""
    with context.database.read() as session:
        job, kit = job_of(session, job_id), kit_of(session, job_id)
        occupation = open_occupation(session, job_id)
        running = None if occupation is None else context.running.session(occupation.id)
        now = _now(session, job, kit, query.rover_mark_id, running, context.now(job_id))
        if now is None:
            return SkySeenView(None, "This job lies nowhere on Earth yet: nothing can be expected of its sky.")
        check = None if occupation is None else latest_check(session, occupation.id)
        limits = elevation_limits_deg(session, job_id)
    expected = [item for item in now.satellites if item.expected]
    findings = _mask_findings(now, limits)
    may_compare = bool(now.satellites) and now.sent is not None and now.in_view is not None
    holds = check is not None and _holds(session, job, kit, check.data, now.ends)
    return SkySeenView(
        SkySeen(
            satellites=now.satellites,
            expected=len(expected),
            sent=None if now.sent is None else sum(bool(item.sent) for item in expected),
            used=None if now.in_view is None else sum(bool(item.used) for item in expected),
            words=_words(now),
            sky=now.sky,
            masks=_masks(now, limits),
            masks_words="" if findings else _masks_words(now),
            findings=ranked(findings),
            may_compare=may_compare,
            last_words=_last_words(job, check, holds, may_compare),
            last_is_open=check is not None and not (holds and check.data.agrees),
        ),
        "",
    )


def _words(now: _Now) -> str:
    if not now.satellites:
        return _NO_ELEMENTS
    if now.sent is None and now.in_view is None:
        return _NOTHING
    return compared(now.satellites, now.under).words


def _last_words(job: JobNow, check: SkyCheck | None, holds: bool, may_compare: bool) -> str:
    """Return what the newest comparison from this base came to, and whether it still holds."""
    if check is None:
        return (
            "Not compared from this base yet: the chain's sky rests on it."
            if may_compare
            else "Base and rover must both be heard to be compared, and elements must say what is expected."
        )
    when = f"Compared at {job.local_time(check.created_s):%H:%M}"
    if not holds:
        return f"{when}; a skyline, a mask or a constellation has changed since. Compare again."
    return f"{when}: {'as expected' if check.data.agrees else 'not as expected'}."


def _now(session: Session, job: JobNow, kit: KitNow, rover_mark_id: str, running: RunningSession | None, now_s: float) -> _Now | None:
    ends = ends_now(session, job, kit, "", rover_mark_id, rover_grid_m(job, running))
    if ends is None:
        return None
    elements = elements_now(session, job, now_s)
    # Stand-ins see the nominal sky, whatever is loaded to plan by; of a real one it tells nothing.
    orbits = nominal_orbits() if job.practice else elements.orbits if elements.tell_of(job) else ()
    gps_s = np.array([gps_from_unix_s(now_s)])
    base, rover = directions_of(orbits, [ends.base.ecef_m, ends.rover.ecef_m], gps_s)
    moment = None if running is None else running.moment()
    heard = moment is not None and moment.base_feed is not None and moment.heard.span_s > 0.0
    sent = _sent(moment.heard) if moment is not None and heard else None
    # A receiver that lists nothing sends no GSV: nothing is known of its sky.
    in_view = None if running is None else running.in_view() or None
    at_base, at_rover = _overhead(base), _overhead(rover)
    return _Now(
        ends=ends,
        satellites=against(at_base, at_rover, ends.ends, sent, in_view),
        sent=sent,
        in_view=in_view,
        lowest_sent_deg=_lowest_sent_deg(at_base, sent),
        sky=SOURCE_WORDS["nominal"] if job.practice else elements.source,
        under=under_of(ends.ends, ends.base.mark_id or "", ends.rover.mark_id or ""),
    )


def _sent(heard: HeardStream) -> Sent | None:
    """Return which satellites a base sends; None where it sends no observables."""
    legacy = {
        CONSTELLATION_NAMES[letter]: None for letter in letters_of_messages([item.number for item in heard.messages if item.number < 1070])
    }
    found: dict[str, Collection[int] | None] = {**legacy, **heard.satellites}
    return found or None


def _overhead(seen: Directions) -> list[Overhead]:
    return [
        Overhead(
            satellite=name,
            azimuth_deg=float(seen.azimuth_deg[n, 0]),
            elevation_deg=float(seen.elevation_deg[n, 0]),
            healthy=bool(seen.healthy[n, 0]),
        )
        for n, name in enumerate(seen.satellites)
        if seen.elevation_deg[n, 0] >= 0.0
    ]


def _lowest_sent_deg(at_base: list[Overhead], sent: Sent | None) -> float | None:
    if sent is None:
        return None
    theirs = [item.elevation_deg for item in at_base if int(item.satellite[1:]) in (sent.get(CONSTELLATION_NAMES[item.satellite[0]]) or ())]
    return min(theirs, default=None)


def _masks(now: _Now, limits_deg: Mapping[str, float]) -> tuple[MaskRow, ...]:
    used = None if now.in_view is None else lowest_used_deg(now.in_view)
    return (
        MaskRow(words="mask of the base's profile", degrees=now.ends.base.end.mask_deg if now.ends.base.profile else None),
        MaskRow(words="lowest satellite sent", degrees=now.lowest_sent_deg),
        MaskRow(words="mask of the rover's profile", degrees=now.ends.rover.end.mask_deg if now.ends.rover.profile else None),
        MaskRow(words="lowest satellite used", degrees=used),
        *(MaskRow(words=f"elevation limit of {kind} shots", degrees=limit) for kind, limit in limits_deg.items()),
    )


def _mask_findings(now: _Now, limits_deg: Mapping[str, float]) -> list[Finding]:
    ends = now.ends
    if ends.base.profile is None or ends.rover.profile is None:
        return []
    used = None if now.in_view is None else lowest_used_deg(now.in_view)
    return judge_masks(ends.base.end.mask_deg, ends.rover.end.mask_deg, limits_deg, now.lowest_sent_deg, used)


def _masks_words(now: _Now) -> str:
    """Return what masks come to of which nothing is to be said."""
    if now.ends.base.profile is None or now.ends.rover.profile is None:
        return "Choose a base profile and a rover profile for this job under Kit: their masks are compared here."
    if now.lowest_sent_deg is None and now.in_view is None:
        return "Both ends are to cut off alike. Whether they do is seen once they are heard."
    return "Both ends cut off alike, and nothing lower is sent or used as far as it is heard."


def compare(context: Context, job_id: str, request: CompareSky) -> SkySeenView:
    """Hold the sky that is expected now against what is seen, and keep what came of it: the chain's *sky* rests on it."""

    def work(tx: Transaction) -> None:
        session, job = tx.session, tx.job
        occupation = open_occupation(session, job_id)
        running = None if occupation is None else context.running.session(occupation.id)
        if occupation is None or running is None:
            raise ConflictError(_NOTHING)
        now = _now(session, job, kit_of(session, job_id), request.rover_mark_id, running, tx.now_s)
        if now is None or now.sent is None or now.in_view is None:
            raise ConflictError("Base and rover must both be heard: what is sent and what is used are compared.")
        if not now.satellites:
            raise ConflictError(_NO_ELEMENTS)
        found = compared(now.satellites, now.under)
        if not found.expected:
            raise ConflictError("No satellite is expected at both ends now: look at masks, skylines and elements.")
        row = tx.add(SkyCheck(job_id=job_id, occupation_id=occupation.id, data=found, created_s=tx.now_s))
        tx.tell("sky-compared", f"Sky {'as expected' if found.agrees else 'not as expected'}: {found.words}", sky_check=row.id)

    carry_out(context, job_id, work)
    return view(context, job_id, SeenQuery(request.rover_mark_id))


def sky_held(session: Session, job: JobNow, kit: KitNow, occupation_id: str) -> SkyHeld | None:
    """Return what the chain rests on of the sky; None where it was never compared from this base."""
    check = latest_check(session, occupation_id)
    if check is None:
        return None
    holds = _holds(session, job, kit, check.data)
    findings = tuple(judge_compared(check.data)) if holds else ()
    return SkyHeld(agrees=check.data.agrees, holds=holds, words=check.data.words, findings=findings)


def _holds(session: Session, job: JobNow, kit: KitNow, before: SkyCompared, ends: EndsNow | None = None) -> bool:
    """Whether skylines, masks and constellations are what a comparison rested on, at the marks where it was made."""
    under = before.under
    if ends is None or (ends.base.mark_id, ends.rover.mark_id) != (under.base_mark_id, under.rover_mark_id):
        try:
            ends = ends_now(session, job, kit, under.base_mark_id, under.rover_mark_id)
        except NotFoundError:  # one of the marks was taken out
            return False
    return ends is not None and under_of(ends.ends, under.base_mark_id, under.rover_mark_id) == under
