"""Days of the Book: their sheets, and their sign-off, which freezes a copy and keeps its hash in the chain."""

from __future__ import annotations

import hashlib
from collections import Counter, defaultdict
from dataclasses import asdict, dataclass
from datetime import date, datetime, time, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from sqlalchemy.orm import Session

from openstake.core.book import KINDS
from openstake.core.errors import ConflictError, InputError, NotFoundError
from openstake.core.limits import ShortText, Text
from openstake.core.units import counted
from openstake.derive import points
from openstake.derive.job import JobNow, job_of
from openstake.store.book import canonical
from openstake.store.models import Shot, SignedDay
from openstake.store.records.booklines import Place, document_of, documents_of_copy, lines_within, signatures, signed_copies, times_of_lines
from openstake.store.records.labels import labels_of
from openstake.store.records.shots import OF_THE_JOB, shots_of_job
from openstake.wire.address import hidden_passwords
from openstake.workflow.command import Transaction, carry_out
from openstake.workflow.context import Context


@dataclass(frozen=True, kw_only=True)
class Signed:
    """A day signed off: by whom, in what words, when; the SHA-256 of the frozen copy, and whether that is still the copy's."""

    id: str
    who: str
    words: str
    at_s: float
    sha256: str
    whole: bool


@dataclass(frozen=True, kw_only=True)
class Day:
    """A day of a job in its time zone: its date, in words, how many lines it has, by whom it was signed off, and what came after."""

    day: str
    words: str
    lines: int
    signed: list[Signed]
    after: int


@dataclass(frozen=True)
class Days:
    """The days of a job, newest first."""

    days: list[Day]


@dataclass(frozen=True)
class DayPart:
    """A part of a day sheet: what it is about, and the lines of the Book that belong there, oldest first."""

    title: str
    lines: list[str]


@dataclass(frozen=True)
class DaySheet:
    """The sheet of a day: who, the weather, base, checks, points, corrections, notes; in the words of the Book."""

    day: Day
    parts: list[DayPart]


@dataclass(frozen=True, kw_only=True)
class FrozenPoint:
    """A point or check as it stood when its day was signed off: grid metres and ellipsoidal height."""

    id: str
    name: str
    kind: str
    code: str
    east_m: float
    north_m: float
    height_m: float


@dataclass(frozen=True)
class SignRequest:
    """A day to sign off, by name; `words` are what the signature stands for."""

    day: ShortText
    who: ShortText
    words: Text = ""


@dataclass(frozen=True, kw_only=True)
class SignOff:
    """A day that was signed off, as later lines are held against it: `place` is where in the Book that was, `ids` what its lines tell
    of, where they were asked for."""

    day: str
    words: str
    who: str
    place: Place
    begins_s: float
    ends_s: float
    ids: frozenset[str]


def bounds_s(job: JobNow, day: str) -> tuple[float, float]:
    """Return when a day of the job's time zone begins and ends, Unix seconds; InputError where it is none."""
    try:
        first = date.fromisoformat(day)
        zone = ZoneInfo(job.settings.time_zone)
        begins, ends = (datetime.combine(item, time(), zone).timestamp() for item in (first, first + timedelta(days=1)))
    except (ValueError, OverflowError):
        raise InputError(f"'{day[:30]}' is not a day: it is written as 2026-11-27.", field="day") from None
    return begins, ends


def _in_words(day: str) -> str:
    found = date.fromisoformat(day)
    return f"{found.day} {found:%B %Y}"


def replaced_by(document: dict[str, Any]) -> list[str]:
    """Return the ids of what a line replaces."""
    replaced = document["data"].get("replaces") or []
    return [replaced] if isinstance(replaced, str) else [item for item in replaced if item]


def ids_of(document: dict[str, Any]) -> set[str]:
    """Return the ids that a line holds."""
    listed = [item for value in document["data"].values() for item in (value if isinstance(value, list) else [value])]
    return {item for item in listed if isinstance(item, str) and len(item) == 36 and item.count("-") == 4}


def _signed(job: JobNow, day: str, who: str, place: Place, copy: str) -> SignOff:
    begins_s, ends_s = bounds_s(job, day)
    return SignOff(day=day, words=_in_words(day), who=who, place=place, begins_s=begins_s, ends_s=ends_s, ids=_ids_in(copy))


def signed_of(session: Session, job: JobNow, with_ids: bool) -> list[SignOff]:
    """Return the days of a job that were signed off, oldest first: one query."""
    copies = signed_copies(session, job.id, with_ids)
    return [_signed(job, day, who, (chain, sequence), copy) for day, who, chain, sequence, copy in copies]


def _ids_in(content: str) -> frozenset[str]:
    """Return the ids that the lines of a frozen copy hold."""
    return frozenset(found for item in documents_of_copy(content) for found in ids_of(item))


