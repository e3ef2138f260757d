"""What is done next in a local fit, by the school: grow it mark by mark, or fit all and drop the bad.

Source: common practice, no source.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from openstake.core.localfit.choice import FitMethod, MarkUse, without_component

NextKind = Literal["list", "measure", "take-in", "decide", "leave-out", "apply", "none"]


@dataclass(frozen=True, kw_only=True)
class FitMethodWords:
    """A school in words: what one does, what speaks for it and against it."""

    school: FitMethod
    title: str
    way: str
    good: str
    bad: str


FIT_METHOD_WORDS: tuple[FitMethodWords, ...] = (
    FitMethodWords(
        school="all",
        title="Fit all, drop the bad",
        way="Measure every mark, fit them together, leave out what disagrees.",
        good="Most redundancy: with four marks or more it can tell which one is wrong.",
        bad="A blunder bends the fit until it is left out.",
    ),
    FitMethodWords(
        school="grow",
        title="Grow mark by mark",
        way="Fit two, walk to the third as a check, take it in if it agrees, go on.",
        good="Each mark is seen as a check before it changes anything.",
        bad="If one of the first two is wrong, all that follow look wrong.",
    ),
)


@dataclass(frozen=True, kw_only=True)
class MarkStatus:
    """A mark for the school: whether it is measured, in the fit, and whether somebody has chosen what it is used for.

    `differs`: the components (horizontal, vertical) in which it is off as a check by more than is explained; `slip` would explain it.
    """

    line_id: str
    name: str
    measured: bool
    used: bool
    chosen: bool
    off_words: str = ""
    differs: tuple[str, ...] = ()
    slip: str = ""


@dataclass(frozen=True, kw_only=True)
class SuspectMark:
    """The suspect that the residuals accuse most, what it is used for, whether the data can tell, and the slip that explains it."""

    line_id: str
    name: str
    use: MarkUse
    component: str
    can_tell: bool
    slip: str = ""


@dataclass(frozen=True, kw_only=True)
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
    school: FitMethod,
    marks: Sequence[MarkStatus],
    suspect: SuspectMark | None,
    suggested: MarkStatus | None,
    gain_words: str,
    needs: int,
    applied: bool,
) -> NextStep:
    """Return the next step; `suggested` is the unmeasured mark that gains most, `needs` how many marks the model takes at least."""
    if not marks:
        return NextStep(kind="list", words="Bring the local coordinates in: a file, another job, or typed.", press="Local coordinates")
    if suspect is not None and suspect.can_tell:
        return _leave_out(suspect)
    used = sum(mark.used for mark in marks)
    waiting = next((mark for mark in marks if mark.measured and not mark.used and not mark.chosen), None)
    if school == "grow" and waiting is not None:
        return _begin(waiting, needs) if used < needs else _waiting(waiting, suspect)
    if suggested is not None:
        return NextStep(
            kind="measure",
            words=f"Measure {suggested.name}{gain_words}.",
            press=f"Measure {suggested.name}",
            line_id=suggested.line_id,
            name=suggested.name,
        )
    if suspect is not None:
        return NextStep(
            kind="none", words=f"Something is wrong, and the data cannot tell whose: {suspect.name} or another. It takes one more mark."
        )
    if used < needs:
        return NextStep(kind="none", words=f"The model takes at least {needs} marks; {used} are in.")
    if applied:
        return NextStep(kind="none", words="Every mark is measured; the fit is applied.")
    return NextStep(kind="apply", words="Apply the fit: points then have local coordinates too.", press="Apply the fit")


_SIDE = {"horizontal": "horizontally", "vertical": "in height"}
_ALONE: dict[str, MarkUse] = {"horizontal": "h", "vertical": "v"}


def _leave_out(suspect: SuspectMark) -> NextStep:
    side = _SIDE[suspect.component]
    words = f"Leave {suspect.name} out {side}, or measure it again."
    if suspect.slip:
        words = f"Look {suspect.name} up: {suspect.slip}. Else leave it out {side}."
    use = without_component(suspect.use, suspect.component)
    return NextStep(kind="leave-out", words=words, press=f"Leave {suspect.name} out", line_id=suspect.line_id, name=suspect.name, use=use)


def _begin(mark: MarkStatus, needs: int) -> NextStep:
    words = f"Take {mark.name} in: the fit begins with {needs}."
    return NextStep(kind="take-in", words=words, press=f"Take {mark.name} in", line_id=mark.line_id, name=mark.name, use="hv")


def _waiting(mark: MarkStatus, doubt: SuspectMark | None) -> NextStep:
    """Return what is asked of a measured mark in the school that grows; `doubt` is a suspect that the data cannot tell yet."""
    words = f"{mark.name}: {mark.off_words}."
    if doubt is not None:
        # What is off in the other component would bring a second mistake in.
        use = _ALONE[doubt.component] if set(mark.differs) - {doubt.component} else "hv"
        words += f" Taken in, it helps to tell which mark is wrong {_SIDE[doubt.component]}."
        return NextStep(
            kind="decide",
            words=words,
            press=_take(mark.name, use),
            line_id=mark.line_id,
            name=mark.name,
            use=use,
            other_press="Keep it as a check",
            other_use="check",
        )
    if not mark.differs:
        return NextStep(
            kind="decide",
            words=words,
            press=_take(mark.name, "hv"),
            line_id=mark.line_id,
            name=mark.name,
            use="hv",
            other_press="Keep it as a check",
            other_use="check",
        )
    words += f" Look it up: {mark.slip}." if mark.slip else " Measure it again, or leave out what is off."
    use = "out" if len(mark.differs) > 1 else without_component("hv", mark.differs[0])
    press = f"Leave {mark.name} out" if use == "out" else _take(mark.name, use)
    return NextStep(
        kind="decide",
        words=words,
        press=press,
        line_id=mark.line_id,
        name=mark.name,
        use=use,
        other_press=_take(mark.name, "hv"),
        other_use="hv",
    )


def _take(name: str, use: MarkUse) -> str:
    return {"h": f"Take {name} in without height", "v": f"Take the height of {name} in"}.get(use, f"Take {name} in")
