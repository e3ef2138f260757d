"""The chain that a rover coordinate hangs on, link by link, and the steps of the work: what is checked and what is not.

    sky - base mark - base antenna - broadcast - link - rover - pole - control - local grid

A link has a meant and an observed value and a state.  *Checked*: observed by something independent, and it agrees.
*Entered*: typed or planned only (*missing*: not even that).  *Disagrees*: observed and different, however severe the
finding is.  *Out of date*: it was checked, and something it rests on has another value now.  States are derived from
evidence each time and never stored; what a result rests on is known by the ids of its inputs, not by clocks.

Source: common practice, no source.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Literal

from openstake.core.evidence import Status
from openstake.core.judge.finding import Finding, contradicting, ranked, stops_of
from openstake.core.sigmas import Sigmas
from openstake.core.units import counted

StepName = Literal["job", "kit", "sky", "link", "base", "watch", "check", "fit", "book"]


class State(StrEnum):
    """How far a link or a step can be relied on."""

    CHECKED = "checked"
    ENTERED = "entered"
    MISSING = "missing"
    DISAGREES = "disagrees"
    OUT_OF_DATE = "out of date"
    NOT_NEEDED = "not needed"


@dataclass(frozen=True)
class StepState:
    """A step of the work with its state and one line that says why."""

    step: StepName
    state: State
    why: str


# --- evidence ---


@dataclass(frozen=True, kw_only=True)
class SystemSaid:
    """The job's system: what it is called, how many marks are given in it, what its settings have to be told."""

    system: str
    marks: int
    findings: tuple[Finding, ...] = ()
    settings_id: str = ""


@dataclass(frozen=True)
class Packed:
    """The kit: how many profiles are chosen, and how many things of the packing list are not ticked off."""

    profiles: int
    left: int


@dataclass(frozen=True, kw_only=True)
class LinkPlanned:
    """Both ends of the link as planned: the base's profile, its rovers, those that do not agree, whether the stream fits."""

    base: str | None
    rovers: tuple[str, ...] = ()
    apart: tuple[str, ...] = ()
    fits: bool | None = None
    findings: tuple[Finding, ...] = ()


@dataclass(frozen=True, kw_only=True)
class BaseRunning:
    """A base that runs: its mark and height as they are meant, with their sigmas, and what is heard of it.

    `level_left` is how many questions on level and plumb nobody has answered; `spread_text` how far its readings are apart;
    `heard_words` where its position on the air was decoded.
    """

    mark_name: str
    source: str
    mark_sigma_m: float
    height_text: str
    height_sigma_m: float
    readings: int
    station_id: int
    heard: bool
    coordinate_ids: tuple[str, ...] = ()
    height_ids: tuple[str, ...] = ()
    level_left: int = 0
    spread_text: str = ""
    heard_words: str = ""


@dataclass(frozen=True, kw_only=True)
class SkyHeld:
    """The sky that was expected, held against what was seen from the base that runs; `holds`: skylines and masks are still those."""

    agrees: bool
    holds: bool
    words: str
    findings: tuple[Finding, ...] = ()


@dataclass(frozen=True, kw_only=True)
class RoverHeard:
    """What the rover says now: its solution, the age of its corrections, its satellites and its own claim."""

    status: Status
    age_s: float | None = None
    satellites: int | None = None
    claim: Sigmas | None = None


@dataclass(frozen=True, kw_only=True)
class MarkChecked:
    """The newest check of a mark from the base that runs; `independent`: the base does not stand on it."""

    mark_name: str
    agrees: bool
    stale: bool
    independent: bool
    words: str
    pole_text: str
    mark_sigma_m: float
    findings: tuple[Finding, ...] = ()
    rests_on: tuple[str, ...] = ()


@dataclass(frozen=True)
class PoleSeen:
    """The rover's pole: whether it was turned, and whether it leans by more than chance gives; its brief words."""

    turned: bool = False
    leans: bool = False
    words: str = ""


@dataclass(frozen=True)
class PlanOfChecks:
    """How far the plan of checks of the base that runs is fulfilled, in one line; `findings` are of all checks together."""

    state: State
    why: str
    findings: tuple[Finding, ...] = ()


@dataclass(frozen=True, kw_only=True)
class FitSaid:
    """The local fit: how many marks have local coordinates, how many are measured, whether there is a fit and whether it is in use.

    `changed`: what the fit in use rests on has another value now; `proven`: it has marks enough to show which one is wrong, or
    marks kept as checks that agree.  `words` say how good it is.
    """

    marks: int = 0
    measured: int = 0
    solved: bool = False
    applied: bool = False
    changed: bool = False
    proven: bool = False
    words: str = ""
    findings: tuple[Finding, ...] = ()


@dataclass(frozen=True, kw_only=True)
class Evidence:
    """Everything that the state of a job is derived from.

    `base_findings` are those of the base that runs or is set up: its streams, its heights, its coordinate;
    `rover_findings` those of the rovers that are watched, `crews` what two crews replaced apart from each other.
    """

    system: SystemSaid
    kit: Packed
    link: LinkPlanned
    base: BaseRunning | None = None
    base_findings: tuple[Finding, ...] = ()
    sky: SkyHeld | None = None
    rover: RoverHeard | None = None
    checks: tuple[MarkChecked, ...] = ()
    rover_findings: tuple[Finding, ...] = ()
    plan: PlanOfChecks = PlanOfChecks(State.MISSING, "no mark checked from this base")
    fit: FitSaid = FitSaid()
    pole: PoleSeen = PoleSeen()
    crews: tuple[Finding, ...] = ()


# --- out of date ---


