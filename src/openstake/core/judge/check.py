"""Rules on a check shot: is it within tolerance, and if not, what is the likely cause."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from openstake.core.antenna import TypedReading, pole_words
from openstake.core.control import Difference, Expected, in_words, within
from openstake.core.equality import Equality
from openstake.core.judge.finding import MIXED_HEIGHTS, Finding, Severity, finding
from openstake.core.judge.height import mended_readings
from openstake.core.judge.shots import judge_gap
from openstake.core.limits import ANOTHER_MARK_M, AUTONOMOUS_BASE_M, CONTROL_SECONDS, TALLEST_POLE_M, Tolerance
from openstake.core.units import text_from_metres, text_from_seconds


@dataclass(frozen=True, kw_only=True)
class OtherCheck:
    """The newest check of a mark from the same base set-up; `pole` is the rover height it was measured with, as typed."""

    mark: str
    difference: Difference
    within: bool
    pole: str = ""


@dataclass(frozen=True, kw_only=True)
class Repeat:
    """The check before this one on the same mark from the same set-up: how far apart, and whether that is chance (`equality`).

    `anew`: the fix was lost and regained between the two; None where the epochs do not show it.  `fixed`: both are fixed throughout.
    """

    difference: Difference
    apart_s: float
    anew: bool | None
    equality: Equality | None
    fixed: bool = True


@dataclass(frozen=True, kw_only=True)
class CheckEvidence:
    """All that a check rests on; `others` are the newest checks from its set-up, its own mark's among them.

    The base's height (ARP, metres) is the mean of its readings.  `beyond_expected`: horizontally, in height, beyond 99.9 % of
    what the chain gives; `seated_on`: the base was re-seated on this mark; `gap_s` is the longest silence within the shot.
    """

    mark: str
    base_mark: str
    difference: Difference
    tolerance: Tolerance
    expected: Expected
    base_readings: Sequence[TypedReading]
    base_arp_height_m: float
    rover_reading: TypedReading
    base_known: bool
    seconds: float
    not_fixed: int
    epochs: int
    virtual: bool
    others: Sequence[OtherCheck]
    beyond_expected: tuple[bool, bool] = (False, False)
    before: Repeat | None = None
    seated_on: bool = False
    gap_s: float = 0.0
    unit: str = "m"

    def size(self, metres: float) -> str:
        """Return a length without its sign in the job's unit."""
        return text_from_metres(abs(metres), self.unit)


def judge_check(evidence: CheckEvidence) -> list[Finding]:
    """Return the verdict first, then what weakens or explains it."""
    return [_verdict(evidence), *_beyond(evidence), *_repeated(evidence), *_limits(evidence)]


def _beyond(evidence: CheckEvidence) -> list[Finding]:
    """Return what a check says that is inside its tolerance and yet farther off than the chain explains."""
    if not all(within(evidence.difference, evidence.tolerance)) or not any(evidence.beyond_expected):
        return []
    flat, high = evidence.beyond_expected
    parts = []
    if flat:
        parts.append(
            f"{evidence.size(evidence.difference.horizontal_m)} horizontally ({evidence.size(evidence.expected.horizontal_95_m)} at 95 %)"
        )
    if high:
        parts.append(
            f"{evidence.size(evidence.difference.up_m or 0.0)} in height ({evidence.size(evidence.expected.vertical_95_m)} at 95 %)"
        )
    return [
        finding(
            "check-beyond-expected",
            Severity.LOOK,
            f"{evidence.mark} is inside its tolerance and farther off than 99.9 % of what the chain gives: {' and '.join(parts)}.",
            "Chance alone gives this in one check of a thousand; else a small error in a height, a centring, the pole or the mark.",
            "Measure it again after a new initialisation with the pole turned by 180°. If it is the same again, look for what changed.",
            **_numbers(evidence),
        )
    ]


