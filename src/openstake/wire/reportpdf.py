"""Reports as PDF (A4): well set, black and white, drawings as vectors, every page with its number and the judgement's sentence."""

from __future__ import annotations

import io
import unicodedata
from collections.abc import Callable, Sequence
from functools import cache
from math import hypot
from pathlib import Path
from typing import Any

from openstake.core.report import JUDGEMENT, Bar, Drawn, FitPlan, HeightStack, Report, ReportPart, Target

_WORDS = {"′": "'", "σ": "sigma", "χ": "chi", "→": "to", "\u00a0": " ", "\u202f": " "}
_PLAIN, _BOLD = "Vera", "VeraBd"  # come with reportlab, free to ship
_TABLE_SIZE, _GAP = 8.0, 8.0
_LEAST_LEFT = 90.0  # of a page, under a heading
_GREYS = (0.15, 0.45, 0.65, 0.8, 0.9, 1.0)


@cache
def _letters() -> frozenset[int]:
    """Register the fonts, and return the letters that they have."""
    import reportlab
    from reportlab.pdfbase import pdfmetrics
    from reportlab.pdfbase.ttfonts import TTFont

    folder = Path(reportlab.__file__).parent / "fonts"
    for name in (_PLAIN, _BOLD):
        pdfmetrics.registerFont(TTFont(name, str(folder / f"{name}.ttf")))
    return frozenset(pdfmetrics.getFont(_PLAIN).face.charToGlyph)


def written(text: str) -> str:
    """Return a text in the letters that the font has: signs in words, a letter with a mark it lacks without it, else a question mark."""
    known, out = _letters(), []
    for letter in text:
        if ord(letter) in known or letter in "\n\t":
            out.append(letter)
            continue
        bare = _WORDS.get(letter) or "".join(part for part in unicodedata.normalize("NFKD", letter) if ord(part) in known)
        out.append(bare or "?")
    return "".join(out)


def write_report(report: Report) -> bytes:
    """Return a report as PDF."""
    from reportlab.lib.pagesizes import A4
    from reportlab.lib.units import mm
    from reportlab.platypus import BaseDocTemplate, CondPageBreak, Frame, KeepTogether, PageTemplate, Paragraph, Spacer

    _letters()
    out, styles = io.BytesIO(), _styles()
    document = BaseDocTemplate(
        out,
        pagesize=A4,
        leftMargin=18 * mm,
        rightMargin=18 * mm,
        topMargin=24 * mm,
        bottomMargin=24 * mm,
        title=f"{report.title}, {report.job}",
        author="Open Stake",
        invariant=1,
    )
    frame = Frame(document.leftMargin, document.bottomMargin, document.width, document.height, 0, 0, 0, 0)
    document.addPageTemplates([PageTemplate("page", [frame])])
    story: list[Any] = [
        Paragraph(_escaped(report.title), styles["title"]),
        Paragraph(_escaped(report.job), styles["job"]),
        Paragraph(_escaped(f"Printed {report.printed}, {report.version}"), styles["small"]),
        Spacer(1, 5 * mm),
    ]
    for part in report.parts:
        head, rest = _set(part, styles, document.width)
        story += [CondPageBreak(_LEAST_LEFT), KeepTogether(head), *rest, Spacer(1, 4 * mm)]
    story += [Paragraph(_escaped(JUDGEMENT), styles["bold"])]
    document.build(story, canvasmaker=_numbered(report))
    return out.getvalue()


def _styles() -> dict[str, Any]:
    from reportlab.lib.styles import ParagraphStyle

    plain = ParagraphStyle("plain", fontName=_PLAIN, fontSize=8.5, leading=12)
    return {
        "plain": plain,
        "bold": ParagraphStyle("bold", plain, fontName=_BOLD),
        "small": ParagraphStyle("small", plain, fontSize=8, textColor="#444444"),
        "title": ParagraphStyle("title", plain, fontName=_BOLD, fontSize=19, leading=24),
        "job": ParagraphStyle("job", plain, fontName=_BOLD, fontSize=12, leading=17),
        "cell": ParagraphStyle("cell", plain, fontSize=_TABLE_SIZE, leading=11),
        "head": ParagraphStyle("head", plain, fontName=_BOLD, fontSize=_TABLE_SIZE, leading=11),
        "part": ParagraphStyle("part", plain, fontName=_BOLD, fontSize=11.5, leading=16, spaceBefore=4, spaceAfter=3),
    }


