"""What a local fit says: what its data can and cannot tell, which mark is suspected, whether scale and checks are plausible."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace
from math import degrees

import numpy as np
from numpy.typing import NDArray

from openstake.core.distributions import chdtri
from openstake.core.errors import InputError
from openstake.core.judge.finding import Finding, Severity, finding
from openstake.core.limits import (
    FIT_EXCHANGE_GAIN,
    FIT_MOST_EXCHANGED,
    FIT_NEAR_LINE,
    FIT_ROTATION_LOOK_DEG,
    FIT_SCALE_LOOK_PPM,
    FIT_SCALE_STOP_PPM,
    FIT_SINGLE_SIGNIFICANCE,
    METRE_LEVEL_M,
)
from openstake.core.localfit.exchange import exchanged_square_sums
from openstake.core.localfit.horizontal import Horizontal, fit_horizontal
from openstake.core.localfit.pair import PARAMETERS, Pair
from openstake.core.localfit.vertical import Vertical
from openstake.core.quantiles import circle_sigmas, line_sigmas
from openstake.core.reliability import Reliability, Suspect
from openstake.core.units import text_from_metres

_WORDS = {
    "similarity": "shift, rotation and scale",
    "rotation": "shift and rotation",
    "shift": "the shift",
    "constant": "the constant",
    "plane": "the plane",
}


@dataclass(frozen=True, kw_only=True)
class Suspected:
    """A mark that is suspected, horizontally or vertically, and whether the data can tell; the sentence says how much and why."""

    name: str
    component: str
    can_tell: bool
    sentence: str


@dataclass(frozen=True, kw_only=True)
class Part:
    """One half of a fit for judging: its name in words, its marks, its residuals left out, its diagnosis."""

    component: str
    model: str
    names: tuple[str, ...]
    redundancy: int
    left_out_m: NDArray[np.float64]
    diagnosis: Reliability
    unit: str = "m"


def suspects_of(part: Part) -> list[Suspected]:
    """Return the suspected marks of one half, worst first."""
    return [
        Suspected(name=part.names[item.place], component=part.component, can_tell=item.can_tell, sentence=_suspect_words(part, item))
        for item in part.diagnosis.suspects
    ]


def _suspect_words(part: Part, item: Suspect) -> str:
    off = np.atleast_1d(part.left_out_m[item.place])
    size = float(np.linalg.norm(off)) if np.isfinite(off).all() else None
    by = "" if size is None else f", {text_from_metres(size, part.unit)} from where the others put it"
    head = f"{part.names[item.place]} is suspected {part.component}ly{by}"
    if item.can_tell or item.rival is None:
        return f"{head} (statistic {item.statistic:.1f}, limit {item.limit:.1f})."
    return f"{head}, but the data cannot tell it from {part.names[item.rival]}: one more mark would."


def judge_part(part: Part) -> list[Finding]:
    """Return what one half of a fit says of itself."""
    needs = PARAMETERS[part.model]
    if part.redundancy <= 0:
        return [
            finding(
                "fit-no-redundancy",
                Severity.LOOK,
                f"{len(part.names)} marks solve {_WORDS[part.model]} ({needs} numbers) with nothing left over: there are no residuals.",
                "No redundancy: a blunder cannot be detected.",
                "Take in one more mark: the first residuals; one more again begins to tell which is wrong.",
                marks=len(part.names),
            )
        ]
    found = []
    diagnosis = part.diagnosis
    listed = suspects_of(part)
    if listed:
        first = listed[0]
        found.append(
            finding(
                "fit-suspect" if first.can_tell else "fit-cannot-tell",
                Severity.STOP if first.can_tell else Severity.LOOK,
                first.sentence,
                "The mark was disturbed, its line in the list is wrong, or the fix on it was false.",
                f"Measure {first.name} again after a new initialisation; leave it out if it stays."
                if first.can_tell
                else "Take in one more mark that surrounds the site, then look again.",
                mark=first.name,
            )
        )
    if diagnosis.global_passed is False and diagnosis.global_statistic is not None and diagnosis.global_limit is not None:
        found.append(
            finding(
                "fit-global-test",
                Severity.STOP,
                f"The {part.component} fit does not agree with its sigmas: χ² {diagnosis.global_statistic:.1f}, limit {diagnosis.global_limit:.1f} ({part.redundancy} degrees of freedom).",
                "A mark is wrong, two names are exchanged, or the sigmas are too small.",
                "Look at the suspects; leave the worst out and fit again.",
                statistic=round(diagnosis.global_statistic, 3),
                limit=round(diagnosis.global_limit, 3),
            )
        )
    return found


def judge_large(fitted: Horizontal, unit: str = "m") -> list[Finding]:
    """Return that a fit without sigmas leaves residuals that no survey has: nothing else tests it."""
    sigma = fitted.sigma0_m
    if sigma is None or sigma <= METRE_LEVEL_M:
        return []
    return [
        finding(
            "fit-residuals-large",
            Severity.STOP,
            f"The horizontal fit leaves {text_from_metres(sigma, unit)} (one sigma of an axis).",
            "A name, an axis or a unit is wrong, or the marks belong to two grids.",
            "Look at the list and at the marks that are farthest off.",
            sigma_m=round(sigma, 4),
        )
    ]


def judge_axes(pairs: Sequence[Pair], fitted: Horizontal) -> list[Finding]:
    """Return that the local list's axes are exchanged: mirrored, the fit is right, and it is not as it is.  Tried whatever a test says."""
    if fitted.redundancy <= 0 or fitted.model == "shift":
        return []
    mirrored = [replace(pair, local_e_m=pair.local_n_m, local_n_m=pair.local_e_m) for pair in pairs]
    try:
        with np.errstate(invalid="ignore"):
            other = fit_horizontal(mirrored, fitted.model, fitted.scale, fitted.rotation_deg)
    except InputError:
        return []
    # Of marks that mirror each other exactly nothing tells the turn: their sum is none.
    if not other.square_sum * FIT_EXCHANGE_GAIN <= fitted.square_sum:
        return []
    return [
        finding(
            "fit-axes-exchanged",
            Severity.STOP,
            "With east and north of the local list exchanged all marks agree; as it is read they do not.",
            "The list has north before east.",
            "Read the list again with its columns exchanged.",
        )
    ]


