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
from openstake.core.limits import OLD_AGE_S
from openstake.core.sigmas import Sigmas
from openstake.core.units import counted

StepName = Literal["job", "kit", "sky", "link", "base", "watch", "check", "fit", "book"]
LINKS = ("sky", "base mark", "base antenna", "broadcast", "link", "rover", "pole", "control", "local grid")


class State(StrEnum):
    """How far a link or a step can be relied on."""

    CHECKED = "checked"
    ENTERED = "entered"
    MISSING = "missing"
    DISAGREES = "disagrees"
    OUT_OF_DATE = "out of date"


@dataclass(frozen=True)
class Link:
    """A link of the chain: what is meant and observed in words, one sigma in metres, why its state is what it is.

    `rests_on` are the ids of the evidence behind it.
    """

    name: str
    meant: str
    observed: str
    sigma_m: float | None
    state: State
    why: str
    rests_on: tuple[str, ...] = ()


@dataclass(frozen=True)
class StepState:
    """A step of the work with its state and one line that says why."""

    step: StepName
    state: State
    why: str


# --- evidence ---


@dataclass(frozen=True)
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


@dataclass(frozen=True)
class LinkPlanned:
    """Both ends of the link as planned: the base's profile, its rovers, those that do not agree, whether the stream fits."""

    base: str | None
    rovers: tuple[str, ...] = ()
    apart: tuple[str, ...] = ()
    fits: bool | None = None
    findings: tuple[Finding, ...] = ()


@dataclass(frozen=True)
class BaseRunning:
    """A base that runs: its mark and height as they are meant, with their sigmas, and what is heard of it."""

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


@dataclass(frozen=True)
class RoverHeard:
    """What the rover says now: its solution, the age of its corrections, its satellites and its own claim."""

    status: Status
    age_s: float | None = None
    satellites: int | None = None
    claim: Sigmas | None = None


@dataclass(frozen=True)
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
class PlanOfChecks:
    """How far the plan of checks of the base that runs is fulfilled, in one line; `findings` are of all checks together."""

    state: State
    why: str
    findings: tuple[Finding, ...] = ()


@dataclass(frozen=True)
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


@dataclass(frozen=True)
class Evidence:
    """Everything that the state of a job is derived from.

    `base_findings` are those of the base that runs or is set up: its streams, its heights, its coordinate;
    `rover_findings` those of the rovers that are watched.
    """

    system: SystemSaid
    kit: Packed
    link: LinkPlanned
    base: BaseRunning | None = None
    base_findings: tuple[Finding, ...] = ()
    rover: RoverHeard | None = None
    checks: tuple[MarkChecked, ...] = ()
    rover_findings: tuple[Finding, ...] = ()
    plan: PlanOfChecks = PlanOfChecks(State.MISSING, "no mark checked from this base")
    fit: FitSaid = FitSaid()


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
        _link_step(evidence.link),
        _base_step(evidence.base, evidence.base_findings),
        _watch_step(evidence.rover, evidence.rover_findings),
        StepState("check", evidence.plan.state, evidence.plan.why),
        StepState("fit", *state_of_fit(evidence.fit)),
        StepState("book", State.ENTERED, "written as it happens"),
    )


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
        return State.ENTERED, "no local grid: the job works in its projection"
    if found := contradiction(fit.findings):
        return State.DISAGREES, found.sentence
    if not fit.solved and not fit.applied:
        return State.MISSING, f"{fit.measured} of {counted(fit.marks, 'mark')} measured"
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


# --- links ---


def links(evidence: Evidence) -> tuple[Link, ...]:
    """Return the nine links, from the sky to the local grid."""
    said: dict[str, list[Finding]] = {name: [] for name in LINKS}
    for found in open_findings(evidence):
        if found.contradicts:
            said[found.link].append(found)
    made = (
        _sky(evidence.rover), _base_mark(evidence), _base_antenna(evidence.base), _broadcast(evidence.base),
        _radio(evidence.link, evidence.rover), _rover(evidence.rover), _pole(evidence.checks), _control(evidence.checks, evidence.plan),
        _local_grid(evidence.system, evidence.fit),
    )  # fmt: skip
    return tuple(_contradicted(link, said[link.name]) for link in made)


def _contradicted(link: Link, findings: Sequence[Finding]) -> Link:
    """Return the link as disagreeing where a finding of it says so; nothing that is missing can disagree."""
    if link.state is State.MISSING or not findings:
        return link
    return Link(
        link.name, link.meant, link.observed, link.sigma_m, State.DISAGREES, findings[0].sentence, link.rests_on
    )


def _sky(rover: RoverHeard | None) -> Link:
    if rover is None or rover.satellites is None:
        return Link("sky", "", "", None, State.MISSING, "no rover is heard")
    return Link("sky", "", f"{rover.satellites} satellites used", None, State.ENTERED, "by the receiver's own count")