def out_of_date(rests_on: Iterable[str], now: Iterable[str], value_of: Mapping[str, object]) -> bool:
    """Tell whether a result rests on other values than those in force: `now` are the ids that it would rest on today.

    Ids with equal values count as the same, so an undo that brings a value back makes the result right again.  An id
    whose value is not known any more is a change.
    """

    def values(ids: Iterable[str]) -> Counter[object]:
        return Counter(value_of.get(item, item) for item in ids)

    return values(rests_on) != values(now)


# --- steps ---


def steps(evidence: Evidence) -> tuple[StepState, ...]:
    """Return each step with its state, in working order."""
    return (
        _job_step(evidence.system),
        _kit_step(evidence.kit),
        StepState("sky", *state_of_sky(evidence.sky)),
        _link_step(evidence.link),
        _base_step(evidence.base, evidence.base_findings),
        _watch_step(evidence.rover, evidence.rover_findings),
        StepState("check", evidence.plan.state, evidence.plan.why),
        StepState("fit", *state_of_fit(evidence.fit)),
        _book_step(evidence.crews),
    )


def _book_step(crews: Sequence[Finding]) -> StepState:
    if crews:
        return StepState("book", State.DISAGREES, f"{counted(len(crews), 'value')} that two crews replaced")
    return StepState("book", State.ENTERED, "written as it happens")


def contradiction(findings: Iterable[Finding]) -> Finding | None:
    """Return the worst finding by which something disagrees, None where nothing does."""
    return next(iter(contradicting(findings)), None)


def _job_step(system: SystemSaid) -> StepState:
    if found := contradiction(system.findings):
        return StepState("job", State.DISAGREES, found.sentence)
    if not system.marks:
        return StepState("job", State.MISSING, "no control list yet")
    return StepState("job", State.ENTERED, f"{system.marks} marks given")


def _kit_step(kit: Packed) -> StepState:
    if not kit.profiles:
        return StepState("kit", State.MISSING, "no profile chosen")
    if kit.left:
        return StepState("kit", State.ENTERED, f"{kit.left} things not ticked off yet")
    return StepState("kit", State.CHECKED, "everything ticked off")


def state_of_sky(sky: SkyHeld | None) -> tuple[State, str]:
    """Return the state of the sky over both ends, and why in one line."""
    if sky is None:
        return State.ENTERED, "expected; not held against what is seen yet"
    if not sky.holds:
        return State.OUT_OF_DATE, "a skyline, a mask or a constellation has changed since it was compared"
    return (State.CHECKED if sky.agrees else State.DISAGREES), sky.words.rstrip(".")


def _link_step(link: LinkPlanned) -> StepState:
    if link.base is None or not link.rovers:
        return StepState("link", State.MISSING, "no base and rover profiles chosen")
    if link.apart:
        return StepState("link", State.DISAGREES, f"{', '.join(link.apart)}: the two ends do not agree")
    if link.fits is False:
        return StepState("link", State.DISAGREES, "the stream does not fit the link")
    # Two profiles that agree are still only a plan: what the devices are set to shows on the air.
    return StepState("link", State.ENTERED, "both ends planned alike")


def _base_step(base: BaseRunning | None, findings: Sequence[Finding]) -> StepState:
    if base is None:
        return StepState("base", State.MISSING, "no base running")
    if found := contradiction(findings):
        return StepState("base", State.DISAGREES, found.sentence)
    if not base.heard:
        return StepState("base", State.ENTERED, "not heard on the air yet")
    return StepState("base", State.CHECKED, "sends what is meant")


def _watch_step(rover: RoverHeard | None, findings: Sequence[Finding]) -> StepState:
    if rover is None or rover.status is Status.NONE:
        return StepState("watch", State.MISSING, "no rover position")
    if found := contradiction(findings):
        return StepState("watch", State.DISAGREES, found.sentence)
    if rover.status is not Status.FIXED:
        return StepState("watch", State.ENTERED, f"the rover is {rover.status}")
    return StepState("watch", State.ENTERED, "fixed, by the receiver's own claim")


def state_of_fit(fit: FitSaid) -> tuple[State, str]:
    """Return the state of a local fit, and why in one line."""
    if not fit.marks:
        return State.NOT_NEEDED, "no local grid: the job works in its projection"
    if not fit.measured and not fit.applied:
        return (State.ENTERED, f"{counted(fit.marks, 'mark')} with local coordinates, none measured: the job works in its projection")
    if found := contradiction(fit.findings):
        return State.DISAGREES, found.sentence
    if not fit.solved and not fit.applied:
        return State.ENTERED, f"{fit.measured} of {counted(fit.marks, 'mark')} measured"
    if not fit.applied:
        return State.ENTERED, f"{fit.words}; not applied"
    if fit.changed:
        return State.OUT_OF_DATE, "what the fit rests on has changed since it was applied"
    if not fit.proven:
        return State.ENTERED, f"{fit.words}; too few marks to tell which one is wrong"
    return State.CHECKED, fit.words


def state_of_check(agrees: bool, stale: bool) -> State:
    """Return the state of one check as it stands now."""
    return State.DISAGREES if not agrees else State.OUT_OF_DATE if stale else State.CHECKED


# --- findings ---


def open_findings(evidence: Evidence) -> tuple[Finding, ...]:
    """Return what is open in a job, the worst first: of its system, its link, its base, its rovers, all checks together,
    the newest check of each mark."""
    checks = (found for item in evidence.checks for found in item.findings)
    return ranked(
        (
            *evidence.crews,
            *evidence.system.findings,
            *(evidence.sky.findings if evidence.sky else ()),
            *evidence.link.findings,
            *evidence.base_findings,
            *evidence.rover_findings,
            *evidence.plan.findings,
            *evidence.fit.findings,
            *checks,
        )
    )


def stops_open(evidence: Evidence) -> int:
    """Return how many open findings say stop."""
    return len(stops_of(open_findings(evidence)))
