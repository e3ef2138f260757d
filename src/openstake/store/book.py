"""The Book: an append-only log, one hash chain per device, numbers as canonical text."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass
from typing import Any

from sqlalchemy import ColumnElement, case, func, or_, select
from sqlalchemy.orm import Session

from openstake.core.errors import ConflictError
from openstake.core.units import counted
from openstake.store.models import BookEntry, Device, OwnDevice, SealedLine

FIRST_HASH = "0" * 64
# Under whose name lines are written; empty on the program's own machine, where the crew says it in words.
_BY: ContextVar[str] = ContextVar("by", default="")


@contextmanager
def written_by(who: str) -> Iterator[None]:
    """Write the Book's lines that follow in this thread, and in what it asks of the writer, under a name."""
    token = _BY.set(who)
    try:
        yield
    finally:
        _BY.reset(token)


def writes_by() -> str:
    """Return the name that lines are written under now."""
    return _BY.get()


def canonical(document: dict[str, Any]) -> str:
    """Return JSON with sorted keys and every number as text (repr): the same bytes on every machine."""

    def text(value: Any) -> Any:
        if isinstance(value, bool) or value is None or isinstance(value, str):
            return value
        if isinstance(value, float | int):
            return repr(value)
        if isinstance(value, dict):
            return {key: text(item) for key, item in value.items()}
        return [text(item) for item in value]

    return json.dumps(text(document), sort_keys=True, ensure_ascii=False, separators=(",", ":"))


def hash_of(previous_hash: str, text: str) -> str:
    return hashlib.sha256(f"{previous_hash}\n{text}".encode()).hexdigest()


def device_of(session: Session, now_s: float) -> Device:
    """Return this installation's device, made on first use; after a restore it is the one that was made then."""
    device = session.scalars(select(Device).join(OwnDevice, OwnDevice.device_id == Device.id).order_by(OwnDevice.n.desc()).limit(1)).first()
    return _new_device(session, now_s) if device is None else device


def _new_device(session: Session, now_s: float) -> Device:
    device = Device(created_s=now_s)
    session.add(device)
    session.flush()
    session.add(OwnDevice(device_id=device.id, created_s=now_s))
    session.flush()
    return device


def begin_chain(session: Session, now_s: float, why: str) -> BookEntry:
    """Begin a chain of a new device of this installation, whose first line names where the chain before it ended."""
    old = device_of(session, now_s)
    last = _last_line(session, old.id)
    hash_before, sequence = (last.hash, last.sequence) if last else (FIRST_HASH, 0)
    _new_device(session, now_s)
    return write_entry(
        session,
        now_s,
        "restored",
        f"{why}. The chain before ended at line {sequence} with hash {hash_before[:16]}.",
        None,
        "machine",
        old_device=old.id,
        old_sequence=sequence,
        old_hash=hash_before,
    )


def _last_line(session: Session, device_id: str) -> BookEntry | None:
    query = select(BookEntry).where(BookEntry.device_id == device_id).order_by(BookEntry.sequence.desc())
    return session.scalars(query.limit(1)).first()


def write_entry(session: Session, now_s: float, kind: str, sentence: str, job_id: str | None, side: str = "crew", **data: Any) -> BookEntry:
    """Append one line to this installation's chain within the caller's transaction; `side` is `crew` or `machine`, `data` the ids and numbers.

    What a crew does on a phone stands `by` the name it signed in with.
    """
    device = device_of(session, now_s)
    last = _last_line(session, device.id)
    previous, sequence = (last.hash, last.sequence + 1) if last else (FIRST_HASH, 1)
    by = {"by": _BY.get()} if _BY.get() and side == "crew" else {}
    text = canonical(
        {
            "device": device.id,
            "sequence": sequence,
            "at_s": round(now_s, 3),
            "job": job_id,
            "kind": kind,
            "sentence": sentence,
            "side": side,
            "data": data,
            **by,
        }
    )
    entry = BookEntry(
        device_id=device.id, sequence=sequence, job_id=job_id, text=text, previous_hash=previous, hash=hash_of(previous, text)
    )
    session.add(entry)
    session.flush()
    return entry


@dataclass(frozen=True, kw_only=True)
class Verification:
    """Whether every chain is whole, how many lines were read (of a job, where one was asked for), and where the first break is.

    `sealed`: lines of other clients' jobs, of which a package brought the links alone.
    """

    whole: bool
    entries: int
    sealed: int
    devices: int
    last_hash: str
    first_broken: int | None
    sentence: str


def verify(session: Session, job_id: str | None = None) -> Verification:
    """Walk every device's chain and say where it breaks, if it does.

    Of a job, where one is named: its lines are held against their hashes, of all others the links alone.
    """
    devices = session.scalars(select(BookEntry.device_id).union(select(SealedLine.device_id))).all()
    count, sealed, last_hash = 0, 0, FIRST_HASH
    own, told = set(session.scalars(select(OwnDevice.device_id))), _lines_told(session)
    for device_id in devices:
        walked = _walk(session, device_id, job_id, device_id in own, told.get(device_id, 0))
        count, sealed, last_hash = count + walked.entries, sealed + walked.sealed, walked.last_hash
        if walked.first_broken is not None:
            return Verification(
                whole=False,
                entries=count,
                sealed=sealed,
                devices=len(devices),
                last_hash=last_hash,
                first_broken=walked.first_broken,
                sentence=f"The Book is broken at line {walked.first_broken}: a line was changed, removed or added by other means.",
            )
    beside = f" {counted(sealed, 'line')} of other jobs came sealed." if sealed else ""
    return Verification(
        whole=True,
        entries=count,
        sealed=sealed,
        devices=len(devices),
        last_hash=last_hash,
        first_broken=None,
        sentence=f"The Book is whole: {counted(count, 'line')}.{beside} A cut at its end shows only against the last hash noted elsewhere.",
    )


