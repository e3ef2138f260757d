"""Rules on a rover that is watched: false fixes, what its claim hides, where its fix is not to be believed."""

from __future__ import annotations

from dataclasses import dataclass
from math import hypot

from openstake.core.evidence import Status
from openstake.core.judge.finding import Finding, Severity, finding, ranked
from openstake.core.limits import (
    AGE_CLIMB_SEEN_S,
    AGE_CLIMBS_FROM_S,
    AGE_CLIMBS_PER_S,
    BASE_TOO_FAR_KM,
    DISTANCE_AGREES_M,
    DISTANCE_AS_PLANNED,
    FEWEST_SATELLITES,
    GONE_WITHIN_S,
    PDOP_TOO_LARGE,
)
from openstake.core.rtk.age import AgeTrend, fix_goes_in_s
from openstake.core.rtk.drift import Drift
from openstake.core.rtk.jumps import Jump
from openstake.core.rtk.rover import Pair, RoverState
from openstake.core.units import about_seconds, text_from_metres, text_from_seconds


@dataclass(frozen=True)
class Distances:
    """Ways to the distance from the base, metres, None where one is not known.

    `vector_m` from the base on the air, `meant_m` from the base's coordinate as typed, `planned_m` to the farthest mark of the plan.
    """

    vector_m: float | None = None
    meant_m: float | None = None
    planned_m: float | None = None


def judge_watch(state: RoverState, distances: Distances, virtual: bool = False, unit: str = "m") -> list[Finding]:
    """Return what a rover's own epochs say against it, worst first."""
    return list(
        ranked(
            [
                *judge_jumps(state.jumps, state.fix_since_s, unit),
                *judge_drifts(state.drifts, state.fix_since_s, unit),
                *(judge_pair(pair, unit) for pair in _newest_of_each_kind(state.pairs)),
                *_claim(state, unit),
                *_believable(state, distances, virtual, unit),
                *judge_age(state.epoch.age_s, state.trend),
            ]
        )
    )


def judge_jumps(jumps: tuple[Jump, ...], since_s: float | None, unit: str = "m") -> list[Finding]:
    """Return what the jumps of the present initialisation say: an older one is gone with its fix."""
    mine = [jump for jump in jumps if since_s is not None and jump.time_s >= since_s]
    if not mine:
        return []
    largest = max(mine, key=lambda jump: jump.size_m)
    beyond = largest.size_m > largest.possible_m
    size, possible = (text_from_metres(value, unit) for value in (largest.size_m, largest.possible_m))
    return [
        finding(
            "position-jumped",
            Severity.STOP if beyond else Severity.LOOK,
            f"The position jumped by {size} while it was fixed"
            + (
                f": no pole is moved so far in so short a time ({possible})." if beyond else ", from one stand to another within one epoch."
            ),
            "A false fix, before the jump or after it." if beyond else "A false fix, unless the pole was put down elsewhere just then.",
            "Re-initialise: drop all satellites, wait for the fix, and compare. Measure again whatever was measured since the fix came.",
            size_m=largest.size_m,
            jumps=len(mine),
        )
    ]


def judge_drifts(drifts: tuple[Drift, ...], since_s: float | None, unit: str = "m") -> list[Finding]:
    """Return what the drifts of the present initialisation say."""
    mine = [drift for drift in drifts if since_s is not None and drift.time_s >= since_s]
    if not mine:
        return []
    largest = max(mine, key=lambda drift: hypot(drift.horizontal_m, drift.up_m))
    flat, up = (text_from_metres(value, unit) for value in (largest.horizontal_m, largest.up_m))
    return [
        finding(
            "position-drifted",
            Severity.LOOK,
            f"The position drifted by {flat} and {up} in height within {text_from_seconds(largest.over_s)} while it was fixed and the pole stood.",
            "A false fix, multipath that the receiver does not know of, a pole that sinks or leans, or a base that moves; unless a hand moved the pole "
            "little by little.",
            "Re-initialise and compare. Measure again whatever was measured since the fix came.",
            horizontal_m=round(largest.horizontal_m, 4),
            up_m=round(largest.up_m, 4),
            over_s=round(largest.over_s),
        )
    ]


def _newest_of_each_kind(pairs: tuple[Pair, ...]) -> list[Pair]:
    return list({pair.kind: pair for pair in pairs}.values())


def judge_pair(pair: Pair, unit: str = "m") -> Finding:
    """Return what two fixes of one place say: of two initialisations, or of two sources of corrections."""
    found = pair.agreement
    flat, up, limit, limit_up = (
        text_from_metres(abs(value), unit) for value in (found.horizontal_m, found.up_m, found.limit_horizontal_m, found.limit_up_m)
    )
    numbers = {"horizontal_m": round(found.horizontal_m, 4), "up_m": round(found.up_m, 4)}
    switched = pair.kind == "source switched"
    before = f"base {pair.from_station}" if switched else "the fix before"
    now = f"base {pair.to_station}" if switched else "this one"
    if found.agrees:
        return finding(
            "sources-agree" if switched else "initialisations-agree",
            Severity.NOTE,
            f"At one place {before} and {now} agree to {flat} and {up} in height (limit {limit} and {limit_up}).",
            "Both are in the same frame." if switched else "Two initialisations are right together, or wrong alike: the second is rare.",
            "Go on." if switched else "Go on; a mark that is known proves more.",
            **numbers,
        )
    if switched:
        return finding(
            "sources-disagree",
            Severity.STOP,
            f"At one place {before} and {now} differ by {flat} and {up} in height; {limit} and {limit_up} are allowed.",
            "The two are in different frames or have different coordinates, one of them was typed wrongly, or one fix is false.",
            "Do not go on with the new source. Measure a point of the old one again; look at the base's coordinate, frame and height.",
            **numbers,
        )
    return finding(
        "initialisations-disagree",
        Severity.STOP if pair.asked else Severity.LOOK,
        f"Two initialisations at one place differ by {flat} and {up} in height; {limit} and {limit_up} are allowed.",
        "One of the two fixes is false." if pair.asked else "One of the two fixes is false, unless the pole was moved meanwhile.",
        "Initialise a third time: two that agree show which one was false. Measure again whatever was measured with it.",
        **numbers,
    )


