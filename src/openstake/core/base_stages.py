"""The parts of setting a base up, running it and looking back at it, each with its state as the Base page shows it.

Source: common practice, no source.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from openstake.core.chain import State
from openstake.core.judge.base import OnAir
from openstake.core.judge.finding import Finding, stops_of


@dataclass(frozen=True, kw_only=True)
class Part:
    """One part of the work at the base: `key` names it, `summary` is one short line."""

    key: str
    title: str
    state: State
    summary: str


@dataclass(frozen=True)
class HeightRead:
    """The height of a base before or after the session: its text, how many readings, what they say of each other."""

    text: str
    count: int
    findings: Sequence[Finding]


@dataclass(frozen=True)
class Looked:
    """How many of some questions were looked at."""

    done: int
    asked: int

    @property
    def state(self) -> State:
        return State.CHECKED if self.done == self.asked else State.ENTERED if self.done else State.MISSING

    @property
    def words(self) -> str:
        return f"{self.done} of {self.asked} looked at"


def height_state(height: HeightRead | None) -> State:
    """Return the state of a height: read twice and nothing says stop is checked."""
    if height is None:
        return State.MISSING
    if stops_of(height.findings):
        return State.DISAGREES
    return State.CHECKED if height.count > 1 else State.ENTERED


@dataclass(frozen=True, kw_only=True)
class SettledSoFar:
    """A set-up in hand: its mark and whether a rover's check of it agrees, its coordinate's source in words."""

    mark_name: str
    mark_check_agrees: bool | None
    height: HeightRead | None
    coordinate: str | None
    coordinate_findings: Sequence[Finding]
    site: Looked
    level: Looked
    station_id: int


def setup_parts(so_far: SettledSoFar) -> tuple[Part, ...]:
    """Return the parts of a set-up, in working order."""
    mark = {None: State.ENTERED, True: State.CHECKED, False: State.DISAGREES}[so_far.mark_check_agrees]
    if so_far.coordinate is None:
        coordinate = State.MISSING
    else:
        coordinate = State.DISAGREES if stops_of(so_far.coordinate_findings) else State.ENTERED
    level = so_far.level
    return (
        Part(key="site", title="Site", state=so_far.site.state, summary=so_far.site.words),
        Part(key="mark", title="Mark", state=mark if so_far.mark_name else State.MISSING, summary=so_far.mark_name),
        Part(key="height", title="Height", state=height_state(so_far.height), summary=f"ARP {so_far.height.text}" if so_far.height else ""),
        Part(key="coordinate", title="Coordinate", state=coordinate, summary=so_far.coordinate or ""),
        Part(
            key="air",
            title="On the air",
            state=State.MISSING,
            summary=f"level looked at {level.done} of {level.asked} times, station {so_far.station_id}",
        ),
    )


@dataclass(frozen=True, kw_only=True)
class RunsNow:
    """A base that runs: what is on the air, its heights, its coordinate in words, its logs, where it is listened to."""

    on_air: OnAir | None
    findings: Sequence[Finding]
    opening: HeightRead
    closing: HeightRead | None
    height_typed: str
    coordinate: str
    logs: int
    logging: bool
    listening: Sequence[str]
    looked: Looked


def running_parts(now: RunsNow) -> tuple[Part, ...]:
    """Return the parts of a base that runs."""
    closing = now.closing
    return (
        Part(key="air", title="On the air", state=air_state(now.on_air, now.findings), summary=_air_words(now.on_air, now.findings)),
        Part(key="height", title="Height", state=height_state(now.opening), summary=f"{now.opening.text} from {now.height_typed}"),
        Part(key="coordinate", title="Coordinate", state=State.ENTERED, summary=now.coordinate),
        Part(
            key="log",
            title="Raw data",
            state=State.ENTERED if now.logs else State.MISSING,
            summary="being logged" if now.logging else "for a later computation",
        ),
        Part(key="listen", title="Listening", state=State.ENTERED, summary=", ".join(now.listening)),
        Part(key="site", title="Site and level", state=now.looked.state, summary=now.looked.words),
        Part(key="end", title="End", state=closing_state(closing), summary=f"closing {closing.text}" if closing else "closing height"),
    )


def air_state(on_air: OnAir | None, findings: Sequence[Finding]) -> State:
    """Return the state of what is on the air: anything that contradicts what is meant disagrees, at any severity."""
    if any(item.contradicts for item in findings):
        return State.DISAGREES
    if on_air is None:
        return State.MISSING
    return State.CHECKED if on_air.agrees else State.DISAGREES


def compared_state(meant: bool, on_air: OnAir | None) -> State:
    """Return the state of the ARP alone: meant against on the air."""
    if not meant:
        return State.MISSING
    if on_air is None:
        return State.ENTERED
    return State.CHECKED if on_air.agrees else State.DISAGREES


def _air_words(on_air: OnAir | None, findings: Sequence[Finding]) -> str:
    if on_air is None:
        return "not heard"
    if not on_air.agrees:
        return f"{on_air.up_m * 1000.0:.1f} mm up".replace("-", "−")
    if stops_of(findings):
        return "sent as meant, but stop"
    return "as meant, but something disagrees" if any(item.contradicts for item in findings) else "as meant"


def closing_state(closing: HeightRead | None) -> State:
    """Return the state of a closing height: there, and nothing says stop, is checked."""
    if closing is None:
        return State.MISSING
    return State.DISAGREES if stops_of(closing.findings) else State.CHECKED


def earlier_state(opening: Sequence[Finding], closing: HeightRead | None) -> State:
    """Return the state of a base that ended: its heights contradict, were closed, or were left open."""
    if stops_of(opening) or (closing is not None and stops_of(closing.findings)):
        return State.DISAGREES
    return State.CHECKED if closing else State.ENTERED
