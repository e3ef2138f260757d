"""What all checks of a base say together: the likely cause, the numbers that speak for it, or that they cannot tell."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from math import degrees, hypot

from openstake.core.antenna import TypedReading, pole_words
from openstake.core.causes import LOOK_ALIKE, CauseName, Causes, CheckSeen, Explained, NamedUp, SiteSeen, causes_of
from openstake.core.judge.finding import MIXED_HEIGHTS, Finding, Severity, finding
from openstake.core.judge.height import mended_readings
from openstake.core.limits import AUTONOMOUS_BASE_M, TALLEST_POLE_M
from openstake.core.units import counted, text_from_metres

# What each cause says happened, as it follows a "whether".
_CLAUSES: dict[CauseName, str] = {
    "none": "nothing is wrong",
    "height": "a height is wrong",
    "pole of these shots": "one pole height is wrong",
    "base coordinate": "the base's coordinate is wrong",
    "base on another mark": "the base stands on another mark",
    "frame": "the frame is another",
    "foot for foot": "US survey and international feet were exchanged",
    "one mark": "one mark is wrong",
    "pole on another mark": "the pole stood on another mark",
    "scale": "the scale is wrong",
    "rotation": "the grid is rotated",
    "another system": "the coordinates are in another system",
    "geoid": "the geoid is wrong",
    "sinking": "the base sinks",
    "bumped": "the base was knocked",
}


@dataclass(frozen=True, kw_only=True)
class HeightsSeen:
    """Every height in the chain that may be wrong by a known number: readings as typed, ARP heights, phase centres above the ARP."""

    base_readings: Sequence[TypedReading]
    rover_readings: Sequence[TypedReading]
    base_arp_m: float
    pole_m: float
    phase_centres_m: Sequence[tuple[str, float]] = ()


def named_heights(seen: HeightsSeen) -> tuple[NamedUp, ...]:
    """Return the constants up that known slips give: observed − known, so a base typed too high shows high.

    Two readings of a base contradict each other where digits of one are swapped: that is told where they are typed.
    """
    found = [
        NamedUp(-seen.pole_m, "the pole's length: the position is the mark's already, and the pole was taken off twice"),
        NamedUp(seen.pole_m, "the pole's length: the position is the pole's top, and the pole was never taken off"),
        NamedUp(seen.base_arp_m, "the base's height: the ARP's height was entered as the mark's"),
        NamedUp(-seen.base_arp_m, "the base's height: the mark's height is sent as the ARP's"),
    ]
    for name, offset in seen.phase_centres_m:
        if offset:
            found += [NamedUp(sign * offset, f"the phase centre of the {name}: ARP and phase centre were confused") for sign in (1.0, -1.0)]
    for readings, sign, name in ((seen.base_readings, 1.0, "base"), (seen.rover_readings, -1.0, "rover")):
        if len(readings) == 1:
            found += _exchanged(readings[0], sign, name)
    return tuple({(round(item.up_m, 4), item.words): item for item in found}.values())


def named_poles(readings: Sequence[TypedReading]) -> tuple[tuple[str, NamedUp], ...]:
    """Return what known slips of each of several rover heights give: two digits exchanged."""
    return tuple((pole_words(typed), slip) for typed in readings for slip in _exchanged(typed, -1.0, "rover"))


def _exchanged(typed: TypedReading, sign: float, name: str) -> list[NamedUp]:
    return [
        NamedUp(
            sign * (typed.arp_height_m - mended.arp_height_m),
            f"two digits of the {name} height: '{typed.text}' was typed for '{mended.text}'",
        )
        for mended in mended_readings(typed)
    ]


def judge_causes(
    checks: Sequence[CheckSeen], site: SiteSeen, base_known: bool = True, unit: str = "m", all_within: bool = False
) -> list[Finding]:
    """Return what the checks of one base say together; nothing where they agree, or where one mark alone was checked.

    `all_within`: each is inside its tolerance, so that a cause asks for a look and stops nothing.
    """
    if len({one.mark for one in checks}) < 2:
        return []
    causes = causes_of(checks, site)
    first = causes.first
    if first.cause == "none" and causes.explains:
        return []
    found = _said(causes, len(checks), base_known, unit)
    return [replace(found, severity=Severity.LOOK, is_stop=False) if all_within else found]


def _said(causes: Causes, count: int, base_known: bool, unit: str) -> Finding:
    first = causes.first
    numbers = {"left": round(first.left, 1), "limit": round(causes.limit, 1), "freedom": causes.freedom} | {
        name: round(value, 9) for name, value in first.values.items()
    }
    nothing = next(item for item in causes.ranked if item.cause == "none")
    proof = (
        f"It leaves {first.left:.1f} of {nothing.left:.1f} (χ²; chance leaves up to {causes.limit:.1f})" if first.cause != "none" else ""
    )
    if not causes.explains:
        return finding(
            "cause-none-fits",
            Severity.STOP,
            f"No single mistake explains all {count} checks from this base.",
            f"Two mistakes at once, or a false fix among them. The nearest is: {_words(first, unit)[0]} {proof}.",
            "Re-initialise and measure the worst one again; then look at each mark by itself.",
            **numbers,
        )
    if causes.alike:
        named = (first.cause, *causes.alike)
        why = " ".join(LOOK_ALIKE[frozenset((first.cause, other))] for other in causes.alike)
        likely = next(item for item in causes.ranked if item.cause == causes.alike[0])
        return finding(
            "cause-cannot-tell",
            Severity.LOOK,
            f"The {counted(count, 'check')} cannot tell whether {' or '.join(_CLAUSES[name] for name in named)}.",
            f"{_words(first, unit)[0]} Or: {_words(likely, unit)[0]} {why}",
            "Measure one more mark, and again one that was measured early: that tells them apart.",
            causes=[str(name) for name in named],
            **numbers,
        )
    sentence, cause, action = _words(first, unit)
    if first.cause == "base coordinate" and not base_known:
        cause = f"The base stands on an autonomous average: the whole site is moved by its error. {cause}"
        action = "Enter the base's known coordinate, or re-seat the base on a known mark, then check a second one."
    following = next((item for item in causes.ranked[1:] if item.cause != "none"), None)
    rival = f" Next best: {following.cause} ({following.left:.1f})." if following else ""
    return finding(_CODES[first.cause], Severity.STOP, sentence, f"{cause} {proof}.{rival}", action, **numbers)


_CODES: dict[CauseName, str] = {
    "height": "cause-height",
    "pole of these shots": "cause-pole-height",
    "base coordinate": "cause-base-coordinate",
    "base on another mark": "cause-base-on-another-mark",
    "frame": "cause-frame",
    "foot for foot": "cause-foot",
    "one mark": "cause-one-mark",
    "pole on another mark": "cause-pole-on-another-mark",
    "scale": "cause-scale",
    "rotation": "cause-rotation",
    "another system": "cause-another-system",
    "geoid": "cause-geoid",
    "sinking": "cause-sinking",
    "bumped": "cause-bumped",
}


def _words(item: Explained, unit: str) -> tuple[str, str, str]:
    """Return sentence, likely cause and next action of a cause with its numbers."""
    return _SAID[item.cause](item, lambda metres: text_from_metres(abs(metres), unit))


Size = Callable[[float], str]
Said = tuple[str, str, str]


def _height(item: Explained, size: Size) -> Said:
    if item.named:
        return (
            f"All checks are off by one height, and it is {item.named}.",
            "A constant in height that matches a known number.",
            "Correct it at the base or at the rover: every point follows. Then check one mark again.",
        )
    up = item.values["up_m"]
    if abs(up) > TALLEST_POLE_M:
        return (
            f"All checks are {size(up)} {'high' if up > 0 else 'low'}: more than any tripod or pole is tall.",
            MIXED_HEIGHTS,
            "Compare it with the geoid's height above the ellipsoid here, and read the base's mark and the list again with the right kind of height.",
        )
    return (
        f"All checks are {size(up)} {'high' if up > 0 else 'low'}: a constant.",
        f"The base height was typed {size(up)} too {'large' if up > 0 else 'small'}, or the rover height as much too {'small' if up > 0 else 'large'}.",
        "Measure both heights again, to the same feature, and correct the one that is wrong: every point follows.",
    )


def _pole(item: Explained, size: Size) -> Said:
    pole, _, slip = item.named.partition("; ")
    up = item.values.get("up_m")
    how = f", {slip}" if slip else "" if up is None else f": {size(up)} {'high' if up > 0 else 'low'}"
    small = "too small" if (up or 0.0) > 0 else "too large"
    return (
        f"What was measured with {pole} is off in height{how} ({', '.join(item.marks)}); what was measured otherwise agrees.",
        "The rover height of these shots is wrong, not the base's: "
        + (slip or f"it is {size(up or 0.0)} {small}, or its feature is another")
        + ".",
        "Leave the base's height as it is. Measure the pole again and correct the rover height of these shots.",
    )


def _coordinate(item: Explained, size: Size) -> Said:
    east, north = item.values["east_m"], item.values["north_m"]
    far = hypot(east, north) > AUTONOMOUS_BASE_M
    up = f", {size(item.values['up_m'])} {'high' if item.values['up_m'] > 0 else 'low'}" if "up_m" in item.values else ""
    return (
        f"All checks are {size(east)} {'east' if east > 0 else 'west'}, {size(north)} {'north' if north > 0 else 'south'}{up}: one shift everywhere.",
        "The base's coordinate is wrong, or typed for another point."
        if far
        else "The base is not over its mark, its coordinate is of another day, or the pole always leans one way.",
        "Plumb the base; compare its coordinate digit by digit; turn the pole by 180° and measure one mark again.",
    )


def _base_elsewhere(item: Explained, _: Size) -> Said:
    return (
        f"All checks are off by the distance between two marks: {item.named}.",
        "The shift is exactly that of the mark that was entered against this one.",
        f"Read the label under the tripod. If it is {item.marks[0]}, start the base there by its own coordinate.",
    )


def _frame(item: Explained, _: Size) -> Said:
    return (
        f"All checks are off by the shift between two frames: {item.named}.",
        "The base's coordinate is in another frame or epoch than the control.",
        "Look up in which frame the coordinate was computed. Nothing is shifted that nobody named.",
    )


def _foot(_: Explained, __: Size) -> Said:
    return (
        "All checks are off by 2 ppm of the coordinates themselves.",
        "The international foot was taken for the US survey foot, or the reverse.",
        "Look up in which foot the control list and the base's coordinate are, and set it in the job.",
    )


def _mark(item: Explained, size: Size) -> Said:
    name, values = item.marks[0], item.values
    flat = hypot(values.get("east_m", 0.0), values.get("north_m", 0.0))
    up = values.get("up_m")
    parts = ([f"{size(flat)} horizontally"] if "east_m" in values else []) + (
        [] if up is None else [f"{size(up)} {'high' if up > 0 else 'low'}"]
    )
    return (
        f"{name} alone is off, {' and '.join(parts)}; the other marks agree with each other.",
        "The mark was disturbed, its coordinate or height in the list is wrong, or the fix on it was false.",
        f"Re-initialise and measure {name} again with the pole turned. If it is the same again, keep {name} out of the work and level it.",
    )


def _pole_elsewhere(item: Explained, _: Size) -> Said:
    return (
        f"{item.marks[0]} is off by exactly its distance from {item.marks[1]}: {item.named}.",
        "Two labels were confused, on the ground or in the list.",
        f"Read the label under the pole, and the list's lines of {item.marks[0]} and {item.marks[1]}.",
    )


def _scale(item: Explained, _: Size) -> Said:
    return (
        f"The checks are off by more the farther they are from the base: {1e6 * item.values['scale']:.0f} ppm.",
        "Grid and ground distances were mixed, or the control has another scale or zone.",
        "Compare the number with the job's combined factor (Job, System); look up what the control's distances are.",
    )


def _rotation(item: Explained, _: Size) -> Said:
    turn = item.values["clockwise_rad"]
    return (
        f"The checks are turned about the base by {degrees(abs(turn)) * 3600:.0f}″ {'clockwise' if turn > 0 else 'anticlockwise'}.",
        "The control is in a local system with its own north, or in another zone.",
        "Compare the angle with the convergence here (Job, System); a local system takes a local fit.",
    )


def _system(item: Explained, _: Size) -> Said:
    return (
        f"The checks are turned by {degrees(abs(item.values['clockwise_rad'])) * 3600:.0f}″ and scaled by {1e6 * item.values['scale']:.0f} ppm about the base.",
        "The control is in another system than the job: another zone, or a local one.",
        "Look up the control's system. A local one takes a local fit, not a re-seat.",
    )


def _geoid(item: Explained, _: Size) -> Said:
    tilt = hypot(item.values["up_per_east"], item.values["up_per_north"])
    return (
        f"The heights are tilted over the site by {1e6 * tilt:.0f} mm a kilometre.",
        "Elevations and ellipsoidal heights were mixed, or the geoid grid does not fit here.",
        "Look at the kind of height of the control and at the job's geoid; level between two of the marks.",
    )


def _sinking(item: Explained, size: Size) -> Said:
    rate = item.values["up_m_per_h"]
    return (
        f"The checks go {'up' if rate > 0 else 'down'} by {size(rate)} an hour since the base was started.",
        "The tripod sinks: what it loses in height every point gains." if rate > 0 else "The base rises: frost, or a tripod that warms up.",
        "Measure the base's height again now. Set it up again on firm ground; points since the start need their height corrected.",
    )


def _bumped(item: Explained, size: Size) -> Said:
    flat = hypot(item.values.get("east_m", 0.0), item.values.get("north_m", 0.0))
    up = item.values.get("up_m", 0.0)
    return (
        f"Between the check of {item.marks[0]} and that of {item.marks[1]} everything moved by {size(flat)} horizontally and {size(up)} in height.",
        "The base was bumped, re-levelled, or moved.",
        "Look at level and plumb of the base now, measure its height again, and set it up again. Points since then are in doubt.",
    )


def _none(_: Explained, __: Size) -> Said:
    return ("The checks agree.", "", "")


_SAID: dict[CauseName, Callable[[Explained, Size], Said]] = {
    "none": _none,
    "height": _height,
    "pole of these shots": _pole,
    "base coordinate": _coordinate,
    "base on another mark": _base_elsewhere,
    "frame": _frame,
    "foot for foot": _foot,
    "one mark": _mark,
    "pole on another mark": _pole_elsewhere,
    "scale": _scale,
    "rotation": _rotation,
    "another system": _system,
    "geoid": _geoid,
    "sinking": _sinking,
    "bumped": _bumped,
}