def _claim(state: RoverState, unit: str) -> list[Finding]:
    small = [item for item in state.claims if item.too_small]
    if not small:
        return []
    worst = max(small, key=lambda item: item.seen_m / item.claim_m)
    seen, claim = text_from_metres(worst.seen_m, unit), text_from_metres(worst.claim_m, unit)
    return [
        finding(
            "claim-too-small",
            Severity.LOOK,
            f"The pole stands, and {worst.component} scatters by {seen} where the receiver claims {claim} (one sigma, "
            f"{worst.effective_n:.0f} independent epochs).",
            "Multipath or a moving pole: the receiver is surer of itself than it should be.",
            "Trust the scatter, not the claim: average longer, or come back when the satellites have moved.",
            seen_m=round(worst.seen_m, 4),
            claim_m=round(worst.claim_m, 4),
        )
    ]


def _believable(state: RoverState, distances: Distances, virtual: bool, unit: str) -> list[Finding]:
    epoch, found = state.epoch, []
    if epoch.status is Status.FIXED:
        weak = []
        if epoch.pdop is not None and epoch.pdop > PDOP_TOO_LARGE:
            weak.append(f"its PDOP is {epoch.pdop:.1f} (limit {PDOP_TOO_LARGE:g})")
        if epoch.satellites is not None and epoch.satellites < FEWEST_SATELLITES:
            weak.append(f"it uses {epoch.satellites} satellites (at least {FEWEST_SATELLITES})")
        if weak:
            found.append(
                finding(
                    "fix-weak",
                    Severity.LOOK,
                    f"It says fixed, and {' and '.join(weak)}.",
                    "Too little sky for a fix that can be believed: trees, walls, or constellations that the base does not send.",
                    "Go where the sky is open, or re-initialise here and compare before you believe it.",
                )
            )
        km = None if distances.vector_m is None else distances.vector_m / 1000.0
        if km is not None and km > BASE_TOO_FAR_KM and not virtual:
            found.append(
                finding(
                    "fix-far",
                    Severity.LOOK,
                    f"It says fixed at {km:.0f} km from a single base; beyond {BASE_TOO_FAR_KM:.0f} km a fix is not to be believed by itself.",
                    "The wrong mountpoint, or a base too far away.",
                    "Choose a nearer base or a virtual one; check on a mark that is known.",
                    distance_km=round(km, 1),
                )
            )
    return found + _distances(distances, unit)


def _distances(distances: Distances, unit: str) -> list[Finding]:
    found = []
    vector, meant, planned = distances.vector_m, distances.meant_m, distances.planned_m
    if vector is not None and meant is not None and abs(vector - meant) > DISTANCE_AGREES_M:
        found.append(
            finding(
                "distance-differs",
                Severity.STOP,
                f"From the base on the air the rover is {text_from_metres(vector, unit)} away, from the base as meant "
                f"{text_from_metres(meant, unit)}.",
                "The base sends another position than the one that is meant.",
                "Look at the base's coordinate, height and mark on the Base page.",
                vector_m=round(vector, 3),
                meant_m=round(meant, 3),
            )
        )
    away = vector if vector is not None else meant
    if away is not None and planned is not None and away > planned * (1.0 + DISTANCE_AS_PLANNED):
        found.append(
            finding(
                "distance-beyond-plan",
                Severity.LOOK,
                f"The rover is {text_from_metres(away, unit)} from its base; the farthest mark of the plan is {text_from_metres(planned, unit)} from it.",
                "The work goes beyond its control, or the rover hears another base.",
                "Watch the age of corrections; raise the base's radio antenna or move the base nearer.",
                distance_m=round(away, 1),
                planned_m=round(planned, 1),
            )
        )
    return found


def judge_age(age_s: float | None, trend: AgeTrend | None) -> list[Finding]:
    """Return what an age that climbs says of the fix: when it goes."""
    if age_s is None or age_s < AGE_CLIMBS_FROM_S or trend is None:
        return []
    if trend.slope_per_s < AGE_CLIMBS_PER_S or trend.span_s < AGE_CLIMB_SEEN_S:
        return []
    left_s = fix_goes_in_s(age_s, trend)
    if left_s is None or left_s > GONE_WITHIN_S:
        return []
    return [
        finding(
            "age-climbs",
            Severity.LOOK,
            f"The corrections are {age_s:.1f} s old and rise {trend.slope_per_s:.2f} s a second: the fix will be lost in about {about_seconds(left_s)}.",
            "The link loses or delays messages: range, interference, or more messages than its rate holds.",
            "Go back towards the base, or higher up; look at the base's battery and radio; send fewer messages.",
            age_s=age_s,
            slope_per_s=round(trend.slope_per_s, 3),
            fix_goes_in_s=round(left_s),
        )
    ]