def judge_exchanged(pairs: Sequence[Pair], fitted: Horizontal) -> list[Finding]:
    """Return two marks whose names are exchanged: with them the other way round the fit is right, and it is not as it is.

    Tried whatever a test says: three marks without sigmas suspect none of them.
    """
    if fitted.redundancy <= 0 or len(fitted.used) > FIT_MOST_EXCHANGED:
        return []
    limit = fitted.square_sum / FIT_EXCHANGE_GAIN
    if fitted.weighted:
        limit = max(limit, float(chdtri(fitted.redundancy, FIT_SINGLE_SIGNIFICANCE)))
    if fitted.weighted and fitted.square_sum <= limit:
        return []
    sums = exchanged_square_sums(pairs, fitted)
    first, second = (int(place) for place in np.unravel_index(int(np.argmin(sums)), sums.shape))
    if sums[first, second] > limit:
        return []
    one, other = sorted((pairs[fitted.used[first]].name, pairs[fitted.used[second]].name))
    return [
        finding(
            "fit-names-exchanged",
            Severity.STOP,
            f"With {one} and {other} the other way round all marks agree; as they are named they do not.",
            "Two names were exchanged, on the ground or in the list.",
            "Read both labels, and correct the list or the shots.",
            marks=[one, other],
        )
    ]


def judge_scale(fitted: Horizontal, expected: float = 1.0) -> list[Finding]:
    """Return a free scale that is some tens of ppm, and more than its own sigma explains, away from the expected one."""
    sigma = 1.0 if fitted.weighted else fitted.sigma0_m
    if fitted.model != "similarity":
        return []
    off_ppm = 1e6 * (fitted.scale / expected - 1.0)
    if abs(off_ppm) > FIT_SCALE_STOP_PPM:
        return [
            finding(
                "fit-scale-wrong",
                Severity.STOP,
                f"The free scale is {fitted.scale:.6f}, where {expected:.6f} is to be expected.",
                "A list in another unit, two names exchanged, or marks of two grids.",
                "Look at the unit of the list and at the names. No survey has such a scale.",
                off_ppm=round(off_ppm),
            )
        ]
    if sigma is None or fitted.redundancy <= 0:
        return []
    sigma_ppm = 1e6 * sigma / fitted.spread_m2**0.5
    if abs(off_ppm) <= max(FIT_SCALE_LOOK_PPM, line_sigmas(0.999, _estimated_with(fitted)) * sigma_ppm):
        return []
    return [
        finding(
            "fit-scale-off",
            Severity.LOOK,
            f"The free scale is {off_ppm:+.1f} ppm from the expected {expected:.7f} (known to {sigma_ppm:.1f} ppm).",
            "Local ground distances are 1/(combined factor) of the grid's; else a blunder bends the scale.",
            "Compare it with the combined factor here (Job, System); hold the scale there where it should be known.",
            off_ppm=round(off_ppm, 2),
        )
    ]


