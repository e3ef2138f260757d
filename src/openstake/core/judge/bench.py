"""The bench test: both units a taped distance apart, the evening before."""

from __future__ import annotations

from dataclasses import dataclass
from math import hypot

from openstake.core.judge.finding import Finding, Severity, finding
from openstake.core.limits import BENCH_PERSON_M, BENCH_SIGMAS, TAPE_SIGMA_M, UNCLAIMED_HORIZONTAL_M
from openstake.core.units import text_from_metres, text_from_seconds


@dataclass(frozen=True, kw_only=True)
class BenchSeen:
    """What a bench test showed, metres and seconds: the tape (from antenna to antenna) against the mean measured distance.

    `claim_m` is one sigma of the rover's claim along the line; None where it claims nothing.
    """

    taped_m: float
    measured_m: float | None
    claim_m: float | None
    epochs: int
    fix_after_s: float | None
    listened_s: float
    unit: str = "m"


@dataclass(frozen=True, kw_only=True)
class BenchRecord:
    """A bench test as it was: metres and seconds, which units, and what it said."""

    base: str
    rover: str
    tape: str
    taped_m: float
    measured_m: float | None
    scatter_m: float | None
    epochs: int
    fix_after_s: float | None
    agrees: bool
    findings: list[Finding]


def bench_limit_m(claim_m: float | None) -> float:
    """Return by how much tape and measurement may differ: three sigmas of both, and what phase centres and a table add."""
    return hypot(BENCH_SIGMAS * hypot(claim_m or UNCLAIMED_HORIZONTAL_M, TAPE_SIGMA_M), BENCH_PERSON_M)


def judge_bench(seen: BenchSeen) -> list[Finding]:
    """Return whether the pair works."""
    if seen.measured_m is None:
        return [
            finding(
                "bench-no-fix",
                Severity.STOP,
                f"In {text_from_seconds(seen.listened_s)} the rover did not fix on the bench.",
                "The two ends do not agree, the sky is too poor, or the base does not send.",
                "Look at the Link page and at the age of corrections; put both units where the sky is open.",
                listened_s=round(seen.listened_s),
            )
        ]
    limit, off = bench_limit_m(seen.claim_m), seen.measured_m - seen.taped_m
    taped, measured, apart, allowed = (text_from_metres(abs(value), seen.unit) for value in (seen.taped_m, seen.measured_m, off, limit))
    numbers = {"taped_m": round(seen.taped_m, 4), "measured_m": round(seen.measured_m, 4), "limit_m": round(limit, 4)}
    if abs(off) <= limit:
        return [
            finding(
                "bench-agrees",
                Severity.NOTE,
                f"Taped {taped}, measured {measured}: {apart} apart, {allowed} allowed.",
                "Both units, their settings and the link work.",
                "Shut down in order, and charge.",
                **numbers,
            )
        ]
    return [
        finding(
            "bench-differs",
            Severity.LOOK,
            f"Taped {taped}, measured {measured}: {apart} apart, {allowed} allowed.",
            "The tape was held between other points than the antennas' marks, a wall reflects, or a fix is false.",
            "Tape from bottom of mount to bottom of mount, re-initialise, and test again under open sky.",
            **numbers,
        )
    ]