def _escaped(text: str) -> str:
    from xml.sax.saxutils import escape

    return escape(written(text))


def _set(part: ReportPart, styles: dict[str, Any], width: float) -> tuple[list[Any], list[Any]]:
    """Return what of a part stays together with its heading, and what may go over to the next page."""
    from reportlab.platypus import Paragraph, Table, TableStyle

    head: list[Any] = [Paragraph(_escaped(part.title), styles["part"])]
    if part.values:
        rows = [[Paragraph(_escaped(label), styles["plain"]), Paragraph(_escaped(value), styles["bold"])] for label, value in part.values]
        table = Table(rows, colWidths=[0.3 * width, 0.7 * width])
        table.setStyle(TableStyle([("VALIGN", (0, 0), (-1, -1), "TOP"), ("LEFTPADDING", (0, 0), (-1, -1), 0), *_tight()]))
        head.append(table)
    if part.drawing is not None:
        head.append(_drawing(part.drawing, width))
    rest: list[Any] = [Paragraph(_escaped(sentence), styles["plain"]) for sentence in part.sentences]
    if part.table:
        rest.append(_table(part.table, styles, width))
    return head, rest


def _tight() -> list[tuple[Any, ...]]:
    return [("TOPPADDING", (0, 0), (-1, -1), 1.2), ("BOTTOMPADDING", (0, 0), (-1, -1), 1.2)]


def _table(rows: Sequence[Sequence[str]], styles: dict[str, Any], width: float) -> Any:
    """Return a table whose header comes again on every page; columns are as wide as what they hold."""
    from reportlab.pdfbase.pdfmetrics import stringWidth
    from reportlab.platypus import Paragraph, Table, TableStyle

    texts = [[(written(cell), _BOLD if place == 0 else _PLAIN) for cell in row] for place, row in enumerate(rows)]

    def widest(n: int, parts: Callable[[str], Sequence[str]]) -> float:
        return max(float(stringWidth(part, row[n][1], _TABLE_SIZE)) for row in texts for part in (parts(row[n][0]) or [""]))

    # No word is broken; what is left goes to the columns that would have more.
    least = [widest(n, str.split) + _GAP for n in range(len(rows[0]))]
    wish = [widest(n, lambda text: [text]) + _GAP - low for n, low in enumerate(least)]
    left, asked = width - sum(least), sum(wish)
    wide = [low + left * (more / asked if asked > 0.0 else 1.0 / len(least)) for low, more in zip(least, wish, strict=True)]
    cells = [[Paragraph(_escaped(cell), styles["head" if place == 0 else "cell"]) for cell in row] for place, row in enumerate(rows)]
    table = Table(cells, colWidths=wide, repeatRows=1)
    lines = [("LINEBELOW", (0, 0), (-1, 0), 1.0, "#000000"), ("LINEBELOW", (0, 1), (-1, -1), 0.25, "#888888")]
    table.setStyle(TableStyle([("VALIGN", (0, 0), (-1, -1), "TOP"), ("LEFTPADDING", (0, 0), (-1, -1), 0), *_tight(), *lines]))
    return table


def _drawing(drawing: Drawn, width: float) -> Any:
    if isinstance(drawing, FitPlan):
        return _plan(drawing, width)
    if isinstance(drawing, HeightStack):
        return _stack(drawing, width)
    if isinstance(drawing, Target):
        return _target(drawing, width)
    return _bars(drawing, width)


def _stack(stack: HeightStack, width: float) -> Any:
    """Return an antenna over its mark, to scale."""
    from reportlab.graphics.shapes import Drawing, Line, Polygon, String

    high, bottom, axis = 190.0, 14.0, 0.3 * width
    top_m = max(level.above_m for level in stack.levels) or 1.0
    found = Drawing(width, high + 2 * bottom)

    def y(metres: float) -> float:
        return bottom + high * metres / top_m

    head = y(max((level.above_m for level in stack.levels[:-1]), default=top_m))
    for foot in (-46.0, 46.0, 8.0):
        found.add(Line(axis + foot, bottom, axis, head, strokeWidth=1.2))
    found.add(Polygon([axis - 5, bottom - 8, axis + 5, bottom - 8, axis, bottom], strokeWidth=1, fillColor=None))
    written_y = -20.0
    for level, text in zip(stack.levels, stack.texts, strict=True):
        at = y(level.above_m)
        found.add(Line(axis - 12, at, axis + 80, at, strokeWidth=0.8, strokeDashArray=[3, 2]))
        # Levels that lie close together are written above each other.
        written_y = max(at - 3, written_y + 13)
        found.add(String(axis + 86, written_y, written(f"{level.words}: {text}"), fontName=_PLAIN, fontSize=8.5))
    return found