def judge_rotation(fitted: Horizontal, expected_deg: float | None) -> list[Finding]:
    """Return a rotation that is more than its own sigma explains away from the expected one."""
    sigma = 1.0 if fitted.weighted else fitted.sigma0_m
    if fitted.model == "shift" or sigma is None or fitted.redundancy <= 0 or expected_deg is None:
        return []
    off_deg = (fitted.rotation_deg - expected_deg + 180.0) % 360.0 - 180.0
    sigma_deg = degrees(sigma / fitted.spread_m2**0.5 / fitted.scale)
    if abs(off_deg) <= max(FIT_ROTATION_LOOK_DEG, line_sigmas(0.999, _estimated_with(fitted)) * sigma_deg):
        return []
    return [
        finding(
            "fit-rotation-off",
            Severity.LOOK,
            f"The rotation is {off_deg:+.4f}° from the {expected_deg:+.4f}° that the local north gives (known to {sigma_deg:.4f}°).",
            "The local north is not what it is said to be; else a blunder turns the fit.",
            "Ask where the local north comes from; look at the suspects.",
            off_deg=round(off_deg, 5),
        )
    ]


def judge_one_mark(name: str, scale: float, rotation_deg: float) -> list[Finding]:
    """Return what a fit on one mark leaves unproven."""
    return [
        finding(
            "fit-one-mark",
            Severity.LOOK,
            f"{name} alone gives the shift; the rotation of {rotation_deg:+.4f}° and the scale of {scale:.8f} are taken, not measured.",
            "A wrong north turns everything about this mark: one minute of arc is 29 mm at 100 m.",
            "Measure a second mark as far away as can be, and look at its difference.",
            mark=name,
        )
    ]


def judge_geometry(ratio: float, marks: int, plane: bool, outside: Sequence[str]) -> list[Finding]:
    """Return what the places of the marks say: nearly on one line (`ratio` across over along), or the site outside their hull."""
    found = []
    if marks >= 3 and ratio < FIT_NEAR_LINE:
        across = "the tilt across it" if plane else "what lies beside it"
        found.append(
            finding(
                "fit-near-line",
                Severity.LOOK if plane else Severity.NOTE,
                f"The {marks} marks of the fit lie nearly on one line (1 : {1 / max(ratio, 0.01):.0f}): {across} is poorly known.",
                "Marks along a road or a bank.",
                "Take in a mark to the side of the line.",
                ratio=round(ratio, 4),
            )
        )
    if outside:
        listed = ", ".join(outside[:4]) + (f" and {len(outside) - 4} more" if len(outside) > 4 else "")
        found.append(
            finding(
                "fit-outside-hull",
                Severity.NOTE,
                f"{listed} {'lies' if len(outside) == 1 else 'lie'} outside the marks of the fit: errors grow there.",
                "The marks do not surround the site.",
                "Take in marks at the rim; the plan says which gains most.",
                marks=list(outside),
            )
        )
    return found


def judge_set_ups(autonomous: Sequence[str], set_ups: int) -> list[Finding]:
    """Return what the bases of a fit's shots say: `autonomous` are the names of marks whose base nobody knows better than metres."""
    if not autonomous:
        return []
    if set_ups > 1:
        return [
            finding(
                "fit-set-ups-mixed",
                Severity.STOP,
                f"The marks depend on {set_ups} base set-ups, and that of {', '.join(autonomous[:4])} is autonomous: they are metres apart.",
                "Each autonomous average is another place.",
                "Measure all marks from one base, or re-seat the base first.",
                marks=list(autonomous),
            )
        ]
    return [
        finding(
            "fit-autonomous",
            Severity.NOTE,
            "The base is autonomous: the shift of the fit takes its metres up, for this set-up only.",
            "An average of the receiver's own position is another place tomorrow.",
            "Come back to the same base coordinate, or fit again after the base is set up again.",
        )
    ]


