"""A setup card as one printed page (PDF, A4)."""

from __future__ import annotations

import io

from openstake.core.link.card import Card

MOST_LINES = 40


def write_card(card: Card, job: str, printed: str) -> bytes:
    """Return a card as a PDF of one page: cautions on top, both ends side by side, a box to tick at each line."""
    from reportlab.lib.pagesizes import A4
    from reportlab.lib.units import mm
    from reportlab.pdfbase.pdfmetrics import stringWidth
    from reportlab.pdfgen.canvas import Canvas

    out = io.BytesIO()
    page = Canvas(out, pagesize=A4)
    page.setTitle(f"Setup card, {job}")
    width, height = A4
    left, y = 15 * mm, height - 18 * mm

    def fitted(x: float, text: str, size: float, room: float, bold: bool = False) -> None:
        font = "Helvetica-Bold" if bold else "Helvetica"
        while size > 6 and stringWidth(text, font, size) > room:
            size -= 0.5
        page.setFont(font, size)
        page.drawString(x, y, text)

    fitted(left, f"{job}: setup card", 18, width - 2 * left, bold=True)
    y -= 6 * mm
    fitted(left, f"Printed {printed}. The devices decide what is set: read it back.", 9, width - 2 * left)
    for caution in card.cautions:
        y -= 6 * mm
        fitted(left, f"!  {caution}", 10, width - 2 * left, bold=True)
    y -= 10 * mm
    columns = (left + 8 * mm, left + 66 * mm, left + 124 * mm)
    fitted(columns[1], card.base, 12, 54 * mm, bold=True)
    fitted(columns[2], card.rover, 12, 54 * mm, bold=True)
    step = min(9.0 * mm, (y - 18 * mm) / max(len(card.lines), 1))
    for line in card.lines:
        y -= step
        page.setLineWidth(0.4)
        page.line(left, y + 0.72 * step, width - left, y + 0.72 * step)
        page.rect(left, y - 0.5 * mm, 4.2 * mm, 4.2 * mm)
        fitted(columns[0], line.words, 9.5, 56 * mm)
        fitted(columns[1], line.base, 13, 55 * mm, bold=True)
        fitted(columns[2], line.rover, 13, 55 * mm, bold=True)
    y = 11 * mm
    fitted(left, "Evidence, not a certificate: local rules and the licensed surveyor decide.", 8, width - 2 * left)
    page.showPage()
    page.save()
    return out.getvalue()