def _target(target: Target, width: float) -> Any:
    """Return checks about their marks: north up, the ring is the tolerance, squares are outside it."""
    from reportlab.graphics.shapes import Circle, Drawing, Line, Rect, String

    high = 200.0
    found, middle = Drawing(width, high), (0.32 * width, high / 2)
    far_m = max([target.ring_m, *(hypot(shot.east_m, shot.north_m) for shot in target.shots)])
    scale = 0.42 * high / far_m
    found.add(Circle(*middle, target.ring_m * scale, strokeWidth=1.2, fillColor=None))
    for dx, dy in ((1, 0), (0, 1)):
        reach = 0.46 * high
        found.add(Line(middle[0] - dx * reach, middle[1] - dy * reach, middle[0] + dx * reach, middle[1] + dy * reach, strokeWidth=0.4))
    found.add(String(middle[0] + 4, middle[1] + 0.46 * high - 4, "N", fontName=_BOLD, fontSize=9))
    names: list[tuple[float, float]] = []
    for shot in target.shots:
        x, y = middle[0] + shot.east_m * scale, middle[1] + shot.north_m * scale
        outside = Rect(x - 3, y - 3, 6, 6, strokeWidth=1.4, fillColor=None)
        found.add(Circle(x, y, 2.6, fillColor="#000000") if shot.agrees else outside)
        at = y + 3
        while any(abs(x - other) < 45 and abs(at - above) < 9 for other, above in names):
            at += 9  # names that would lie over each other stand above each other
        names.append((x, at))
        found.add(String(x + 5, at, written(shot.name), fontName=_PLAIN, fontSize=8))
    for line, text in enumerate((f"ring: tolerance {target.ring_text}", "dot: within, square: outside", "observed - known, north up")):
        found.add(String(0.66 * width, high - 20 - 13 * line, written(text), fontName=_PLAIN, fontSize=8.5))
    return found