@dataclass(frozen=True, kw_only=True)
class _Walked:
    entries: int
    sealed: int
    last_hash: str
    first_broken: int | None


def _walk(session: Session, device_id: str, job_id: str | None, own: bool, came: int) -> _Walked:
    """Walk one chain from its first line: what is told, and what is sealed between.

    What this installation wrote itself (`own`) is sealed nowhere, and of others `came` lines with their text: they stay told.
    """
    told = select(BookEntry).where(BookEntry.device_id == device_id).order_by(BookEntry.sequence)
    links = {row.sequence: row for row in session.scalars(select(SealedLine).where(SealedLine.device_id == device_id))}
    previous, expected, count, sealed, lines = FIRST_HASH, 1, 0, 0, 0
    for entry in session.scalars(told):
        while not own and entry.sequence > expected and expected in links and links[expected].previous_hash == previous:
            previous, expected, sealed = links[expected].hash, expected + 1, sealed + 1
        theirs = job_id is None or entry.job_id == job_id
        linked = entry.sequence == expected and entry.previous_hash == previous
        if not linked or (theirs and (entry.hash != hash_of(previous, entry.text) or not _is_told(entry))):
            return _Walked(entries=count, sealed=sealed, last_hash=previous, first_broken=expected)
        previous, expected, count, lines = entry.hash, expected + 1, count + theirs, lines + 1
    while not own and expected in links and links[expected].previous_hash == previous:
        previous, expected, sealed = links[expected].hash, expected + 1, sealed + 1
    past = [sequence for sequence in links if sequence >= expected]
    broken = expected if past or lines < came else None
    return _Walked(entries=count, sealed=sealed, last_hash=previous, first_broken=broken)


def tells_of(said: Any, device_id: str, sequence: int, job_id: str | None) -> bool:
    """Whether what a line's text says is of the row that holds it."""
    try:
        return (said["device"], said["sequence"], said["job"]) == (device_id, str(sequence), job_id)
    except (KeyError, TypeError):
        return False


def _is_told(entry: BookEntry) -> bool:
    try:
        said = json.loads(entry.text)
    except (ValueError, RecursionError):
        return False
    return tells_of(said, entry.device_id, entry.sequence, entry.job_id)


def _lines_told(session: Session) -> dict[str, int]:
    """Return how many lines of each chain have come with their text, by what this installation wrote of its packages."""
    found: dict[str, int] = {}
    for data in _unpacked(session):
        for device_id, (lines, *_) in data["chains"].items():
            found[device_id] = max(found.get(device_id, 0), int(lines))
    return found


def bases_from_elsewhere(session: Session) -> set[str]:
    """Return the occupations that packages brought: they were begun, and are listened to, on another machine."""
    return {occupation_id for data in _unpacked(session) for occupation_id in data["bases"]}


def _unpacked(session: Session) -> list[dict[str, Any]]:
    told = select(BookEntry.text).where(said_in_text("kind") == "unpacked", BookEntry.job_id.is_(None))
    return [json.loads(text)["data"] for text in session.scalars(told)]


def unproven_version(session: Session, job_id: str) -> str:
    """Return which version made the package that a job came with last, where it put no hash over its rows; else nothing."""
    of_job = select(BookEntry.text).where(BookEntry.job_id.is_(None), said_in_text("data.packed_job") == job_id)
    text = session.scalar(of_job.order_by(BookEntry.sequence.desc()).limit(1))
    data = json.loads(text)["data"] if text is not None else {"hashed": True}
    return "" if data.get("hashed") else str(data["version"])


def lost_race(session: Session, what: str, present: Any, holds: str = "") -> ConflictError:
    """Return the error of who changes what somebody else has changed since: it says what holds now, as the Book does.

    `present` is the row that holds: the first line that names it, or what it replaced, is the one that was written with it.
    `holds` says its values where that line does not.
    """
    names = [said_in_text("data").contains(present.id)]
    if present.replaces_id is not None:
        names.append(said_in_text("data.replaces").contains(present.replaces_id))
    query = select(BookEntry.text).where(or_(*names)).order_by(BookEntry.sequence).limit(1)
    text = session.scalar(query)
    if text is None:
        return ConflictError(f"{what} in the meantime. Look at the present value and try again.")
    said = json.loads(text)
    by = f" by {said['by']}" if said.get("by") else ""
    return ConflictError(f"{what} in the meantime{by}: {holds or said['sentence']} Look at it and try again.")


def said_in_text(name: str) -> ColumnElement[Any]:
    """Return a value of a line's text for a query; of a line whose text is no JSON (somebody changed it), none."""
    return case((func.json_valid(BookEntry.text) == 1, func.json_extract(BookEntry.text, f"$.{name}")), else_=None)
