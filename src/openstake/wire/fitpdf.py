"""A local fit as a printed sheet (PDF, A4): the plan with its residuals as vectors, the numbers, the marks, what is to be said."""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import dataclass
from math import hypot
from typing import Any

MOST_ROWS_A_PAGE = 34


@dataclass(frozen=True)
class SheetMark:
    """A mark of the sheet: its place in local metres, its arrow (metres, None where there is none), its cells in the table."""

    name: str
    east_m: float
    north_m: float
    arrow_m: tuple[float, float] | None
    used: bool
    flagged: bool
    cells: tuple[str, ...]


@dataclass(frozen=True)
class FitSheet:
    """Everything on the sheet.  `lines` are label and value; `hull_m` the corners of the marks used, local metres."""

    title: str
    printed: str
    lines: Sequence[tuple[str, str]]
    header: Sequence[str]
    marks: Sequence[SheetMark]
    hull_m: Sequence[tuple[float, float]]
    sayings: Sequence[str]
    unit: str
    metres_per_unit: float


def write_fit(sheet: FitSheet) -> bytes:
    """Return a fit as a PDF: the first page has the plan and the numbers, the following ones the marks."""
    from reportlab.lib.pagesizes import A4
    from reportlab.lib.units import mm
    from reportlab.pdfgen.canvas import Canvas

    out = io.BytesIO()
    page = Canvas(out, pagesize=A4)
    page.setTitle(sheet.title)
    width, height = A4
    left, right, y = 15 * mm, width - 15 * mm, height - 18 * mm
    _text(page, left, y, sheet.title, 17, right - left, bold=True)
    _text(page, left, y - 6 * mm, sheet.printed, 9, right - left)
    _plan(page, sheet, left, y - 112 * mm, right - left, 100 * mm)
    y -= 120 * mm
    for label, value in sheet.lines:
        _text(page, left, y, label, 10, 48 * mm)
        _text(page, left + 50 * mm, y, value, 10, right - left - 50 * mm, bold=True)
        y -= 5.4 * mm
    y -= 2 * mm
    for saying in sheet.sayings:
        for line in _wrapped(saying, 9, right - left):
            if y < 20 * mm:
                break
            _text(page, left, y, line, 9, right - left)
            y -= 4.4 * mm
    _foot(page, left, 1)
    pages = [sheet.marks[n : n + MOST_ROWS_A_PAGE] for n in range(0, len(sheet.marks), MOST_ROWS_A_PAGE)]
    for number, marks in enumerate(pages, start=2):
        page.showPage()
        _table(page, sheet, marks, left, right, height - 20 * mm)
        _foot(page, left, number)
    page.showPage()
    page.save()
    return out.getvalue()


def _text(page: Any, x: float, y: float, text: str, size: float, room: float, bold: bool = False) -> None:
    from reportlab.pdfbase.pdfmetrics import stringWidth

    font = "Helvetica-Bold" if bold else "Helvetica"
    while size > 5 and stringWidth(text, font, size) > room:
        size -= 0.5
    page.setFont(font, size)
    page.drawString(x, y, text)


def _wrapped(text: str, size: float, room: float) -> list[str]:
    from reportlab.lib.utils import simpleSplit

    return list(simpleSplit(text, "Helvetica", size, room))


def _foot(page: Any, left: float, number: int) -> None:
    _text(page, left, 28, "Evidence, not a certificate: local rules and the licensed surveyor decide.", 8, 430)
    page.drawRightString(552, 28, f"page {number}")