def _plan(plan: FitPlan, width: float) -> Any:
    """Return the marks of a fit with hull and residuals; arrows are drawn larger, by a factor that is said."""
    from reportlab.graphics.shapes import Circle, Drawing, Line, Rect, String
    from reportlab.lib.colors import white
    from reportlab.pdfbase.pdfmetrics import stringWidth

    high = 270.0
    found = Drawing(width, high)
    found.add(Rect(0, 0, width, high, strokeWidth=0.6, fillColor=None))
    if not plan.marks:
        return found
    east, north = [mark.east_m for mark in plan.marks], [mark.north_m for mark in plan.marks]
    wide_m, high_m = max(max(east) - min(east), 1.0), max(max(north) - min(north), 1.0)
    room = 0.74 * min(width / wide_m, high / high_m)
    middle = ((max(east) + min(east)) / 2, (max(north) + min(north)) / 2)

    def at(east_m: float, north_m: float) -> tuple[float, float]:
        return width / 2 + (east_m - middle[0]) * room, high / 2 + (north_m - middle[1]) * room

    corners = [at(*corner) for corner in plan.hull_m]
    for one, other in zip(corners, corners[1:] + corners[:1], strict=True) if len(corners) > 1 else ():
        found.add(Line(*one, *other, strokeWidth=0.6, strokeDashArray=[3, 3]))
    longest_m = max((hypot(*mark.residual_m) for mark in plan.marks if mark.residual_m), default=0.0)
    larger = _round_down(0.15 * min(width, high) / room / longest_m) if longest_m > 0.0 else 0.0
    for mark in plan.marks:
        x, y = at(mark.east_m, mark.north_m)
        found.add(Circle(x, y, 3, strokeWidth=0.8, fillColor="#000000" if mark.used else None))
        if mark.residual_m:
            tip = at(mark.east_m + mark.residual_m[0] * larger, mark.north_m + mark.residual_m[1] * larger)
            found.add(Line(x, y, *tip, strokeWidth=1.8 if mark.flagged else 0.9))
            found.add(Circle(*tip, 1.2, strokeWidth=0.8, fillColor=None))
        # A name lies on white, so that no line runs through it, and on the other side than its arrow.
        name = written(mark.name)
        half, foot = (stringWidth(name, _BOLD, 8.5) / 2, y + 7 if mark.residual_m and mark.residual_m[1] < 0.0 else y - 13)
        found.add(Rect(x - half - 1, foot - 2, 2 * half + 2, 10, strokeWidth=0, strokeColor=None, fillColor=white))
        found.add(String(x - half, foot, name, fontName=_BOLD, fontSize=8.5))
    if larger:
        words = f"residuals (fitted - given), drawn {larger:g} times as long as the plan"
        found.add(String(5, 5, words, fontName=_PLAIN, fontSize=8))
    found.add(Line(width - 14, high - 36, width - 14, high - 16, strokeWidth=0.9))
    for side in (-3, 3):
        found.add(Line(width - 14, high - 16, width - 14 + side, high - 22, strokeWidth=0.9))
    found.add(String(width - 17.5, high - 12, "N", fontName=_BOLD, fontSize=9))
    length = _round_down(width / room / 5 / plan.metres_per_unit)
    long = length * plan.metres_per_unit * room
    found.add(Line(width - 8 - long, 8, width - 8, 8, strokeWidth=1.5))
    found.add(String(width - 8, 12, f"{length:g} {plan.unit}", fontName=_PLAIN, fontSize=8, textAnchor="end"))
    return found


def _round_down(value: float) -> float:
    """Return 1, 2 or 5 times a power of ten, at most the value."""
    power = 10.0
    while power > value:
        power /= 10.0
    while power * 10.0 <= value:
        power *= 10.0
    return next(step * power for step in (5.0, 2.0, 1.0) if step * power <= value)


def _bars(bars: tuple[Bar, ...], width: float) -> Any:
    """Return parted bars; what is too narrow for its name is named below with its share."""
    from reportlab.graphics.shapes import Drawing, Rect, String
    from reportlab.lib.colors import Color

    row = 44.0
    found = Drawing(width, row * len(bars))
    for n, bar in enumerate(bars):
        top, x = row * (len(bars) - n), 0.0
        found.add(String(0, top - 10, written(bar.words), fontName=_PLAIN, fontSize=8.5))
        names = []
        for place, (name, share) in enumerate(part for part in bar.parts if part[1] >= 0.005):
            grey = _GREYS[place % len(_GREYS)]
            found.add(Rect(x, top - 26, share * width, 12, strokeWidth=0.8, fillColor=Color(grey, grey, grey)))
            x += share * width
            names.append(f"{name} {100 * share:.0f} %")
        found.add(String(0, top - 37, written("from left to right: " + ", ".join(names)), fontName=_PLAIN, fontSize=8))
    return found


def _numbered(report: Report) -> Any:
    """Return a canvas that writes each page's head and foot once it is known how many pages there are."""
    from reportlab.lib.pagesizes import A4
    from reportlab.lib.units import mm
    from reportlab.pdfgen.canvas import Canvas

    class Numbered(Canvas):  # type: ignore[misc]
        def __init__(self, *arguments: Any, **more: Any) -> None:
            super().__init__(*arguments, **more)
            self._pages: list[dict[str, Any]] = []

        def showPage(self) -> None:
            self._pages.append(dict(self.__dict__))
            self._startPage()

        def save(self) -> None:
            for number, page in enumerate(self._pages, start=1):
                self.__dict__.update(page)
                self.setFont(_PLAIN, 7.5)
                self.drawString(18 * mm, A4[1] - 14 * mm, written(f"{report.title}, {report.job}"))
                self.drawRightString(A4[0] - 18 * mm, 13 * mm, f"page {number} of {len(self._pages)}")
                self.drawString(18 * mm, 13 * mm, written(f"{report.version}. Evidence, not a certificate."))
                super().showPage()
            super().save()

    return Numbered
