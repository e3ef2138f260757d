"""The setup card of a pair: shown, ticked off, printed."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from zoneinfo import ZoneInfo

from sqlalchemy.orm import Session

from openstake.core.errors import NotFoundError
from openstake.core.limits import ShortText
from openstake.core.link.card import Card, setup_card
from openstake.derive.job import job_of
from openstake.derive.kit import profile_of
from openstake.wire.cardpdf import write_card
from openstake.workflow.command import Transaction, carry_out
from openstake.workflow.context import Context, file_name
from openstake.workflow.link.pair import pair_of
from openstake.workflow.ticks import TickRequest, set_tick, ticked_at


@dataclass(frozen=True)
class PairQuery:
    """A pair by the ids of its profiles' versions."""

    base_id: ShortText
    rover_id: ShortText


@dataclass(frozen=True, kw_only=True)
class TickCard(PairQuery):
    """A line of a pair's card to tick off, or to untick."""

    key: ShortText
    done: bool


@dataclass(frozen=True, kw_only=True)
class CardLineView:
    """A line of the card and when it was ticked off."""

    key: str
    words: str
    base: str
    rover: str
    done: bool
    at_s: float | None


@dataclass(frozen=True, kw_only=True)
class CardView:
    """The setup card of a pair, in working order."""

    base: str
    rover: str
    cautions: list[str]
    lines: list[CardLineView]


def _card(session: Session, job_id: str, pair: PairQuery) -> tuple[Card, str]:
    """Return a pair's card, and the list its ticks are kept in: another version of a profile is another card."""
    base, rover = pair_of(session, job_id, pair.base_id, pair.rover_id)
    return setup_card(profile_of(base), profile_of(rover)), f"card:{pair.base_id}:{pair.rover_id}"


def card_view(context: Context, job_id: str, pair: PairQuery) -> CardView:
    """Return the setup card of a pair with its ticks."""
    with context.database.read() as session:
        job_of(session, job_id)
        card, list_name = _card(session, job_id, pair)
        ticks = ticked_at(session, job_id, list_name)
    lines = [
        CardLineView(key=line.key, words=line.words, base=line.base, rover=line.rover, done=line.key in ticks, at_s=ticks.get(line.key))
        for line in card.lines
    ]
    return CardView(base=card.base, rover=card.rover, cautions=list(card.cautions), lines=lines)


def tick_card(context: Context, job_id: str, request: TickCard) -> CardView:
    """Tick a line of a card, or untick it; the Book says when."""

    def work(tx: Transaction) -> None:
        card, list_name = _card(tx.session, job_id, request)
        line = next((line for line in card.lines if line.key == request.key), None)
        if line is None:
            raise NotFoundError("This line is not on the card any more. Look at the card again.")
        set_tick(tx, list_name, TickRequest(request.key, request.done), f"{line.words} (setup card)")

    carry_out(context, job_id, work)
    return card_view(context, job_id, request)


def card_pdf(context: Context, job_id: str, pair: PairQuery) -> tuple[bytes, str, str]:
    """Return the card as one printed page, its media type and its name."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        card, _ = _card(session, job_id, pair)
    moment = datetime.fromtimestamp(context.now(job_id), ZoneInfo(job.settings.time_zone))
    content = write_card(card, job.name, f"{moment:%Y-%m-%d %H:%M} {job.settings.time_zone}")
    return content, "application/pdf", f"{file_name(job.name)}-setup-card.pdf"
