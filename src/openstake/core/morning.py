"""Coming back to a site: what still holds from last time, what must be checked anew, in what order, and how long it takes.

Source: common practice, no source.
"""

from __future__ import annotations

from dataclasses import dataclass

from openstake.core.chain import FitSaid, State, state_of_fit


@dataclass(frozen=True, kw_only=True)
class LastTime:
    """The last base of a job: over which mark, with which coordinate, on which day (in words), what was checked from it.

    `checked` are the marks that were checked, with the state of the newest check of each; `near` and `far` the marks that a
    plan of checks would take.
    """

    mark: str
    source: str
    autonomous: bool
    day: str
    height_text: str
    checked: tuple[tuple[str, State], ...]
    near: str
    far: str

    def marks(self, state: State) -> tuple[str, ...]:
        """Return the marks whose newest check is in a state."""
        return tuple(mark for mark, found in self.checked if found is state)


@dataclass(frozen=True, kw_only=True)
class MorningItem:
    """One thing of the morning: whether it still holds, why, how many minutes it takes, and the page where it is done."""

    what: str
    state: State
    why: str
    minutes: float
    press: str
    page: str


@dataclass(frozen=True, kw_only=True)
class Morning:
    """The morning in order, how long it takes altogether, what comes first of what does not hold by itself, the hours of the sky."""

    items: tuple[MorningItem, ...]
    minutes: float
    first: MorningItem
    hours: str = ""


def morning_of(last: LastTime, fit: FitSaid, hours: str = "") -> Morning:
    """Return what holds and what must be checked anew when a crew comes back to a site; `hours` say when its sky is good today."""
    items = [_mark(last), _height(last)]
    items.append(
        MorningItem(
            what="See corrections arrive at the rover",
            state=State.MISSING,
            why="A channel may have been changed for interference and forgotten.",
            minutes=3.0,
            press="Link",
            page="link",
        )
    )
    if last.near:
        items.append(_check(last, last.near, "near the base", 4.0))
    if last.far and last.far != last.near:
        items.append(_check(last, last.far, "at the far end", 12.0))
    if fit.marks:
        state, why = state_of_fit(fit)
        held = state is State.CHECKED and not last.autonomous
        words = "It holds as long as the base comes back to the same coordinate." if held else why[:1].upper() + why[1:] + "."
        items.append(
            MorningItem(
                what="The local fit",
                state=state if held or state is not State.CHECKED else State.OUT_OF_DATE,
                why=words,
                minutes=0.0 if held else 10.0,
                press="Fit",
                page="fit",
            )
        )
    first = next(item for item in items if item.minutes > 0.0)
    return Morning(items=tuple(items), minutes=sum(item.minutes for item in items), first=first, hours=hours)


def _mark(last: LastTime) -> MorningItem:
    what = f"Set up over {last.mark} again, with its coordinate of {last.day}"
    if last.autonomous:
        return MorningItem(
            what=what,
            state=State.OUT_OF_DATE,
            why="It was autonomous: take that coordinate by name. A fresh average moves the site by metres.",
            minutes=15.0,
            press="Base",
            page="base",
        )
    state, why = _proof(last)
    return MorningItem(what=what, state=state, why=f"{last.source}; {why}", minutes=15.0, press="Base", page="base")


def _proof(last: LastTime) -> tuple[State, str]:
    """Return what the checks of last time prove of the base's coordinate."""
    if agreed := last.marks(State.CHECKED):
        return State.CHECKED, f"{', '.join(agreed[:3])} agreed with it. The numbers hold, the set-up is new."
    if changed := last.marks(State.OUT_OF_DATE):
        return State.OUT_OF_DATE, f"{', '.join(changed[:3])} agreed with it, and something was corrected after that."
    if against := last.marks(State.DISAGREES):
        return State.DISAGREES, f"{', '.join(against[:3])} disagreed with it. Find out why before work starts."
    return State.ENTERED, "no other mark was checked from it."


def _height(last: LastTime) -> MorningItem:
    return MorningItem(
        what="Measure the base's height, twice",
        state=State.MISSING,
        why=f"That day it read {last.height_text}: a tripod never stands as high again.",
        minutes=3.0,
        press="Base",
        page="base",
    )


# By the state of a mark's check of last time: its state on a new day, and why.
_AGAIN = {
    State.CHECKED: (State.OUT_OF_DATE, "It agreed on {day}; today's set-up has not been checked."),
    State.OUT_OF_DATE: (State.OUT_OF_DATE, "It agreed on {day}, and something was corrected after that."),
    State.DISAGREES: (State.DISAGREES, "It disagreed on {day}, and still did at the end."),
}


def _check(last: LastTime, mark: str, where: str, minutes: float) -> MorningItem:
    before = dict(last.checked).get(mark)
    state, why = (State.MISSING, "It was not checked last time.") if before is None else _AGAIN[before]
    return MorningItem(
        what=f"Check {mark}, {where}",
        state=state,
        why=why.format(day=last.day),
        minutes=minutes,
        press=f"Check {mark}",
        page=f"check?mark={mark}",
    )
