"""From network to radio: a base set over a point that was measured by network, and the frame proven before work goes on."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from sqlalchemy.orm import Session

from openstake.core.advice import ADVICE
from openstake.core.chain import State
from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.core.geodesy.local import enu_from_ecef_difference
from openstake.core.judge.finding import Finding
from openstake.core.judge.watch import judge_pair
from openstake.core.limits import POLE_TWICE_M, UNCLAIMED_HORIZONTAL_M, UNCLAIMED_UP_M
from openstake.core.rtk.initialising import Agreement, compared
from openstake.core.rtk.rover import Pair
from openstake.derive import points
from openstake.derive.averages import average_mark_m
from openstake.derive.base import BaseNow, base_of
from openstake.derive.job import JobNow, job_of
from openstake.derive.marks import MarkNow, marks_of
from openstake.store.models import PositionAverageRow, Shot
from openstake.store.records.averages import fixed_averages_on_marks, largest_claims
from openstake.store.records.bases import open_occupation
from openstake.store.records.shots import checks_by_radio
from openstake.workflow.context import Context
from openstake.workflow.moment import heard_epoch

StepKey = Literal["measured", "set up", "radio", "frame"]


@dataclass(frozen=True, kw_only=True)
class HandoverStep:
    """One step of the way: its state, what is there, and what to do next on which page."""

    key: StepKey
    title: str
    state: State
    words: str
    action: str
    page: str


@dataclass(frozen=True, kw_only=True)
class Handover:
    """The way from network to radio: its steps, the next one (None where it is gone), and what to do now in one line.

    `findings` are those of the frame check.
    """

    steps: tuple[HandoverStep, ...]
    next: StepKey | None
    advice: str
    findings: tuple[Finding, ...]


@dataclass(frozen=True, kw_only=True)
class _Measured:
    """A mark as the network had it: Earth-centred metres, one sigma horizontal and up, the network's station."""

    mark: MarkNow
    xyz_m: tuple[float, float, float]
    sigmas_m: tuple[float, float]
    station: int | None
    created_s: float


def view(context: Context, job_id: str) -> Handover:
    """Return how far the way from network to radio has come, from stored evidence and what is heard now."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        measured = _measured(session, job)
        occupation = open_occupation(session, job_id)
        base = None if occupation is None else base_of(session, occupation)
        findings = [] if base is None else _frame_check(session, job, base, measured)
    running = None if occupation is None else context.running.session(occupation.id)
    epoch = None if running is None else heard_epoch(running.moment())
    from_network = base is not None and base.coordinate.source == "network"
    on_radio = epoch is not None and occupation is not None and epoch.station_id == occupation.station_id
    steps = (
        _measured_step(measured),
        _set_up_step(base, from_network),
        _radio_step(from_network, on_radio),
        _frame_step(findings, [item for item in measured if base is None or base.occupation.mark_id != item.mark.id], from_network),
    )
    left = next((step for step in steps if step.state not in (State.CHECKED, State.ENTERED)), None)
    advice = ADVICE["frames-are-one"].sentence if left is None else left.action
    return Handover(steps=steps, next=None if left is None else left.key, advice=advice, findings=tuple(findings))


def _measured(session: Session, job: JobNow) -> list[_Measured]:
    """Return the marks of the list that a network rover measured, fixed, each with its newest average."""
    averages = fixed_averages_on_marks(session, job.id)
    if not averages:
        return []
    heads = marks_of(session, job, {row.mark_id for row in averages if row.mark_id})
    newest: dict[str, tuple[MarkNow, PositionAverageRow]] = {}
    for row in averages:
        mark = heads.get(row.mark_id or "")
        if mark is not None:
            newest.setdefault(mark.id, (mark, row))
    claims = _claims(session, [row.id for _, row in newest.values()])
    return [
        _Measured(
            mark=mark, xyz_m=average_mark_m(session, row), sigmas_m=claims[row.id][0], station=claims[row.id][1], created_s=row.created_s
        )
        for mark, row in newest.values()
    ]


def _claims(session: Session, ids: Sequence[str]) -> dict[str, tuple[tuple[float, float], int | None]]:
    """Return the receiver's largest claim of each average, one sigma horizontal and up, and the station that it used."""
    rows = largest_claims(session, ids)
    unknown = ((UNCLAIMED_HORIZONTAL_M, UNCLAIMED_UP_M), None)
    found = {
        average_id: ((max(east or 0.0, north or 0.0) or UNCLAIMED_HORIZONTAL_M, up or UNCLAIMED_UP_M), station)
        for average_id, east, north, up, station in rows
    }
    return {average_id: found.get(average_id, unknown) for average_id in ids}