def days(context: Context, job_id: str) -> Days:
    """Return the days of a job, newest first, with how many lines each has and who signed it off."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        return Days(_days(session, job))


def _days(session: Session, job: JobNow) -> list[Day]:
    rows = times_of_lines(session, job.id)
    first = {item.day: item for item in reversed(signed_of(session, job, any(replaced for _, _, replaced in rows)))}
    lines: Counter[str] = Counter()
    after: Counter[str] = Counter()
    for place, at_s, replaced in rows:
        day = job.local_time(at_s).date().isoformat()
        lines[day] += 1
        # As on the lines: those of the day itself, and those of any day that replace what it tells of.
        late = [item for item in first.values() if replaced & item.ids] if replaced else []
        for item in {found.day: found for found in (*late, *([first[day]] if day in first else []))}.values():
            after[item.day] += place > item.place
    signed = _signatures(session, job.id)
    return [
        Day(day=day, words=_in_words(day), lines=lines[day], signed=signed[day], after=after[day]) for day in sorted(lines, reverse=True)
    ]


def _signatures(session: Session, job_id: str) -> dict[str, list[Signed]]:
    """Return the signatures of each day; each copy is held against the hash in the Book."""
    found: dict[str, list[Signed]] = defaultdict(list)
    for row, told in signatures(session, job_id):
        sha256 = hashlib.sha256(row.content.encode()).hexdigest()
        found[row.day].append(Signed(id=row.id, who=row.who, words=row.words, at_s=row.created_s, sha256=told, whole=sha256 == told))
    return found


# What stands on a day sheet, part by part, by the kinds of its lines.
_PARTS = (
    ("On site and weather", ("people", "weather")),
    ("Base", ("base-started", "base-ended", "base-height-read", "base-coordinate-replaced", "static-log", "average")),
    ("Checks", KINDS["checks"]),
    ("Local fit", ("fit-applied", "fit-dropped")),
    ("Notes", ("note", "photo")),
)


def sheet(context: Context, job_id: str, day: str) -> DaySheet:
    """Return the sheet of a day: the lines of the Book that a person reads of it, and its points by code."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        return _sheet(session, job, day)


def _sheet(session: Session, job: JobNow, day: str) -> DaySheet:
    begins_s, ends_s = bounds_s(job, day)
    found = next((item for item in _days(session, job) if item.day == day), None)
    if found is None:
        raise NotFoundError(f"The Book has no line of {_in_words(day)}.", field="day")
    documents = [document_of(row) for row in lines_within(session, job.id, begins_s, ends_s)]
    parts = [DayPart(title, [_sentence(item) for item in documents if item["kind"] in kinds]) for title, kinds in _PARTS]
    named = [point for point in _points(session, job, begins_s, ends_s) if point.kind != "check"]
    codes = Counter(point.code or "no code" for point in named)
    if named:
        by_code = ", ".join(f"{code} {count}" for code, count in sorted(codes.items()))
        parts.insert(3, DayPart("Points", [f"{counted(len(named), 'point')}: {by_code}."]))
    corrected = [_sentence(item) for item in documents if replaced_by(item)]
    return DaySheet(found, [part for part in (*parts, DayPart("Corrections", corrected)) if part.lines])


def _sentence(document: dict[str, Any]) -> str:
    by = f" (by {document['by']})" if document.get("by") else ""
    return hidden_passwords(document["sentence"]) + by


def sign(context: Context, job_id: str, request: SignRequest) -> Days:
    """Sign a day off by name: a copy of its lines, its sheet and its points as they stand is frozen, its hash goes into the Book."""
    who, words = " ".join(request.who.split())[:80], request.words.strip()
    if not who:
        raise InputError("Say who signs.", field="who")
    with context.database.read() as session:
        job = job_of(session, job_id)
        begins_s, ends_s = bounds_s(job, request.day)
        if begins_s > context.now(job_id):
            raise ConflictError("This day has not begun.")
        rows = lines_within(session, job.id, begins_s, ends_s)
        content = canonical(
            {
                "job": job.id,
                "name": job.settings.name,
                "day": request.day,
                "who": who,
                "words": words,
                "sheet": asdict(_sheet(session, job, request.day)),
                "points": [asdict(point) for point in _points(session, job, begins_s, ends_s)],
                "lines": [{"sequence": row.sequence, "hash": row.hash, "text": row.text} for row in rows],
            }
        )
    sha256, seen = hashlib.sha256(content.encode()).hexdigest(), [row.id for row in rows]

    def work(tx: Transaction) -> None:
        # The copy was made beside those who write: what came in between is not signed unseen.
        if [row.id for row in lines_within(tx.session, tx.job_id, begins_s, ends_s)] != seen:
            raise ConflictError("Something was written in the meantime. Look at the day again, then sign.")
        line = tx.tell(
            "signed-off",
            f"{_in_words(request.day)} signed off by {who}{f': {words}' if words else ''}.",
            day=request.day,
            content_sha256=sha256,
        )
        tx.session.add(
            SignedDay(job_id=tx.job_id, day=request.day, who=who, words=words, content=content, book_id=line.id, created_s=tx.now_s)
        )

    carry_out(context, job_id, work)
    return days(context, job_id)


def _points(session: Session, job: JobNow, begins_s: float, ends_s: float) -> list[FrozenPoint]:
    """Return the points and checks of a day as they stand, without those that were taken out."""
    shots = shots_of_job(session, job.id, OF_THE_JOB, Shot.created_s >= begins_s, Shot.created_s < ends_s)
    labels = labels_of(session, job.id, [shot.id for shot in shots])
    shots = [shot for shot in shots if shot.id not in labels or not labels[shot.id].taken_out]
    return [
        FrozenPoint(
            id=shot.id,
            name=labels[shot.id].name if shot.id in labels else shot.name,
            kind=shot.kind,
            code=labels[shot.id].code if shot.id in labels else "",
            east_m=point.east_m,
            north_m=point.north_m,
            height_m=point.height_m,
        )
        for shot, point in zip(shots, points.derive_all(session, job, shots), strict=True)
    ]


def frozen(context: Context, job_id: str, signed_id: str) -> str:
    """Return the frozen copy of a day, JSON."""
    with context.database.read() as session:
        row = session.get(SignedDay, signed_id)
        if row is None or row.job_id != job_id:
            raise NotFoundError("There is no such signed day in this job.")
        return row.content