def _repeated(evidence: CheckEvidence) -> list[Finding]:
    """Return what the check before this one on the same mark says."""
    before = evidence.before
    if before is None:
        return []
    flat, up = evidence.size(before.difference.horizontal_m), evidence.size(before.difference.up_m or 0.0)
    numbers = {"horizontal_m": round(before.difference.horizontal_m, 4), "up_m": round(before.difference.up_m or 0.0, 4)}
    ago = text_from_seconds(before.apart_s)
    if not before.fixed:
        return [
            finding(
                "repeat-not-independent",
                Severity.NOTE,
                f"The shot before it on {evidence.mark}, {ago} earlier, does not count as a repeat.",
                "One of the two holds epochs that are not fixed: float is no initialisation.",
                "Wait until it is fixed, and measure again.",
                **numbers,
            )
        ]
    if not before.anew:
        why = "The fix held all the time" if before.anew is False else "The epochs do not show whether the fix was lost between them"
        return [
            finding(
                "repeat-not-independent",
                Severity.NOTE,
                f"The shot before it on {evidence.mark}, {ago} earlier, does not count as a repeat.",
                f"{why}: two fixes from one initialisation prove little, a false fix repeats itself.",
                "Re-initialise, wait until it is fixed, and measure again.",
                **numbers,
            )
        ]
    if before.equality is None:
        return []
    test = before.equality
    numbers |= {"chance": round(test.chance, 4)}
    if test.too_short and not test.unequal:
        return [
            finding(
                "repeats-too-short",
                Severity.NOTE,
                f"Two initialisations on {evidence.mark}, {ago} apart, differ by {flat} and {up} in height; they are too short to tell whether that is chance.",
                "The receiver claims nothing, and its positions wander so slowly that a shot is worth fewer than three independent ones.",
                f"Measure both for several times as long as this one of {text_from_seconds(evidence.seconds)}.",
                **numbers,
            )
        ]
    if test.equal and not all(within(before.difference, evidence.tolerance)):
        return [
            finding(
                "repeats-differ",
                Severity.LOOK,
                f"Two initialisations on {evidence.mark}, {ago} apart, differ by {flat} and {up} in height, more than the check's tolerance; "
                f"by their own claims that may be chance ({test.words}).",
                "Both claims are so wide that they say little.",
                "Measure again where the receiver claims less.",
                **numbers,
            )
        ]
    if test.equal:
        return [
            finding(
                "repeats-agree",
                Severity.NOTE,
                f"Two initialisations on {evidence.mark}, {ago} apart, agree to {flat} and {up} in height ({test.words}).",
                "Two independent fixes agree on the place.",
                "Go on to the next mark of the plan.",
                **numbers,
            )
        ]
    return [
        finding(
            "repeats-differ",
            Severity.LOOK,
            f"Two initialisations on {evidence.mark}, {ago} apart, differ by {flat} and {up} in height ({test.words}).",
            "Expected by chance in 5 % of pairs; else one of the two fixes is false, or the pole was not set up identically.",
            "Re-initialise and measure it a third time: two that agree show which one was false.",
            **numbers,
        )
    ]


def _verdict(evidence: CheckEvidence) -> Finding:
    horizontal_ok, vertical_ok = within(evidence.difference, evidence.tolerance)
    if horizontal_ok and vertical_ok:
        return _good(evidence)
    if horizontal_ok:
        return _height_off(evidence)
    if vertical_ok:
        return _horizontal_off(evidence)
    return _both_off(evidence)


def _numbers(evidence: CheckEvidence) -> dict[str, float | int | str]:
    up = evidence.difference.up_m
    return {
        "mark": evidence.mark,
        "east_m": round(evidence.difference.east_m, 4),
        "north_m": round(evidence.difference.north_m, 4),
        "up_m": "not compared" if up is None else round(up, 4),
        "tolerance_horizontal_m": evidence.tolerance.horizontal_m,
        "tolerance_vertical_m": evidence.tolerance.vertical_m,
    }


def _good(evidence: CheckEvidence) -> Finding:
    expected = evidence.expected
    return finding(
        "check-within-tolerance",
        Severity.NOTE,
        f"{evidence.mark} agrees: {in_words(evidence.difference, evidence.unit)} "
        f"(limits {evidence.size(evidence.tolerance.horizontal_m)} and {evidence.size(evidence.tolerance.vertical_m)}).",
        f"The chain from base to pole holds here; {evidence.size(expected.horizontal_95_m)} horizontally and "
        f"{evidence.size(expected.vertical_95_m)} in height were to be expected at 95 %.",
        "Check a second mark at the far end of the job, and again after a new initialisation.",
        **_numbers(evidence),
    )


