"""The lines of a job: newest first, found by words, by what they are about and by day; what one says, and what it replaced."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Literal

from sqlalchemy import ColumnElement, Row, not_
from sqlalchemy.orm import Session

from openstake.core.book import GROUPS, KINDS, WEATHER, Group, Weather
from openstake.core.errors import NotFoundError
from openstake.core.limits import ShortText
from openstake.derive.job import JobNow, job_of
from openstake.store.book import Verification, verify
from openstake.store.models import BookEntry
from openstake.store.records.booklines import (
    Place,
    chain_begins_s,
    document_of,
    first_holding,
    having,
    holding_after,
    line_of,
    lines_page,
    of_kinds,
    texts_with_addresses,
    that_correct,
    within,
)
from openstake.wire.address import hidden_passwords, holds_password
from openstake.workflow.book.days import SignOff, bounds_s, ids_of, replaced_by, signed_of
from openstake.workflow.context import Context

MOST_LINES = 500
_MOST_BEFORE = 10


@dataclass(frozen=True, kw_only=True)
class BookQuery:
    """`after` is where the last page ended; `text` words that a line has; `group` what it is about; `day` as 2026-11-27."""

    after: ShortText = ""
    text: ShortText = ""
    group: Group | Literal[""] = ""
    day: ShortText = ""


@dataclass(frozen=True, kw_only=True)
class BookLine:
    """One line of the Book, by the crew or by the program.

    `corrects`: it puts something in place of what was there; `after_sign_off` by whom and when its day was signed off before it;
    `photo_id` the photo that it tells of.
    """

    id: str
    sequence: int
    at_s: float
    kind: str
    sentence: str
    side: Literal["crew", "machine"]
    by: str
    hash: str
    corrects: bool
    after_sign_off: str
    photo_id: str | None


@dataclass(frozen=True)
class GroupWords:
    """What lines can be about, in words."""

    group: Group
    words: str


@dataclass(frozen=True, kw_only=True)
class BookView:
    """A page of a job's lines, newest first; `verification` comes with the first page of all lines, `next` asks for the lines before.

    `passwords` says, with that page, that lines hold one: it is hidden here, and cannot be taken out of the Book.
    """

    lines: list[BookLine]
    next: str | None
    verification: Verification | None
    passwords: str
    groups: tuple[GroupWords, ...] = tuple(GroupWords(group, words) for group, words in GROUPS)
    weather: Weather = WEATHER


@dataclass(frozen=True)
class LineNumber:
    """A value that a line holds, by its name."""

    name: str
    value: str


@dataclass(frozen=True, kw_only=True)
class LineSeen:
    """A line in full: its values, the hash before it, what was told before of what it replaces, and what replaced it later."""

    line: BookLine
    previous_hash: str
    numbers: list[LineNumber]
    before: list[BookLine]
    after: list[BookLine]


def view(context: Context, job_id: str, query: BookQuery) -> BookView:
    """Return a page of a job's lines, newest first, and with the first page of all whether the whole Book is whole."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        rows = lines_page(session, job_id, _filters(job, query), query.after, MOST_LINES + 1)
        asked_for_part = bool(query.after or query.text or query.group or query.day)
        verification = None if asked_for_part else verify(session)
        telling = [] if asked_for_part else texts_with_addresses(session, job_id)
        lines = _lines(session, job, rows[:MOST_LINES])
    following = rows[MOST_LINES - 1].id if len(rows) > MOST_LINES else None
    words = query.text.strip().lower()
    # A password that is hidden is not found by its letters either.
    return BookView(
        lines=[line for line in lines if words in line.sentence.lower()],
        next=following,
        verification=verification,
        passwords=_passwords_words(telling),
    )


def _filters(job: JobNow, query: BookQuery) -> list[ColumnElement[bool]]:
    where: list[ColumnElement[bool]] = []
    if words := query.text.strip():
        where.append(having(words))
    if query.group == "corrections":
        where.append(that_correct())
    elif query.group == "rover":
        where.append(not_(of_kinds([kind for kinds in KINDS.values() for kind in kinds])))
    elif query.group:
        where.append(of_kinds(KINDS[query.group]))
    if query.day:
        where += within(*bounds_s(job, query.day))
    return where


def _passwords_words(rows: Sequence[Row[int, str]]) -> str:
    numbers = [str(sequence) for sequence, text in rows if holds_password(text)]
    if not numbers:
        return ""
    which = f"Line {numbers[0]} holds" if len(numbers) == 1 else f"{len(numbers)} lines (the first is {numbers[0]}) hold"
    return (
        f"{which} a caster's password that an earlier version wrote with its address. A line of the Book cannot be unsaid: "
        "it is hidden here, and stands in the data folder. Change the password at the caster."
    )


def _lines(session: Session, job: JobNow, rows: Sequence[BookEntry]) -> list[BookLine]:
    """Return lines as they are shown: two queries."""
    documents = [document_of(row) for row in rows]
    chains = chain_begins_s(session)
    signed = signed_of(session, job, any(map(replaced_by, documents)))
    return [
        BookLine(
            id=row.id,
            sequence=row.sequence,
            at_s=float(said["at_s"]),
            kind=said["kind"],
            sentence=hidden_passwords(said["sentence"]),
            side=said["side"],
            by=str(said.get("by", "")),
            hash=row.hash,
            corrects=bool(replaced_by(said)),
            after_sign_off=_after(signed, (chains[row.device_id], row.sequence), said),
            photo_id=said["data"].get("photo"),
        )
        for row, said in zip(rows, documents, strict=True)
    ]


def _after(signed: Sequence[SignOff], place: Place, document: dict[str, Any]) -> str:
    """Return by whom, and when, the day that a line belongs to or changes was signed off before it; empty where it was not."""
    replaced, at_s = set(replaced_by(document)), float(document["at_s"])
    late = [
        item
        for item in signed
        if place > item.place and document["kind"] != "signed-off" and (item.begins_s <= at_s < item.ends_s or replaced & item.ids)
    ]
    return f"after sign-off of {late[-1].words} by {late[-1].who}" if late else ""


def line(context: Context, job_id: str, line_id: str) -> LineSeen:
    """Return a line in full, with the lines before that told what it replaces, and those that replaced what it told."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        row = line_of(session, job_id, line_id)
        if row is None:
            raise NotFoundError("There is no such line in this job's Book.")
        document = document_of(row)
        replaced = replaced_by(document)
        own = [value for value in ids_of(document) if value not in replaced]
        before = first_holding(session, job_id, replaced[:_MOST_BEFORE])
        later = holding_after(session, row, sorted(own)[:_MOST_BEFORE], _MOST_BEFORE)
        after = [item for item in later if set(replaced_by(document_of(item))) & set(own)]
        shown = _lines(session, job, [row, *before, *after])
    values = [LineNumber(name.replace("_", " "), _value(value)) for name, value in document["data"].items() if value not in (None, [])]
    return LineSeen(
        line=shown[0], previous_hash=row.previous_hash, numbers=values, before=shown[1 : 1 + len(before)], after=shown[1 + len(before) :]
    )


def _value(value: Any) -> str:
    return ", ".join(str(item) for item in value) if isinstance(value, list) else hidden_passwords(str(value))
