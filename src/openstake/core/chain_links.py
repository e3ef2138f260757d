"""The nine links that a rover coordinate hangs on: meant, observed, how far apart, and what would check each next.

    sky - base mark - base antenna - broadcast - link - rover - pole - control - local grid

States are those of `core/chain.py`.  A tick by the crew is *entered*, never green by itself.

Source: common practice, no source.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

from openstake.core.budget import TermName
from openstake.core.chain import (
    BaseRunning,
    Evidence,
    FitSaid,
    LinkPlanned,
    MarkChecked,
    PlanOfChecks,
    RoverHeard,
    SkyHeld,
    State,
    SystemSaid,
    open_findings,
    state_of_fit,
    state_of_sky,
)
from openstake.core.evidence import Status
from openstake.core.judge.finding import RULES, Finding
from openstake.core.limits import OLD_AGE_S
from openstake.core.units import counted

LINKS = ("sky", "base mark", "base antenna", "broadcast", "link", "rover", "pole", "control", "local grid")
# Which link a term of the budget belongs to.
TERM_LINKS: dict[TermName, str] = {
    "base_coordinate": "base mark",
    "base_centring": "base antenna",
    "base_height": "base antenna",
    "vector": "rover",
    "age": "link",
    "multipath": "rover",
    "pole_lean": "pole",
    "rover_height": "pole",
    "geoid": "control",
    "local_fit": "local grid",
}


@dataclass(frozen=True)
class Seen:
    """A piece of evidence behind a link, in words, and the page where it stands."""

    words: str
    page: str


@dataclass(frozen=True)
class Due:
    """What would check a link next: one line, what stands on its button, and the page where it is done."""

    words: str
    press: str
    page: str


@dataclass(frozen=True, kw_only=True)
class Link:
    """A link of the chain: meant and observed in words, how far apart, one sigma in metres, why its state is what it is.

    `due` is what would check it next, None where nothing does; `seen` the evidence behind it, `rests_on` its ids.
    """

    name: str
    meant: str
    observed: str
    sigma_m: float | None
    state: State
    why: str
    rests_on: tuple[str, ...] = ()
    difference: str = ""
    due: Due | None = None
    seen: tuple[Seen, ...] = ()


def links(evidence: Evidence) -> tuple[Link, ...]:
    """Return the nine links, from the sky to the local grid."""
    said: dict[str, list[Finding]] = {name: [] for name in LINKS}
    for found in open_findings(evidence):
        if found.contradicts:
            said[found.link].append(found)
    made = (
        _sky(evidence.sky, evidence.rover),
        _base_mark(evidence),
        _base_antenna(evidence.base),
        _broadcast(evidence.base),
        _radio(evidence.link, evidence.rover),
        _rover(evidence.rover, evidence.rover_findings),
        _pole(evidence),
        _control(evidence.checks, evidence.plan),
        _local_grid(evidence.system, evidence.fit),
    )
    return tuple(_contradicted(link, said[link.name]) for link in made)


_PAGES = {
    "sky": "sky?view=seen",
    "base mark": "check?view=plan",
    "base antenna": "base",
    "broadcast": "base",
    "link": "link",
    "rover": "watch",
    "pole": "check?view=pole",
    "control": "check?view=plan",
    "local grid": "fit",
}
_PRESS = {
    "sky": "Sky",
    "base mark": "Check marks",
    "base antenna": "Base",
    "broadcast": "Base",
    "link": "Link",
    "rover": "Watch",
    "pole": "Turn the pole",
    "control": "Check marks",
    "local grid": "Fit",
}


def _due(name: str, words: str) -> Due:
    return Due(words, _PRESS[name], _PAGES[name])


_AS_MEANT = "as meant"
_START = Due("Set the base up over a mark, and start it.", "Set up the base", "base")


def _contradicted(link: Link, findings: Sequence[Finding]) -> Link:
    """Return the link as disagreeing where a finding of it says so; nothing that is missing can disagree."""
    if link.state is State.MISSING or not findings:
        return link
    at = RULES[findings[0].code].at
    due = Due(findings[0].action, "Book", at) if at else _due(link.name, findings[0].action)
    observed = "other than meant" if link.observed == _AS_MEANT else link.observed
    return replace(
        link,
        state=State.DISAGREES,
        observed=observed,
        why=findings[0].sentence,
        due=due,
        seen=(*(Seen(found.sentence, RULES[found.code].at or _PAGES[link.name]) for found in findings[:3]), *link.seen),
    )


_SAY_DATUM = Due(
    "Choose the operation by which positions come into the job's datum: nothing is measured before.", "System", "job?view=system"
)


def _datum_unsaid(system: SystemSaid) -> Finding | None:
    """Return the stop of a classical datum into which nobody has chosen an operation."""
    return next((found for found in system.findings if found.code == "datum-not-said"), None)


def _sky(sky: SkyHeld | None, rover: RoverHeard | None) -> Link:
    if rover is None or rover.satellites is None:
        return Link(name="sky", meant="", observed="", sigma_m=None, state=State.MISSING, why="no rover is heard", due=_START)
    used = f"{rover.satellites} satellites used"
    state, why = state_of_sky(sky)
    due = (
        "Hold the sky that is expected against what is sent and used: one press."
        if sky is None
        else "Hold the sky against what is seen again."
    )
    return Link(
        name="sky",
        meant="" if sky is None else "as its elements and skylines say",
        observed=used,
        sigma_m=None,
        state=state,
        why=why,
        due=None if state is State.CHECKED else _due("sky", due),
        seen=(Seen(used, "watch"),) if sky is None else (Seen(sky.words, "sky?view=seen"),),
    )


def _proof(checks: Sequence[MarkChecked]) -> tuple[State, str, tuple[str, ...]] | None:
    """Return what the checks of other marks prove of everything before the control; None where there is none that agrees."""
    agreeing = [item for item in checks if item.agrees and item.independent]
    if not agreeing:
        return None
    fresh = [item for item in agreeing if not item.stale]
    if not fresh:
        return State.OUT_OF_DATE, "checked, and something has changed since", agreeing[0].rests_on
    return State.CHECKED, f"{', '.join(item.mark_name for item in fresh)} agree from here", fresh[0].rests_on


def _seen_checks(checks: Sequence[MarkChecked]) -> tuple[Seen, ...]:
    return tuple(Seen(f"{item.mark_name}: {item.words}", f"check?mark={item.mark_name}") for item in checks[:6])


def _base_mark(evidence: Evidence) -> Link:
    base, unsaid = evidence.base, _datum_unsaid(evidence.system)
    if base is None:
        why, due = ("no base running", _START) if unsaid is None else (unsaid.sentence, _SAY_DATUM)
        return Link(name="base mark", meant="", observed="", sigma_m=None, state=State.MISSING, why=why, due=due)
    proof, meant = _proof(evidence.checks), f"{base.mark_name}, {base.source}"
    due = _due("base mark", "Check another mark: nothing else proves the base's coordinate.")
    if proof is None:
        return Link(
            name="base mark",
            meant=meant,
            observed="",
            sigma_m=base.mark_sigma_m,
            state=State.ENTERED,
            why="no other mark checked from here",
            rests_on=base.coordinate_ids,
            due=due,
        )
    state, why, rests_on = proof
    return Link(
        name="base mark",
        meant=meant,
        observed=why,
        sigma_m=base.mark_sigma_m,
        state=state,
        why=why,
        rests_on=rests_on,
        due=None if state is State.CHECKED else due,
        seen=_seen_checks([item for item in evidence.checks if item.independent]),
    )


def _base_antenna(base: BaseRunning | None) -> Link:
    if base is None:
        return Link(name="base antenna", meant="", observed="", sigma_m=None, state=State.MISSING, why="no base running", due=_START)
    seen = (Seen(f"read as {base.height_text}", "base"),)
    if base.readings < 2:
        return Link(
            name="base antenna",
            meant=base.height_text,
            observed="",
            sigma_m=base.height_sigma_m,
            state=State.ENTERED,
            why="read once",
            rests_on=base.height_ids,
            due=_due("base antenna", "Read the height again: another unit, another feature, another pair of eyes."),
            seen=seen,
        )
    observed = f"{base.readings} readings agree"
    if base.level_left:
        return Link(
            name="base antenna",
            meant=base.height_text,
            observed=observed,
            sigma_m=base.height_sigma_m,
            state=State.ENTERED,
            why="nobody has said that it is level over the mark",
            rests_on=base.height_ids,
            difference=base.spread_text,
            due=_due("base antenna", "Look at level and plumb once more, and tick it off."),
            seen=seen,
        )
    return Link(
        name="base antenna",
        meant=base.height_text,
        observed=observed,
        sigma_m=base.height_sigma_m,
        state=State.CHECKED,
        why="read more than once",
        rests_on=base.height_ids,
        difference=base.spread_text,
        due=None,
        seen=seen,
    )


def _broadcast(base: BaseRunning | None) -> Link:
    if base is None:
        return Link(name="broadcast", meant="", observed="", sigma_m=None, state=State.MISSING, why="no base running", due=_START)
    meant = f"station {base.station_id}"
    if not base.heard:
        return Link(
            name="broadcast",
            meant=meant,
            observed="",
            sigma_m=None,
            state=State.ENTERED,
            why="not heard on the air yet",
            due=_due("broadcast", "Listen to the base's own stream: only that shows what is on the air."),
        )
    seen = (Seen(base.heard_words, "base"),) if base.heard_words else ()
    return Link(name="broadcast", meant=meant, observed=_AS_MEANT, sigma_m=None, state=State.CHECKED, why="sends what is meant", seen=seen)


def _radio(link: LinkPlanned, rover: RoverHeard | None) -> Link:
    meant = f"{link.base} to {', '.join(link.rovers)}" if link.base and link.rovers else ""
    if rover is None or rover.age_s is None:
        state = State.ENTERED if meant else State.MISSING
        why = "both ends planned alike" if meant else "no pair of profiles chosen"
        return Link(
            name="link",
            meant=meant,
            observed="",
            sigma_m=None,
            state=state,
            why=why,
            due=_due("link", "Set both ends alike, then see corrections arrive at the rover."),
        )
    observed = f"corrections {rover.age_s:.1f} s old"
    if rover.age_s <= OLD_AGE_S:
        return Link(
            name="link",
            meant=meant,
            observed=observed,
            sigma_m=None,
            state=State.CHECKED,
            why="corrections reach the rover",
            seen=(Seen(observed, "watch"),),
        )
    return Link(
        name="link",
        meant=meant,
        observed=observed,
        sigma_m=None,
        state=State.ENTERED,
        why="old corrections reach the rover",
        due=_due("link", "Find out why corrections come late: distance, terrain, load."),
        seen=(Seen(observed, "watch"),),
    )


def _rover(rover: RoverHeard | None, findings: Sequence[Finding]) -> Link:
    if rover is None or rover.status is Status.NONE:
        return Link(
            name="rover",
            meant="fixed",
            observed="",
            sigma_m=None,
            state=State.MISSING,
            why="no rover position",
            due=_due("rover", "Listen to the rover."),
        )
    sigma_m = None if rover.claim is None else max(rover.claim.east_m, rover.claim.north_m)
    agreed = next((found for found in findings if found.code == "initialisations-agree"), None)
    if agreed is not None and rover.status is Status.FIXED:
        return Link(
            name="rover",
            meant="fixed",
            observed=str(rover.status),
            sigma_m=sigma_m,
            state=State.CHECKED,
            why="two initialisations agree",
            seen=(Seen(agreed.sentence, "watch"),),
        )
    return Link(
        name="rover",
        meant="fixed",
        observed=str(rover.status),
        sigma_m=sigma_m,
        state=State.ENTERED,
        why="by the receiver's own claim",
        due=_due("rover", "Re-initialise where the pole stands: two fixes that agree are worth more than one claim."),
    )


def _pole(evidence: Evidence) -> Link:
    checks, pole = evidence.checks, evidence.pole
    if not checks:
        return Link(
            name="pole",
            meant="",
            observed="",
            sigma_m=None,
            state=State.MISSING,
            why="no rover height typed yet",
            due=_due("pole", "Check a mark: the rover height is typed there."),
        )
    meant, rests_on = checks[0].pole_text, checks[0].rests_on
    proof, seen = (_proof(checks), (Seen(f"typed as {meant}", "check"), *((Seen(pole.words, "check?view=pole"),) if pole.words else ())))
    if not pole.turned or proof is None:
        words = (
            "Turn the pole: a bubble out of true gives a constant lean that no average removes."
            if not pole.turned
            else "Check a second mark: its height shows the pole's."
        )
        return Link(
            name="pole",
            meant=meant,
            observed=pole.words,
            sigma_m=None,
            state=State.ENTERED,
            why="typed, not measured twice" if not pole.turned else "no lean seen; its height is typed",
            rests_on=rests_on,
            due=_due("pole", words),
            seen=seen,
        )
    state = State.CHECKED if proof[0] is State.CHECKED else State.OUT_OF_DATE
    return Link(
        name="pole",
        meant=meant,
        observed=pole.words,
        sigma_m=None,
        state=state,
        why="turned, and heights agree on other marks",
        rests_on=rests_on,
        seen=seen,
    )


def _control(checks: Sequence[MarkChecked], plan: PlanOfChecks) -> Link:
    if not checks:
        return Link(
            name="control",
            meant="",
            observed="",
            sigma_m=None,
            state=State.MISSING,
            why="no mark checked from this base",
            due=_due("control", "Check a mark near the base, then one at the far end."),
        )
    shown = next((item for item in checks if not item.agrees), checks[0])
    due = None if plan.state is State.CHECKED else _due("control", plan.why[:1].upper() + plan.why[1:] + ".")
    return Link(
        name="control",
        meant=shown.mark_name,
        observed=f"{sum(item.agrees for item in checks)} of {counted(len(checks), 'mark')} agree",
        sigma_m=shown.mark_sigma_m,
        state=plan.state,
        why=plan.why,
        rests_on=shown.rests_on,
        difference=shown.words,
        due=due,
        seen=_seen_checks(checks),
    )


def _local_grid(system: SystemSaid, fit: FitSaid) -> Link:
    if not fit.marks:
        return Link(
            name="local grid",
            meant=system.system,
            observed="",
            sigma_m=None,
            state=State.ENTERED,
            why="as the job has it",
            rests_on=(system.settings_id,),
        )
    state, why = state_of_fit(fit)
    observed = fit.words if fit.solved else ""
    due = None if state is State.CHECKED else _due("local grid", "Follow the page: it says which mark to measure, and which is wrong.")
    return Link(
        name="local grid",
        meant=f"{counted(fit.marks, 'mark')} with local coordinates",
        observed=observed,
        sigma_m=None,
        state=state,
        why=why,
        rests_on=(system.settings_id,),
        due=due,
        seen=(Seen(observed, "fit"),) if observed else (),
    )


# --- the weakest, and what to do next ---

_RANK = (State.DISAGREES, State.MISSING, State.OUT_OF_DATE, State.ENTERED, State.CHECKED, State.NOT_NEEDED)


@dataclass(frozen=True)
class Weakest:
    """The link that a coordinate from here rests on least safely, and why in one line."""

    name: str
    words: str


def weakest(made: Sequence[Link], variances_m2: Iterable[tuple[str, float]] = ()) -> Weakest:
    """Return the weakest link: by its state; of links in one state, the one with most of the budget's variance (link, m²)."""
    share = dict.fromkeys(LINKS, 0.0)
    for name, variance_m2 in variances_m2:
        share[name] += variance_m2
    link = min(made, key=lambda item: (_RANK.index(item.state), -share[item.name], LINKS.index(item.name)))
    return Weakest(link.name, f"{link.name} {link.state}: {link.why.rstrip('.')}.")


# What proves most for the least work comes first.
_IN_ORDER = ("base antenna", "broadcast", "link", "base mark", "control", "pole", "rover", "local grid", "sky")


def check_next(evidence: Evidence, made: Sequence[Link]) -> Due | None:
    """Return the one thing to do next: what disagrees first, then what is missing, out of date, entered; in the order of work."""
    if not evidence.system.marks:
        return Due("Bring the control list in: without marks nothing can be checked.", "Control list", "job")
    if _datum_unsaid(evidence.system) is not None:
        return _SAY_DATUM
    ordered = sorted(made, key=lambda link: _IN_ORDER.index(link.name))
    for state in _RANK[:-2]:
        found = next((link.due for link in ordered if link.state is state and link.due is not None), None)
        if found is not None:
            return found
    return None
