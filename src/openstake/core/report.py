"""A report as it is set: headings, sentences, tables, drawings in plain numbers.  What stands in it is said elsewhere."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

ReportKind = Literal["day", "base", "check", "fit", "iso17123", "job"]
REPORTS: dict[ReportKind, str] = {
    "day": "Day sheet",
    "base": "Base occupation",
    "check": "Checks on control",
    "fit": "Local fit",
    "iso17123": "Field test",
    "job": "Chain and error budget",
}
JUDGEMENT = (
    "This is evidence, not a certificate. Whether it is good enough, and for what, is the judgement of the licensed surveyor; local rules "
    "decide."
)


@dataclass(frozen=True)
class StackLevel:
    """A level of a height stack: what it is, and metres above the mark."""

    words: str
    above_m: float


@dataclass(frozen=True)
class HeightStack:
    """A base's antenna over its mark, drawn to scale: the levels from the mark upward; `unit_text` writes a height."""

    levels: tuple[StackLevel, ...]
    texts: tuple[str, ...]


@dataclass(frozen=True, kw_only=True)
class TargetShot:
    """A check on a target: its name, metres east and north of the mark, and whether it is within tolerance."""

    name: str
    east_m: float
    north_m: float
    agrees: bool


@dataclass(frozen=True)
class Target:
    """Checks about their marks, drawn to scale: the ring is the tolerance, metres."""

    ring_m: float
    ring_text: str
    shots: tuple[TargetShot, ...]


@dataclass(frozen=True)
class Bar:
    """A bar that is parted: what it is of, and the parts with their shares of one."""

    words: str
    parts: tuple[tuple[str, float], ...]


@dataclass(frozen=True, kw_only=True)
class PlanMark:
    """A mark of a fit on its plan: its place and its residual (fitted − given), local metres; `used` in the fit, `flagged` a suspect."""

    name: str
    east_m: float
    north_m: float
    residual_m: tuple[float, float] | None
    used: bool
    flagged: bool


@dataclass(frozen=True, kw_only=True)
class FitPlan:
    """The marks of a fit, north up, with residuals drawn larger; `hull_m` are the corners of those used, local metres."""

    marks: tuple[PlanMark, ...]
    hull_m: tuple[tuple[float, float], ...]
    unit: str
    metres_per_unit: float


Drawn = HeightStack | Target | tuple[Bar, ...] | FitPlan


@dataclass(frozen=True, kw_only=True)
class ReportPart:
    """A part of a report: a heading, label and value pairs, sentences, a table whose first row is its header, a drawing."""

    title: str
    values: Sequence[tuple[str, str]] = ()
    sentences: Sequence[str] = ()
    table: Sequence[Sequence[str]] = ()
    drawing: Drawn | None = None


@dataclass(frozen=True, kw_only=True)
class Report:
    """A report: its title, the job, when it was printed and by which version, its parts; the judgement is the reader's."""

    title: str
    job: str
    printed: str
    version: str
    parts: Sequence[ReportPart]
