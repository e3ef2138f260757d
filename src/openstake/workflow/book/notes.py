"""What the crew adds to the Book in a few taps: notes, weather, who is on site, photos."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy.orm import Session

from openstake.core.book import degrees_from_text, people_sentence, weather_sentence
from openstake.core.errors import InputError
from openstake.core.limits import ShortText, Text
from openstake.derive.job import JobNow
from openstake.workflow.command import Transaction, command
from openstake.workflow.context import Context
from openstake.workflow.photos import keep_photo


@dataclass(frozen=True)
class NoteWish:
    """A note, and by whom."""

    words: Text
    who: ShortText = ""


@dataclass(frozen=True, kw_only=True)
class WeatherWish:
    """The weather, picked; degrees Celsius as typed, empty where they are not known."""

    sky: ShortText = ""
    falling: ShortText = ""
    wind: ShortText = ""
    degrees: ShortText = ""


@dataclass(frozen=True)
class PeopleWish:
    """Who is on site."""

    names: list[ShortText]


def note(context: Context, job_id: str, wish: NoteWish) -> None:
    """Write a note of the crew."""
    words, who = " ".join(wish.words.split()), " ".join(wish.who.split())
    if not words:
        raise InputError("Write the note.", field="words")
    _write(context, job_id, "note", f"{words}{'' if words[-1] in '.?!' else '.'}{f' {who}.' if who else ''}")


def weather(context: Context, job_id: str, wish: WeatherWish) -> None:
    """Write the weather."""
    _write(context, job_id, "weather", weather_sentence(wish.sky, wish.falling, wish.wind, degrees_from_text(wish.degrees)))


def people(context: Context, job_id: str, wish: PeopleWish) -> None:
    """Write who is on site."""
    _write(context, job_id, "people", people_sentence(wish.names))


def photo(context: Context, job_id: str, name: str, content: bytes) -> None:
    """Put a photo into the Book (JPEG, PNG, WebP or GIF, at most 8 MB)."""

    def owner(session: Session, job: JobNow, now: float) -> tuple[str, str]:
        return job.id, "the Book"

    keep_photo(context, job_id, name, content, owner)


@command()
def _write(tx: Transaction, kind: str, sentence: str) -> None:
    tx.tell(kind, sentence)