def _plan(page: Any, sheet: FitSheet, left: float, bottom: float, width: float, height: float) -> None:
    """Draw marks, hull and residuals, north up; arrows are drawn larger, by a factor that is said."""
    page.setLineWidth(0.6)
    page.rect(left, bottom, width, height)
    if not sheet.marks:
        return
    east = [mark.east_m for mark in sheet.marks]
    north = [mark.north_m for mark in sheet.marks]
    wide, high = max(max(east) - min(east), 1.0), max(max(north) - min(north), 1.0)
    room = 0.74 * min(width / wide, height / high)
    middle = ((max(east) + min(east)) / 2, (max(north) + min(north)) / 2)

    def at(e: float, n: float) -> tuple[float, float]:
        return left + width / 2 + (e - middle[0]) * room, bottom + height / 2 + (n - middle[1]) * room

    if len(sheet.hull_m) > 1:
        page.setDash(3, 3)
        corners = [at(*corner) for corner in sheet.hull_m]
        for one, other in zip(corners, corners[1:] + corners[:1], strict=True):
            page.line(*one, *other)
        page.setDash()
    longest = max((hypot(*mark.arrow_m) for mark in sheet.marks if mark.arrow_m), default=0.0)
    larger = _round_down(0.15 * min(width, height) / room / longest) if longest > 0.0 else 0.0
    for mark in sheet.marks:
        x, y = at(mark.east_m, mark.north_m)
        page.circle(x, y, 3, stroke=1, fill=1 if mark.used else 0)
        if mark.arrow_m:
            page.setLineWidth(1.6 if mark.flagged else 0.9)
            tip = at(mark.east_m + mark.arrow_m[0] * larger, mark.north_m + mark.arrow_m[1] * larger)
            page.line(x, y, *tip)
            page.circle(*tip, 1.2, stroke=1, fill=0)
            page.setLineWidth(0.6)
        _named(page, x, y, mark.name)
    if larger:
        _text(
            page,
            left + 4,
            bottom + 4,
            f"residuals (fitted − given), drawn {larger:g} times as long as the plan",
            8,
            width,
        )
    page.line(left + width - 14, bottom + height - 34, left + width - 14, bottom + height - 12)
    for side in (-3, 3):
        page.line(left + width - 14, bottom + height - 12, left + width - 14 + side, bottom + height - 18)
    _text(page, left + width - 18, bottom + height - 10, "N", 8, 20, bold=True)
    length = _round_down(width / room / 5 / sheet.metres_per_unit)
    page.setLineWidth(1.5)
    page.line(left + width - 8 - length * sheet.metres_per_unit * room, bottom + 8, left + width - 8, bottom + 8)
    page.drawRightString(left + width - 8, bottom + 12, f"{length:g} {sheet.unit}")


def _named(page: Any, x: float, y: float, name: str) -> None:
    """Write a mark's name below it, on white, so that no line runs through it."""
    from reportlab.pdfbase.pdfmetrics import stringWidth

    wide = min(stringWidth(name, "Helvetica-Bold", 9), 70.0)
    page.setFillGray(1.0)
    page.rect(x - wide / 2 - 1, y - 15, wide + 2, 10, stroke=0, fill=1)
    page.setFillGray(0.0)
    _text(page, x - wide / 2, y - 13, name, 9, 70, bold=True)


def _round_down(value: float) -> float:
    """Return 1, 2 or 5 times a power of ten, at most the value."""
    power = 10.0
    while power > value:
        power /= 10.0
    while power * 10.0 <= value:
        power *= 10.0
    return next(step * power for step in (5.0, 2.0, 1.0) if step * power <= value)


def _table(page: Any, sheet: FitSheet, marks: Sequence[SheetMark], left: float, right: float, top: float) -> None:
    columns = [left + (right - left) * n / len(sheet.header) for n in range(len(sheet.header) + 1)]
    y = top
    for row, bold in [(tuple(sheet.header), True), *((mark.cells, mark.flagged) for mark in marks)]:
        for n, cell in enumerate(row):
            if n == 0:
                _text(page, columns[0], y, cell, 9, columns[1] - columns[0] - 4, bold=True)
                continue
            page.setFont("Helvetica-Bold" if bold else "Helvetica", 8.5)
            page.drawRightString(columns[n + 1] - 2, y, cell)
        page.setLineWidth(0.3)
        page.line(left, y - 4, right, y - 4)
        y -= 20
