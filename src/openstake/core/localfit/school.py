"""What is done next in a local fit, by the school: grow it mark by mark, or fit all and drop the bad.

Source: common practice, no source.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from openstake.core.localfit.choice import MarkUse, School, without_component

NextKind = Literal["list", "measure", "take-in", "decide", "leave-out", "apply", "none"]


@dataclass(frozen=True)
class SchoolWords:
    """A school in words: what one does, what speaks for it and against it."""

    school: School
    title: str
    way: str
    good: str
    bad: str


SCHOOL_WORDS: tuple[SchoolWords, ...] = (
    SchoolWords(
        "all", "Fit all, drop the bad", "Measure every mark, fit them together, leave out what disagrees.",
        "Most redundancy: with four marks or more it can tell which one is wrong.",
        "A blunder bends the fit until it is left out.",
    ),
    SchoolWords(
        "grow", "Grow mark by mark", "Fit two, walk to the third as a check, take it in if it agrees, go on.",
        "Each mark is seen as a check before it changes anything.",
        "If one of the first two is wrong, all that follow look wrong.",
    ),
)  # fmt: skip


@dataclass(frozen=True)
class MarkStands:
    """A mark for the school: whether it is measured, in the fit, and whether somebody has chosen what it is used for.

    `differs`: as a check it is off by more than is explained; `slip` is what would explain it.
    """

    line_id: str
    name: str
    measured: bool
    used: bool
    chosen: bool
    off_words: str = ""
    differs: bool = False
    slip: str = ""


@dataclass(frozen=True)
class Accused:
    """The suspect that the residuals accuse most, what it is used for, whether the data can tell, and the slip that explains it."""

    line_id: str
    name: str
    use: MarkUse
    component: str
    can_tell: bool
    slip: str = ""


@dataclass(frozen=True)
class NextStep:
    """What to do next: one line, what kind of action it is, what stands on its button, the mark it is about and its new use.

    Where there are two ways, `other_press` and `other_use` are those of the second.
    """

    kind: NextKind
    words: str
    press: str = ""
    line_id: str = ""
    name: str = ""
    use: MarkUse | None = None
    other_press: str = ""
    other_use: MarkUse | None = None


def next_step(
    school: School, marks: Sequence[MarkStands], accused: Accused | None, suggested: MarkStands | None, gain_words: str,
    needs: int, applied: bool,
) -> NextStep:  # fmt: skip
    """Return the next step; `suggested` is the unmeasured mark that gains most, `needs` how many marks the model takes at least."""
    if not marks:
        return NextStep("list", "Bring the local coordinates in: a file, another job, or typed.", "Local coordinates")
    if accused is not None and (accused.can_tell or suggested is None):
        side = "in height" if accused.component == "vertical" else "sideways"
        if accused.can_tell:
            words = f"Leave {accused.name} out {side}, or measure it again."
            if accused.slip:
                words = f"Look {accused.name} up: {accused.slip}. Else leave it out {side}."
            return NextStep(
                "leave-out", words, f"Leave {accused.name} out",
                accused.line_id, accused.name, without_component(accused.use, accused.component),
            )  # fmt: skip
        return NextStep(
            "none",
            f"Something is wrong, and the data cannot tell whose: {accused.name} or another. It takes one more mark.",
        )
    used = sum(mark.used for mark in marks)
    waiting = next((mark for mark in marks if mark.measured and not mark.used and not mark.chosen), None)
    if school == "grow" and waiting is not None:
        return _waiting(waiting, used < needs, needs)
    if suggested is not None:
        return NextStep(
            "measure",
            f"Measure {suggested.name}{gain_words}.",
            f"Measure {suggested.name}",
            suggested.line_id,
            suggested.name,
        )
    if used < needs:
        return NextStep("none", f"The model takes at least {needs} marks; {used} are in.")
    if applied:
        return NextStep("none", "Every mark is measured; the fit is applied.")
    return NextStep("apply", "Apply the fit: points then have local coordinates too.", "Apply the fit")


def _waiting(mark: MarkStands, begins: bool, needs: int) -> NextStep:
    """Return what is asked of a measured mark in the school that grows."""
    take = f"Take {mark.name} in"
    if begins:
        return NextStep("take-in", f"{take}: the fit begins with {needs}.", take, mark.line_id, mark.name, "hv")
    words = f"{mark.name}: {mark.off_words}."
    if mark.differs:
        words += f" Look it up: {mark.slip}." if mark.slip else " Measure it again, or leave it out."
        return NextStep("decide", words, f"Leave {mark.name} out", mark.line_id, mark.name, "out", take, "hv")
    return NextStep("decide", words, take, mark.line_id, mark.name, "hv", "Keep it as a check", "check")