def _proof(checks: Sequence[MarkChecked]) -> tuple[State, str, tuple[str, ...]] | None:
    """Return what the checks of other marks prove of everything before the control; None where there is none that agrees."""
    agreeing = [item for item in checks if item.agrees and item.independent]
    if not agreeing:
        return None
    fresh = [item for item in agreeing if not item.stale]
    if not fresh:
        return State.OUT_OF_DATE, "checked, and something has changed since", agreeing[0].rests_on
    return State.CHECKED, f"{', '.join(item.mark_name for item in fresh)} agree from here", fresh[0].rests_on


def _base_mark(evidence: Evidence) -> Link:
    base = evidence.base
    if base is None:
        return Link("base mark", "", "", None, State.MISSING, "no base running")
    proof = _proof(evidence.checks)
    if proof is None:
        return Link(
            "base mark", f"{base.mark_name}, {base.source}", "", base.mark_sigma_m, State.ENTERED,
            "no other mark checked from here", base.coordinate_ids,
        )  # fmt: skip
    state, why, rests_on = proof
    return Link("base mark", f"{base.mark_name}, {base.source}", why, base.mark_sigma_m, state, why, rests_on)


def _base_antenna(base: BaseRunning | None) -> Link:
    if base is None:
        return Link("base antenna", "", "", None, State.MISSING, "no base running")
    if base.readings < 2:
        return Link(
            "base antenna", base.height_text, "", base.height_sigma_m, State.ENTERED, "read once", base.height_ids
        )
    return Link(
        "base antenna", base.height_text, f"{base.readings} readings agree", base.height_sigma_m, State.CHECKED,
        "read more than once", base.height_ids,
    )  # fmt: skip


def _broadcast(base: BaseRunning | None) -> Link:
    if base is None:
        return Link("broadcast", "", "", None, State.MISSING, "no base running")
    meant = f"station {base.station_id}"
    if not base.heard:
        return Link("broadcast", meant, "", None, State.ENTERED, "not heard on the air yet")
    return Link("broadcast", meant, "as meant", None, State.CHECKED, "sends what is meant")


def _radio(link: LinkPlanned, rover: RoverHeard | None) -> Link:
    meant = f"{link.base} to {', '.join(link.rovers)}" if link.base and link.rovers else ""
    if rover is None or rover.age_s is None:
        state = State.ENTERED if meant else State.MISSING
        return Link(
            "link", meant, "", None, state, "both ends planned alike" if meant else "no pair of profiles chosen"
        )
    state = State.CHECKED if rover.age_s <= OLD_AGE_S else State.ENTERED
    return Link("link", meant, f"corrections {rover.age_s:.1f} s old", None, state, "corrections reach the rover")


def _rover(rover: RoverHeard | None) -> Link:
    if rover is None or rover.status is Status.NONE:
        return Link("rover", "fixed", "", None, State.MISSING, "no rover position")
    sigma_m = None if rover.claim is None else max(rover.claim.east_m, rover.claim.north_m)
    return Link("rover", "fixed", str(rover.status), sigma_m, State.ENTERED, "by the receiver's own claim")


def _pole(checks: Sequence[MarkChecked]) -> Link:
    if not checks:
        return Link("pole", "", "", None, State.MISSING, "no height of the pole typed yet")
    return Link("pole", checks[0].pole_text, "", None, State.ENTERED, "typed, not measured twice", checks[0].rests_on)


def _control(checks: Sequence[MarkChecked], plan: PlanOfChecks) -> Link:
    if not checks:
        return Link("control", "", "", None, State.MISSING, "no mark checked from this base")
    shown = next((item for item in checks if not item.agrees), checks[0])
    return Link("control", shown.mark_name, shown.words, shown.mark_sigma_m, plan.state, plan.why, shown.rests_on)


def _local_grid(system: SystemSaid, fit: FitSaid) -> Link:
    if not fit.marks:
        return Link("local grid", system.system, "", None, State.ENTERED, "as the job has it", (system.settings_id,))
    state, why = state_of_fit(fit)
    observed = fit.words if fit.solved else ""
    return Link(
        "local grid",
        f"{counted(fit.marks, 'mark')} with local coordinates",
        observed,
        None,
        state,
        why,
        (system.settings_id,),
    )


# --- findings ---


def open_findings(evidence: Evidence) -> tuple[Finding, ...]:
    """Return what is open in a job, the worst first: of its system, its link, its base, its rovers, all checks together,
    the newest check of each mark."""
    checks = (found for item in evidence.checks for found in item.findings)
    return ranked(
        (
            *evidence.system.findings,
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