def _height_off(evidence: CheckEvidence) -> Finding:
    up = evidence.difference.up_m or 0.0
    word = "high" if up > 0 else "low"
    same, agreeing = _compared(evidence, up)
    head = (
        f"On {evidence.mark} the rover is {evidence.size(up)} {word} (limit {evidence.size(evidence.tolerance.vertical_m)}); "
        f"horizontally it agrees within {evidence.size(evidence.difference.horizontal_m)}."
    )
    if abs(up) > TALLEST_POLE_M and not agreeing:
        return finding(
            "check-height-off",
            Severity.STOP,
            head,
            f"No tripod or pole is that tall. {MIXED_HEIGHTS}",
            "Compare it with the geoid's height above the ellipsoid here, and read the mark of the base or this one again with the kind "
            "that is right.",
            **_numbers(evidence),
        )
    rover, typed = evidence.rover_reading, "' and '".join(reading.text for reading in evidence.base_readings)
    if _pole_of_these(evidence, same, agreeing):
        theirs = ", ".join([evidence.mark, *same])
        return finding(
            "check-height-off",
            Severity.STOP,
            head,
            f"{', '.join(agreeing)} {'agree' if len(agreeing) > 1 else 'agrees'} from the same base with another rover height; {theirs} "
            f"{'were' if same else 'was'} measured with '{rover.text}' to {rover.to.in_a_sentence}: that rover height is the first suspect, "
            f"{evidence.size(up)} too {'small' if up > 0 else 'large'}, and not the base's.",
            "Leave the base's height as it is. Measure the pole again and correct the rover height of these shots; then check one mark once more.",
            **_numbers(evidence),
        )
    if agreeing and not same:
        return finding(
            "check-height-off",
            Severity.STOP,
            head,
            f"{', '.join(agreeing)} {'agree' if len(agreeing) > 1 else 'agrees'} from the same set-up, so the height of {evidence.mark} in the control list "
            "is the first suspect, then the rover's pole on this mark.",
            f"Measure {evidence.mark} again with the rover height read again; level it against another benchmark.",
            **_numbers(evidence),
        )
    base_m, feature = evidence.base_arp_height_m, evidence.base_readings[0].to.in_a_sentence
    size = "large" if up > 0 else "small"
    base_cause = (
        f"the base height was typed {evidence.size(up)} too {size} ('{typed}' to {feature}: ARP at "
        f"{evidence.size(base_m)}, {evidence.size(base_m - up)} would fit{_exchanged(evidence, up)})"
    )
    rover_cause = f"the rover height '{rover.text}' is {evidence.size(up)} too {'small' if up > 0 else 'large'}"
    first, second = (base_cause, rover_cause) if rover.to.method == "rod" else (rover_cause, base_cause)
    why = " The rover stands on a fixed rod, so the base comes first." if rover.to.method == "rod" else ""
    constant = f" It is the same on {', '.join(same)}: a constant, so not this mark." if same else ""
    return finding(
        "check-height-off",
        Severity.STOP,
        head,
        f"Only the height is off, so {first}; or {second}.{why}{constant}",
        "Measure the base height again, to the same feature, and correct it on the Base page: every point follows. "
        "Then check this mark once more.",
        suspected_height_m=round(base_m - up, 4),
        **_numbers(evidence),
    )


def _pole_of_these(evidence: CheckEvidence, same: Sequence[str], agreeing: Sequence[str]) -> bool:
    """Return whether the rover height is what changed between the checks that agree and those that do not."""
    mine = pole_words(evidence.rover_reading)
    poles = {other.mark: other.pole for other in evidence.others}
    return bool(agreeing) and all(poles[mark] == mine for mark in same) and all(poles[mark] != mine for mark in agreeing)


def _exchanged(evidence: CheckEvidence, up_m: float) -> str:
    """Return the base's reading with two digits exchanged where that explains a difference to within what was to be expected."""
    if len(evidence.base_readings) != 1:
        return ""
    typed = evidence.base_readings[0]
    left = {item.text: abs(typed.arp_height_m - item.arp_height_m - up_m) for item in mended_readings(typed)}
    best = min(left, key=left.__getitem__, default=None)
    if best is None or left[best] > evidence.expected.vertical_95_m:
        return ""
    return f"; '{best}' does, two digits exchanged"


def _compared(evidence: CheckEvidence, up_m: float) -> tuple[list[str], list[str]]:
    """Return the other marks with the same height difference, and those that agree."""
    limit = evidence.tolerance.vertical_m
    others = [other for other in evidence.others if other.mark != evidence.mark]
    same = [
        other.mark
        for other in others
        if other.difference.up_m is not None and not other.within and abs(other.difference.up_m - up_m) <= limit
    ]
    return same, [other.mark for other in others if other.within]


