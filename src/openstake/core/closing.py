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


@dataclass(frozen=True)
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


@dataclass(frozen=True)
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
        return ClosingItem(key, what, why, "done" if key in ticked else "due", False)

    items = [
        ClosingItem(
            "recording",
            "Nothing is being recorded",
            "A track that runs goes on until it is ended.",
            "due" if known.recording else "done",
            True,
            "watch",
        ),
        _check_out(known),
        _unchecked(known),
        _closing_height(known),
        ClosingItem(
            "raw",
            "Raw data of the base ended",
            f"{counted(known.logs_running, 'log')} running." if known.logs_running else "None is running.",
            "due" if known.logs_running else "done",
            True,
            "base",
        ),
        ClosingItem("base", "Base ended", "Its end is in the Book.", "due" if known.base_runs else "done", True, "base"),
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
        return ClosingItem("check-out", what, "No mark has been checked from this base.", "due", True, "check")
    ago = text_from_seconds(max(0.0, known.now_s - known.last_check_s))
    last = f"The last one was on {known.last_check_mark}, {ago} ago"
    if not known.last_check_agrees:
        return ClosingItem("check-out", what, f"{last}, and outside its tolerance.", "due", True, "check")
    if known.last_point_s is not None and known.last_point_s > known.last_check_s:
        return ClosingItem("check-out", what, f"{last}; points were measured after it.", "due", True, "check")
    if known.now_s - known.last_check_s > CHECK_OUT_WITHIN_S:
        return ClosingItem("check-out", what, f"{last}: too long to show that the base has not moved.", "due", True, "check")
    return ClosingItem("check-out", what, f"{last}, after the last point.", "done", True, "check")


def _unchecked(known: ClosingKnown) -> ClosingItem:
    if not known.unchecked:
        return ClosingItem("links", "All links checked", "Nothing rests on a number that was only typed.", "done", True, "check")
    return ClosingItem(
        "links",
        f"Still unchecked: {', '.join(known.unchecked)}",
        "What was only entered can be checked while you are here.",
        "due",
        True,
        "check",
    )


def _closing_height(known: ClosingKnown) -> ClosingItem:
    what = "Height of the base measured again"
    if not known.opening_readings:
        return ClosingItem("height", what, "No base has been set up.", "not needed", True, "base")
    if known.closing_readings:
        return ClosingItem("height", what, f"{counted(known.closing_readings, 'closing reading')}.", "done", True, "base")
    return ClosingItem("height", what, "A tripod that sank shows nowhere else. Measure before it is taken down.", "due", True, "base")
