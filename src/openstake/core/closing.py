"""Closing the day: what is due, in the order in which it is done; what the program knows is told, the rest is ticked off.

Source: common practice, no source.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from openstake.core.limits import CHECK_OUT_WITHIN_S
from openstake.core.units import counted, text_from_seconds

ClosingState = Literal["done", "due", "not needed"]


@dataclass(frozen=True, kw_only=True)
class ClosingKnown:
    """What the program knows at the end of a day.

    Times are host seconds, None where there is none; `unchecked` names the links that nothing has checked; `charge` are the
    things to charge tonight.
    """

    now_s: float
    recording: bool
    base_runs: bool
    last_point_s: float | None
    last_check_s: float | None
    last_check_agrees: bool
    last_check_mark: str
    closing_readings: int
    opening_readings: int
    logs_running: int
    raw_files: int
    unchecked: Sequence[str] = ()
    charge: Sequence[str] = ()


@dataclass(frozen=True, kw_only=True)
class ClosingItem:
    """One thing to do; `known`: its state is told by the program, otherwise the crew ticks it off.  `page` is where it is done."""

    key: str
    what: str
    why: str
    state: ClosingState
    known: bool
    page: str = ""


def closing_list(known: ClosingKnown, ticked: Sequence[str] = ()) -> tuple[ClosingItem, ...]:
    """Return what is to be done at the end of a day, in order."""

    def tick(key: str, what: str, why: str) -> ClosingItem:
        return ClosingItem(key=key, what=what, why=why, state="done" if key in ticked else "due", known=False)

    items = [
        ClosingItem(
            key="recording",
            what="Nothing is being recorded",
            why="A track that runs goes on until it is ended.",
            state="due" if known.recording else "done",
            known=True,
            page="watch",
        ),
        _check_out(known),
        _unchecked(known),
        _closing_height(known),
        ClosingItem(
            key="raw",
            what="Raw data of the base ended",
            why=f"{counted(known.logs_running, 'log')} running." if known.logs_running else "None is running.",
            state="due" if known.logs_running else "done",
            known=True,
            page="base",
        ),
        ClosingItem(
            key="base",
            what="Base ended",
            why="Its end is in the Book.",
            state="due" if known.base_runs else "done",
            known=True,
            page="base",
        ),
        tick("power", "Powered down: rover, base receiver, radio last; then antennas off", "Never a radio that sends without its antenna."),
        tick(
            "files",
            f"Files copied: receivers' logs and {counted(known.raw_files, 'raw file')} of this data folder",
            "Raw data is what repairs a bad day.",
        ),
        *(tick(f"charge {what}", f"Charging: {what}", "") for what in known.charge),
    ]
    return tuple(items)


def _check_out(known: ClosingKnown) -> ClosingItem:
    what = "Check-out shot on a mark"
    if known.last_check_s is None:
        return ClosingItem(
            key="check-out", what=what, why="No mark has been checked from this base.", state="due", known=True, page="check"
        )
    ago = text_from_seconds(max(0.0, known.now_s - known.last_check_s))
    last = f"The last one was on {known.last_check_mark}, {ago} ago"
    if not known.last_check_agrees:
        return ClosingItem(key="check-out", what=what, why=f"{last}, and outside its tolerance.", state="due", known=True, page="check")
    if known.last_point_s is not None and known.last_point_s > known.last_check_s:
        return ClosingItem(key="check-out", what=what, why=f"{last}; points were measured after it.", state="due", known=True, page="check")
    if known.now_s - known.last_check_s > CHECK_OUT_WITHIN_S:
        return ClosingItem(
            key="check-out", what=what, why=f"{last}: too long to show that the base has not moved.", state="due", known=True, page="check"
        )
    return ClosingItem(key="check-out", what=what, why=f"{last}, after the last point.", state="done", known=True, page="check")


def _unchecked(known: ClosingKnown) -> ClosingItem:
    if not known.unchecked:
        return ClosingItem(
            key="links",
            what="All links checked",
            why="Nothing rests on a number that was only typed.",
            state="done",
            known=True,
            page="check",
        )
    return ClosingItem(
        key="links",
        what=f"Still unchecked: {', '.join(known.unchecked)}",
        why="What was only entered can be checked while you are here.",
        state="due",
        known=True,
        page="check",
    )


def _closing_height(known: ClosingKnown) -> ClosingItem:
    what = "Height of the base measured again"
    if not known.opening_readings:
        return ClosingItem(key="height", what=what, why="No base has been set up.", state="not needed", known=True, page="base")
    if known.closing_readings:
        return ClosingItem(
            key="height", what=what, why=f"{counted(known.closing_readings, 'closing reading')}.", state="done", known=True, page="base"
        )
    return ClosingItem(
        key="height",
        what=what,
        why="A tripod that sank shows nowhere else. Measure before it is taken down.",
        state="due",
        known=True,
        page="base",
    )
