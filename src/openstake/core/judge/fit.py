"""What a local fit says: what its data can and cannot tell, which mark is suspected, whether scale and checks are plausible."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import hypot

import numpy as np
from numpy.typing import NDArray
from scipy.special import chdtri

from openstake.core.constants import CIRCLE_999, LINE_999
from openstake.core.judge.finding import Finding, Severity, finding
from openstake.core.limits import FIT_EXCHANGE_GAIN, FIT_MOST_EXCHANGED, FIT_SCALE_LOOK_PPM, FIT_SIGNIFICANCE
from openstake.core.localfit import PARAMETERS, Horizontal, Pair, Vertical, fit_horizontal
from openstake.core.reliability import Reliability, Suspect

_WORDS = {"similarity": "shift, rotation and scale", "rotation": "shift and rotation", "shift": "the shift", "constant": "the constant", "plane": "the plane"}  # fmt: skip


@dataclass(frozen=True)
class Suspected:
    """A mark that is suspected, horizontally or vertically, and whether the data can tell; the sentence says how much and why."""

    name: str
    component: str
    can_tell: bool
    sentence: str


@dataclass(frozen=True)
class Part:
    """One half of a fit for judging: its name in words, its marks, its residuals left out, its diagnosis."""

    component: str
    model: str
    names: tuple[str, ...]
    redundancy: int
    left_out_m: NDArray[np.float64]
    diagnosis: Reliability


def suspects_of(part: Part) -> list[Suspected]:
    """Return the suspected marks of one half, worst first."""
    return [
        Suspected(part.names[item.place], part.component, item.can_tell, _suspect_words(part, item))
        for item in part.diagnosis.suspects
    ]


def _suspect_words(part: Part, item: Suspect) -> str:
    off = np.atleast_1d(part.left_out_m[item.place])
    size = float(np.linalg.norm(off)) if np.isfinite(off).all() else None
    by = "" if size is None else f", {size:.3f} m from where the others put it"
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
                "fit-no-redundancy", Severity.LOOK,
                f"{len(part.names)} marks solve {_WORDS[part.model]} ({needs} numbers) with nothing left over: there are no residuals.",
                "Any blunder among them is fitted away.", "Take in one more mark: the first residuals; one more again begins to tell which is wrong.",
                marks=len(part.names),
            )
        ]  # fmt: skip
    found = []
    diagnosis = part.diagnosis
    if (
        diagnosis.global_passed is False
        and diagnosis.global_statistic is not None
        and diagnosis.global_limit is not None
    ):
        found.append(
            finding(
                "fit-global-test", Severity.STOP,
                f"The {part.component} fit does not agree with its sigmas: χ² {diagnosis.global_statistic:.1f}, limit {diagnosis.global_limit:.1f} ({part.redundancy} degrees of freedom).",
                "A mark is wrong, two names are exchanged, or the sigmas are too small.",
                "Look at the suspects; leave the worst out and fit again.",
                statistic=round(diagnosis.global_statistic, 3), limit=round(diagnosis.global_limit, 3),
            )
        )  # fmt: skip
    listed = suspects_of(part)
    if listed:
        first = listed[0]
        found.append(
            finding(
                "fit-suspect" if first.can_tell else "fit-cannot-tell", Severity.STOP if first.can_tell else Severity.LOOK, first.sentence,
                "The mark was disturbed, its line in the list is wrong, or the fix on it was false.",
                f"Measure {first.name} again after a new initialisation; leave it out if it stays." if first.can_tell
                else "Take in one more mark that surrounds the site, then look again.",
                mark=first.name,
            )
        )  # fmt: skip
    return found


def judge_exchanged(pairs: Sequence[Pair], fitted: Horizontal, diagnosis: Reliability) -> list[Finding]:
    """Return two marks whose names are exchanged: with them the other way round the fit is right, and it is not as it is."""
    count = len(fitted.used)
    if (
        fitted.redundancy <= 0
        or count > FIT_MOST_EXCHANGED
        or not (diagnosis.suspects or diagnosis.global_passed is False)
    ):
        return []
    limit = (
        float(chdtri(fitted.redundancy, FIT_SIGNIFICANCE)) if fitted.weighted else fitted.square_sum / FIT_EXCHANGE_GAIN
    )
    used = [pairs[n] for n in fitted.used]
    best: tuple[float, str, str] | None = None
    for first in range(count):
        for second in range(first + 1, count):
            again = list(used)
            one, other = used[first], used[second]
            again[first] = _with_local(one, other)
            again[second] = _with_local(other, one)
            found = fit_horizontal(again, fitted.model, fitted.scale).square_sum
            if best is None or found < best[0]:
                best = (found, one.name, other.name)
    if best is None or best[0] > limit:
        return []
    return [
        finding(
            "fit-names-exchanged", Severity.STOP,
            f"With {best[1]} and {best[2]} the other way round all marks agree; as they are named they do not.",
            "Two names were exchanged, on the ground or in the list.", "Read both labels, and correct the list or the shots.",
            marks=[best[1], best[2]],
        )
    ]  # fmt: skip


def _with_local(pair: Pair, other: Pair) -> Pair:
    return Pair(
        pair.name, other.local_e_m, other.local_n_m, other.local_h_m, pair.gnss_e_m, pair.gnss_n_m, pair.gnss_h_m, pair.use,
        pair.sigma_h_m, pair.sigma_v_m,
    )  # fmt: skip


def judge_scale(fitted: Horizontal, expected: float = 1.0) -> list[Finding]:
    """Return a free scale that is some tens of ppm, and more than its own sigma explains, away from the expected one."""
    sigma = 1.0 if fitted.weighted else fitted.sigma0_m
    if fitted.model != "similarity" or sigma is None or fitted.redundancy <= 0:
        return []
    off_ppm = 1e6 * (fitted.scale / expected - 1.0)
    sigma_ppm = 1e6 * sigma / fitted.spread_m2**0.5
    if abs(off_ppm) <= max(FIT_SCALE_LOOK_PPM, LINE_999 * sigma_ppm):
        return []
    return [
        finding(
            "fit-scale-off", Severity.LOOK,
            f"The free scale is {off_ppm:+.1f} ppm from the expected {expected:.7f} (known to {sigma_ppm:.1f} ppm).",
            "Local ground distances are 1/(combined factor) of the grid's; else a blunder bends the scale.",
            "Compare it with the combined factor here (Job, System); hold the scale there where it should be known.",
            off_ppm=round(off_ppm, 2),
        )
    ]  # fmt: skip


def judge_checks(pairs: Sequence[Pair], horizontal: Horizontal, vertical: Vertical | None) -> list[Finding]:
    """Return the marks kept as checks that the fit misses by more than 99.9 % of what it gives there."""
    found = []
    for place, pair in enumerate(pairs):
        if pair.use != "check":
            continue
        east, north = horizontal.residual_m[place]
        own = pair.sigma_h_m or horizontal.sigma0_m
        total = horizontal.covariance_m2(pair.gnss_e_m, pair.gnss_n_m)
        limit = None if own is None else CIRCLE_999 * float(np.sqrt(np.max(np.diag(total)) + own**2))
        up = (
            None
            if vertical is None or not np.isfinite(vertical.residual_m[place])
            else float(vertical.residual_m[place])
        )
        off = hypot(east, north)
        if limit is not None and np.isfinite(limit) and off > limit:
            found.append(
                finding(
                    "fit-check-differs", Severity.STOP,
                    f"{pair.name}, kept as a check, is {off:.3f} m from where the fit puts it{'' if up is None else f' and {abs(up):.3f} m in height'}; {limit:.3f} m is explained.",
                    "The fit is wrong there, or the check mark is.", "Measure it again; look at the suspects of the fit.",
                    mark=pair.name, horizontal_m=round(off, 4),
                )
            )  # fmt: skip
    return found
