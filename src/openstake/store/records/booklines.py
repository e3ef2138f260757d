"""Lines of the Book as they are read: in their order, by words, kind, day and what they tell of; and the days that were signed."""

from __future__ import annotations

import json
from collections.abc import Collection, Sequence
from typing import Any

from sqlalchemy import ColumnElement, Float, Row, Select, cast, literal, or_, select, tuple_
from sqlalchemy.orm import Session

from openstake.store.book import said_in_text
from openstake.store.models import BookEntry, Device, SignedDay

# Lines of one chain are in order of their numbers; a later installation's chain comes after that of the one before it.
Place = tuple[float, int]
_ORDER = (Device.created_s, BookEntry.sequence)
_NEWEST_FIRST = tuple(column.desc() for column in _ORDER)
_AT_S = cast(said_in_text("at_s"), Float)


def _lines(job_id: str, *where: ColumnElement[bool]) -> Select[BookEntry]:
    return select(BookEntry).join(Device, Device.id == BookEntry.device_id).where(BookEntry.job_id == job_id, *where)


def having(words: str) -> ColumnElement[bool]:
    """Return what makes a line one that says some words."""
    return said_in_text("sentence").icontains(words, autoescape=True)


def of_kinds(kinds: Collection[str]) -> ColumnElement[bool]:
    """Return what makes a line one of some kinds."""
    return said_in_text("kind").in_(kinds)


def that_correct() -> ColumnElement[bool]:
    """Return what makes a line one that puts something in place of what was there."""
    return said_in_text("data.replaces").is_not(None)


def within(begins_s: float, ends_s: float) -> tuple[ColumnElement[bool], ...]:
    """Return what makes a line one of a stretch of time, Unix seconds."""
    return begins_s <= _AT_S, ends_s > _AT_S


def line_of(session: Session, job_id: str, line_id: str) -> BookEntry | None:
    """Return a line of a job."""
    row = session.get(BookEntry, line_id)
    return row if row is not None and row.job_id == job_id else None


def chain_begins_s(session: Session) -> dict[str, float]:
    """Return when each installation's chain was begun, Unix seconds, by the installation."""
    return {device.id: device.created_s for device in session.scalars(select(Device))}


def lines_page(session: Session, job_id: str, where: Sequence[ColumnElement[bool]], after: str, most: int) -> list[BookEntry]:
    """Return lines of a job, newest first: those before the line `after`, where one is named."""
    found, last = _lines(job_id, *where), session.get(BookEntry, after) if after else None
    if last is not None:
        found = found.where(tuple_(*_ORDER) < _place_of(session, last))
    return list(session.scalars(found.order_by(*_NEWEST_FIRST).limit(most)))


def _place_of(session: Session, row: BookEntry) -> Place:
    return session.get_one(Device, row.device_id).created_s, row.sequence


def lines_within(session: Session, job_id: str, begins_s: float, ends_s: float) -> Sequence[BookEntry]:
    """Return the lines of a stretch of time, in order."""
    return session.scalars(_lines(job_id, *within(begins_s, ends_s)).order_by(*_ORDER)).all()


def first_holding(session: Session, job_id: str, ids: Sequence[str]) -> list[BookEntry]:
    """Return the lines that told of each of some ids first, in the order of the ids: a query each."""
    found: dict[str, BookEntry] = {}
    for item in ids:
        row = session.scalars(_lines(job_id, BookEntry.text.contains(item)).order_by(*_ORDER).limit(1)).first()
        if row is not None:
            found[row.id] = row
    return list(found.values())


def holding_after(session: Session, line: BookEntry, ids: Collection[str], most: int) -> list[BookEntry]:
    """Return the newest lines of a line's job that come after it and hold any of some ids."""
    if not ids or line.job_id is None:
        return []
    named = or_(*(BookEntry.text.contains(item) for item in ids))
    later = _lines(line.job_id, named, tuple_(*_ORDER) > _place_of(session, line))
    return list(session.scalars(later.order_by(*_NEWEST_FIRST).limit(most)))


def texts_with_addresses(session: Session, job_id: str) -> Sequence[Row[int, str]]:
    """Return the numbers and texts of lines that may hold an address with a password, in order."""
    like = _lines(job_id, BookEntry.text.like("%://%:%@%"))
    return session.execute(like.with_only_columns(BookEntry.sequence, BookEntry.text).order_by(*_ORDER)).all()


def document_of(line: BookEntry) -> dict[str, Any]:
    """Return what a line says."""
    found: dict[str, Any] = json.loads(line.text)
    return found


def documents_of_copy(content: str) -> list[dict[str, Any]]:
    """Return what the lines of a signed day's frozen copy say; none of an empty one."""
    return [json.loads(item["text"]) for item in json.loads(content)["lines"]] if content else []


def times_of_lines(session: Session, job_id: str) -> list[tuple[Place, float, frozenset[str]]]:
    """Return of all lines but signatures: their place in the Book, when, and the ids that they replace."""
    told = _lines(job_id, said_in_text("kind") != "signed-off")
    rows = session.execute(told.with_only_columns(*_ORDER, _AT_S, said_in_text("data.replaces")))
    return [((chain, sequence), at_s, _ids_of(replaces)) for chain, sequence, at_s, replaces in rows]


def _ids_of(replaces: str | None) -> frozenset[str]:
    """Return the ids in what a line replaces: one, or a JSON list."""
    if not replaces:
        return frozenset()
    return frozenset(json.loads(replaces) if replaces[:1] == "[" else [replaces])


def signed_copies(session: Session, job_id: str, with_content: bool) -> Sequence[Row[str, str, float, int, str]]:
    """Return the signed days of a job, oldest first: day, who, the place of the signature in the Book, the frozen copy or an empty text."""
    query = (
        select(SignedDay.day, SignedDay.who, *_ORDER, SignedDay.content if with_content else literal(""))
        .join(BookEntry, BookEntry.id == SignedDay.book_id)
        .join(Device, Device.id == BookEntry.device_id)
        .where(SignedDay.job_id == job_id)
        .order_by(SignedDay.created_s)
    )
    return session.execute(query).all()


def signatures(session: Session, job_id: str) -> Sequence[Row[SignedDay, str]]:
    """Return the signed days of a job, oldest first, each with the SHA-256 of its copy as the Book tells it."""
    query = (
        select(SignedDay, said_in_text("data.content_sha256"))
        .join(BookEntry, BookEntry.id == SignedDay.book_id)
        .where(SignedDay.job_id == job_id)
        .order_by(SignedDay.created_s)
    )
    return session.execute(query).all()