def _horizontal_off(evidence: CheckEvidence) -> Finding:
    off = evidence.difference.horizontal_m
    if off > AUTONOMOUS_BASE_M and not evidence.base_known:
        cause = "The base stands on an autonomous average: the whole site is moved by its error."
        action = "Enter the base's known coordinate, or re-seat the base on a known mark, then check again."
    elif off > ANOTHER_MARK_M:
        cause = "The pole stands on another mark, or the mark's coordinate is another's."
        action = "Read the mark's label, and compare its description with the control list."
    else:
        cause = "The pole leans (its bubble is out), the fix is false, or the mark was moved."
        action = "Turn the pole by 180° and measure again; then force a new initialisation and measure a third time."
    return finding(
        "check-horizontal-off",
        Severity.STOP,
        f"On {evidence.mark} the rover is {evidence.size(off)} off horizontally (limit {evidence.size(evidence.tolerance.horizontal_m)}): "
        f"{in_words(evidence.difference, evidence.unit)}.",
        cause,
        action,
        **_numbers(evidence),
    )


def _both_off(evidence: CheckEvidence) -> Finding:
    off = evidence.difference.horizontal_m
    if not evidence.base_known:
        cause = "The base stands on an autonomous average: the whole site is moved by its error."
        action = "Enter the base's known coordinate, or re-seat the base on a known mark, then check again."
    elif off > ANOTHER_MARK_M:
        cause = f"The base does not stand on {evidence.base_mark}, or the rover not on {evidence.mark}."
        action = "Read both labels. Do not re-seat a base that was entered as known: find the mistake."
    else:
        cause = "A false fix, or a mark that was moved."
        action = "Force a new initialisation, measure again, and check a second mark."
    return finding(
        "check-outside-tolerance",
        Severity.STOP,
        f"{evidence.mark} disagrees: {in_words(evidence.difference, evidence.unit)} "
        f"(limits {evidence.size(evidence.tolerance.horizontal_m)} and {evidence.size(evidence.tolerance.vertical_m)}).",
        cause,
        action,
        **_numbers(evidence),
    )


def _limits(evidence: CheckEvidence) -> list[Finding]:
    found = judge_gap(evidence.gap_s)
    if evidence.difference.up_m is None:
        found.append(
            finding(
                "check-height-not-compared",
                Severity.LOOK,
                f"The height of {evidence.mark} is not compared: the mark has no ellipsoidal height.",
                "Its height is an elevation and there is no geoid grid for it, or it has no height.",
                "Give the mark's ellipsoidal height, or treat heights from this set-up as unchecked.",
            )
        )
    if evidence.mark == evidence.base_mark:
        found.append(
            finding(
                "check-on-base-mark",
                Severity.LOOK,
                f"{evidence.mark} is the mark the base was set up on: a check there does not test its coordinate.",
                "The nearest mark is not always an independent one.",
                "Check a mark that the base does not stand on.",
            )
        )
    if evidence.seated_on:
        found.append(
            finding(
                "check-on-seat-mark",
                Severity.LOOK,
                f"This base was re-seated on {evidence.mark}: it agrees by that, and a check there proves nothing.",
                "The mark moved the base; a mark that is wrong moved it wrongly.",
                "Check a second known mark.",
            )
        )
    if evidence.not_fixed:
        found.append(
            finding(
                "check-not-fixed",
                Severity.STOP,
                f"{evidence.not_fixed} of {evidence.epochs} epochs of this shot are not fixed.",
                "'Fixed only' was off.",
                "Measure again with 'fixed only' on.",
                not_fixed=evidence.not_fixed,
            )
        )
    if evidence.seconds < CONTROL_SECONDS:
        found.append(
            finding(
                "shot-too-short",
                Severity.NOTE,
                f"Averaged over {evidence.seconds:.0f} s; control is usually averaged over 30 to 180 s.",
                "A quick look rather than a proof: one initialisation repeats its own error.",
                "For control, average longer and come back after a new initialisation.",
                seconds=evidence.seconds,
            )
        )
    if evidence.virtual:
        found.append(
            finding(
                "virtual-base-shot",
                Severity.NOTE,
                "This shot came from a virtual base: it is a position, and does not move with this job's base.",
                "The rover was on a network solution.",
                "Use it to check the base's mark, not to prove this base.",
            )
        )
    return found
