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
class NoteRequest:
    """A note, and by whom."""

    words: Text
    who: ShortText = ""


@dataclass(frozen=True, kw_only=True)
class WeatherRequest:
    """The weather, picked; degrees Celsius as typed, empty where they are not known."""

    sky: ShortText = ""
    falling: ShortText = ""
    wind: ShortText = ""
    degrees: ShortText = ""


@dataclass(frozen=True)
class PeopleRequest:
    """Who is on site."""

    names: list[ShortText]


def note(context: Context, job_id: str, request: NoteRequest) -> None:
    """Write a note of the crew."""
    words, who = " ".join(request.words.split()), " ".join(request.who.split())
    if not words:
        raise InputError("Write the note.", field="words")
    _write(context, job_id, "note", f"{words}{'' if words[-1] in '.?!' else '.'}{f' {who}.' if who else ''}")


def weather(context: Context, job_id: str, request: WeatherRequest) -> None:
    """Write the weather."""
    _write(context, job_id, "weather", weather_sentence(request.sky, request.falling, request.wind, degrees_from_text(request.degrees)))


def people(context: Context, job_id: str, request: PeopleRequest) -> None:
    """Write who is on site."""
    _write(context, job_id, "people", people_sentence(request.names))


def photo(context: Context, job_id: str, name: str, content: bytes) -> None:
    """Put a photo into the Book (JPEG, PNG, WebP or GIF, at most 8 MB)."""

    def owner(session: Session, job: JobNow, now: float) -> tuple[str, str]:
        return job.id, "the Book"

    keep_photo(context, job_id, name, content, owner)


@command()
def _write(tx: Transaction, kind: str, sentence: str) -> None:
    tx.tell(kind, sentence)