def judge_shots_apart(marks: Sequence[tuple[str, float]], unit: str = "m") -> list[Finding]:
    """Return the marks whose shots cannot be of one place: name, and how far they lie apart in metres."""
    return [
        finding(
            "fit-shots-apart",
            Severity.STOP,
            f"The shots of {name} lie {text_from_metres(apart_m, unit)} apart: their mean is not a mark.",
            "One of them was taken on another mark, or from a base of another coordinate.",
            "Leave out the one that does not belong there.",
            mark=name,
            apart_m=round(apart_m, 3),
        )
        for name, apart_m in marks
        if apart_m > METRE_LEVEL_M
    ]


def judge_out_of_date(changed: Sequence[str]) -> list[Finding]:
    """Return that what an applied fit rests on has changed: `changed` says what, in words."""
    if not changed:
        return []
    return [
        finding(
            "fit-out-of-date",
            Severity.LOOK,
            f"The applied fit rests on what has changed since: {', '.join(changed)}.",
            "A correction moves what is measured; the fit stays as it was applied.",
            "Look at the fit as it would be now, and apply it again if it is right.",
            changed=list(changed),
        )
    ]


def judge_checks(
    pairs: Sequence[Pair], horizontal: Horizontal, vertical: Vertical | None, unit: str = "m", left_out: Collection[str] = ()
) -> list[Finding]:
    """Return the marks kept as checks that the fit misses by more than 99.9 % of what it gives there."""
    found = []
    for place, pair in enumerate(pairs):
        if pair.use != "check" or pair.name in left_out:
            continue
        flat, most_flat = _check_horizontal(pair, place, horizontal)
        up, most_up = (None, None) if vertical is None else _check_up(pair, place, vertical)
        both = ((flat, most_flat, "horizontally", "horizontal"), (up, most_up, "in height", "vertical"))
        seen = [item for item in both if item[0] is not None and item[1] is not None and item[0] > item[1]]
        beyond = [
            f"{text_from_metres(off or 0.0, unit)} {words} ({text_from_metres(most or 0.0, unit)} is explained)"
            for off, most, words, _ in seen
        ]
        if beyond:
            found.append(
                finding(
                    "fit-check-differs",
                    Severity.STOP,
                    f"{pair.name}, kept as a check, is off from where the fit puts it: {' and '.join(beyond)}.",
                    "The fit is wrong there, or the check mark is.",
                    "Measure it again; look at the suspects of the fit.",
                    mark=pair.name,
                    horizontal_m=round(flat, 4),
                    components=[item[3] for item in seen],
                )
            )
    return found


def _estimated_with(fit: Horizontal | Vertical) -> int | None:
    """Return the degrees of freedom that a fit's sigma is estimated with; None where the sigmas were given."""
    return None if fit.weighted else fit.redundancy


def _check_horizontal(pair: Pair, place: int, fit: Horizontal) -> tuple[float, float | None]:
    """Return how far a check mark is off horizontally, and what explains as much in 99.9 %, None where no sigma is known."""
    own = pair.sigma_h_m or fit.sigma0_m
    total = float(np.max(np.diag(fit.covariance_m2(pair.gnss_e_m, pair.gnss_n_m))))
    off = float(np.hypot(*fit.residual_m[place]))
    if own is None or not np.isfinite(total):
        return off, None
    return off, circle_sigmas(0.999, _estimated_with(fit)) * (total + own**2) ** 0.5


def _check_up(pair: Pair, place: int, fit: Vertical) -> tuple[float | None, float | None]:
    """Return the same in height; None where it cannot be compared."""
    own = pair.sigma_v_m or fit.sigma0_m
    total = float(fit.variance_m2(pair.gnss_e_m, pair.gnss_n_m))
    off = abs(float(fit.residual_m[place]))
    if not np.isfinite(off):
        return None, None
    if own is None or not np.isfinite(total):
        return off, None
    return off, line_sigmas(0.999, _estimated_with(fit)) * (total + own**2) ** 0.5