def _frame_check(session: Session, job: JobNow, base: BaseNow, measured: Sequence[_Measured]) -> list[Finding]:
    """Compare each mark that the network measured with its newest shot by corrections of this base."""
    if base.coordinate.source != "network" or not measured:
        return []
    # A shot that the network still corrected proves nothing.
    shots = checks_by_radio(session, base.occupation.id, base.occupation.station_id)
    heads = marks_of(session, job, {shot.mark_id for shot in shots if shot.mark_id})
    newest = {heads[shot.mark_id].id: shot for shot in shots if shot.mark_id}
    pairs = [(item, newest[item.mark.id]) for item in measured if item.mark.id in newest and not _is_under(base, item)]
    derived = points.derive_all(session, job, [shot for _, shot in pairs])
    return [
        judge_pair(
            Pair(
                kind="source switched",
                time_s=shot.created_s,
                agreement=_agreement(job, point, shot, item),
                asked=True,
                from_station=item.station,
                to_station=base.occupation.station_id,
            ),
            job.length_unit,
        )
        for (item, shot), point in zip(pairs, derived, strict=True)
    ]


def _is_under(base: BaseNow, item: _Measured) -> bool:
    """Whether the base stands on a mark that was measured: that proves nothing."""
    return item.mark.id == base.occupation.mark_id


def _agreement(job: JobNow, point: points.Point, shot: Shot, item: _Measured) -> Agreement:
    here = np.array(job.frame.ecef_from_grid(point.east_m, point.north_m, point.height_m))
    latitude, longitude, _ = (float(value) for value in geodetic_from_ecef(here))
    apart = enu_from_ecef_difference(here - np.array(item.xyz_m), latitude, longitude)
    flat = max(shot.sigma_east_m or 0.0, shot.sigma_north_m or 0.0) or UNCLAIMED_HORIZONTAL_M
    return compared(np.zeros(3), apart, item.sigmas_m, (flat, shot.sigma_up_m or UNCLAIMED_UP_M), POLE_TWICE_M)


def _measured_step(measured: Sequence[_Measured]) -> HandoverStep:
    names = ", ".join(item.mark.name for item in measured)
    if len(measured) >= 2:
        state, words = State.CHECKED, f"{names} were measured by network."
    elif measured:
        state, words = State.ENTERED, f"{names} was measured by network. A second one proves the frame later."
    else:
        state, words = State.MISSING, "No mark has been measured by network yet."
    return HandoverStep(
        key="measured",
        title="Measure two marks by network",
        state=state,
        words=words,
        action="On the Base page pick a mark, choose From the network, and average over it; then the same on a second mark.",
        page="base",
    )


def _set_up_step(base: BaseNow | None, from_network: bool) -> HandoverStep:
    if base is None:
        state, words = State.MISSING, "No base runs."
    elif from_network:
        state, words = State.ENTERED, f"A base stands on {base.coordinate.detail}."
    else:
        state, words = (State.DISAGREES, f"The base that runs has its coordinate from elsewhere: {base.coordinate.detail}.")
    return HandoverStep(
        key="set up",
        title="Set the base over one of them",
        state=state,
        words=words,
        action="On the Base page set up over that very mark, with the network's coordinate and the antenna's height.",
        page="base",
    )


def _radio_step(from_network: bool, on_radio: bool) -> HandoverStep:
    state = State.CHECKED if from_network and on_radio else State.MISSING
    words = "The rover uses this base." if state is State.CHECKED else "The rover does not use this base yet."
    return HandoverStep(
        key="radio",
        title="Switch the rover to radio",
        state=state,
        words=words,
        action="At the rover: source radio, single baseline, the base's channel and ID.",
        page="watch",
    )


def _frame_step(findings: Sequence[Finding], left: Sequence[_Measured], from_network: bool) -> HandoverStep:
    title = "Measure the other mark again, by radio"
    if findings:
        bad = next((item for item in findings if item.is_stop), None)
        return HandoverStep(
            key="frame",
            title=title,
            state=State.DISAGREES if bad else State.CHECKED,
            words=(bad or findings[0]).sentence,
            action="Record a check on it.",
            page="check",
        )
    where = left[0].mark.name if left else "it"
    return HandoverStep(
        key="frame",
        title=title,
        state=State.MISSING,
        words="Whether both are in one frame is not shown yet.",
        action=f"Stand on {where} and record a check: both results are compared by themselves." if from_network else "First the base.",
        page="check",
    )
