"""The setup card of a pair: shown, ticked off, printed."""

from __future__ import annotations

from dataclasses import asdict
from datetime import datetime
from typing import Any
from zoneinfo import ZoneInfo

from sqlalchemy.orm import Session

from openstake.core.errors import NotFoundError
from openstake.core.link.card import Card, setup_card
from openstake.wire.cardpdf import write_card
from openstake.workflow.context import Context, file_name, job_of
from openstake.workflow.kit import profiles
from openstake.workflow.link.pair import pair_of
from openstake.workflow.ticks import set_tick, ticked_at


def _card(session: Session, job_id: str, base_id: str, rover_id: str) -> tuple[Card, str]:
    """Return a pair's card, and the list its ticks are kept in: another version of a profile is another card."""
    base, rover = pair_of(session, job_id, base_id, rover_id)
    return setup_card(profiles.profile_of(base), profiles.profile_of(rover)), f"card:{base_id}:{rover_id}"


def card_view(context: Context, job_id: str, base_id: str, rover_id: str) -> dict[str, Any]:
    """Return the setup card of a pair with its ticks."""
    with context.database.read() as session:
        job_of(session, job_id)
        card, list_name = _card(session, job_id, base_id, rover_id)
        ticks = ticked_at(session, job_id, list_name)
    return {
        "base": card.base, "rover": card.rover, "cautions": list(card.cautions),
        "lines": [asdict(line) | {"done": line.key in ticks, "at_s": ticks.get(line.key)} for line in card.lines],
    }  # fmt: skip


def tick_card(context: Context, job_id: str, base_id: str, rover_id: str, key: str, done: bool) -> dict[str, Any]:
    """Tick a line of a card, or untick it; the Book says when."""

    def work(session: Session) -> None:
        job_of(session, job_id)
        card, list_name = _card(session, job_id, base_id, rover_id)
        line = next((line for line in card.lines if line.key == key), None)
        if line is None:
            raise NotFoundError("This line is not on the card any more. Look at the card again.")
        set_tick(session, job_id, list_name, key, f"{line.words} (setup card)", done, context.now())

    context.database.write(work)
    context.changed(job_id)
    return card_view(context, job_id, base_id, rover_id)


def card_pdf(context: Context, job_id: str, base_id: str, rover_id: str) -> tuple[bytes, str, str]:
    """Return the card as one printed page, its media type and its name."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        card, _ = _card(session, job_id, base_id, rover_id)
    moment = datetime.fromtimestamp(context.now(), ZoneInfo(job.settings.time_zone))
    content = write_card(card, job.name, f"{moment:%Y-%m-%d %H:%M} {job.settings.time_zone}")
    return content, "application/pdf", f"{file_name(job.name)}-setup-card.pdf"
