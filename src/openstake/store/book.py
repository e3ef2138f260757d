"""The Book: an append-only log, one hash chain per device, numbers as canonical text."""

from __future__ import annotations

import hashlib
import json
from dataclasses import dataclass
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from openstake.core.units import counted
from openstake.store.models import BookEntry, Device, OwnDevice

FIRST_HASH = "0" * 64


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
    device = session.scalars(
        select(Device).join(OwnDevice, OwnDevice.device_id == Device.id).order_by(OwnDevice.n.desc()).limit(1)
    ).first()
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
        session, now_s, "restored", f"{why}. The chain before ended at line {sequence} with hash {hash_before[:16]}.", None,
        "machine", old_device=old.id, old_sequence=sequence, old_hash=hash_before,
    )  # fmt: skip


def _last_line(session: Session, device_id: str) -> BookEntry | None:
    query = select(BookEntry).where(BookEntry.device_id == device_id).order_by(BookEntry.sequence.desc())
    return session.scalars(query.limit(1)).first()


def write_entry(
    session: Session, now_s: float, kind: str, sentence: str, job_id: str | None, side: str = "crew", **data: Any
) -> BookEntry:
    """Append one line to this installation's chain within the caller's transaction; `side` is `crew` or `machine`, `data` the ids and numbers."""
    device = device_of(session, now_s)
    last = _last_line(session, device.id)
    previous, sequence = (last.hash, last.sequence + 1) if last else (FIRST_HASH, 1)
    text = canonical(
        {
            "device": device.id, "sequence": sequence, "at_s": round(now_s, 3), "job": job_id, "kind": kind,
            "sentence": sentence, "side": side, "data": data,
        }
    )  # fmt: skip
    entry = BookEntry(
        device_id=device.id, sequence=sequence, job_id=job_id, text=text, previous_hash=previous,
        hash=hash_of(previous, text),
    )  # fmt: skip
    session.add(entry)
    session.flush()
    return entry


@dataclass(frozen=True)
class Verification:
    """Whether every chain is whole, how many lines were read (of a job, where one was asked for), and where the first break is."""

    whole: bool
    entries: int
    devices: int
    last_hash: str
    first_broken: int | None
    sentence: str


def verify(session: Session, job_id: str | None = None) -> Verification:
    """Walk every device's chain and say where it breaks, if it does.

    Of a job, where one is named: its lines are held against their hashes, of all others the links alone.
    """
    devices = session.scalars(select(BookEntry.device_id).distinct()).all()
    count, walked, last_hash = 0, 0, FIRST_HASH
    for device_id in devices:
        previous, expected = FIRST_HASH, 1
        for entry in session.scalars(
            select(BookEntry).where(BookEntry.device_id == device_id).order_by(BookEntry.sequence)
        ):
            theirs = job_id is None or entry.job_id == job_id
            linked = entry.sequence == expected and entry.previous_hash == previous
            if not linked or (theirs and entry.hash != hash_of(previous, entry.text)):
                return Verification(
                    False, count, len(devices), previous, expected,
                    f"The Book is broken at line {expected}: a line was changed, removed or added by other means.",
                )  # fmt: skip
            previous, expected, walked, count = entry.hash, expected + 1, walked + 1, count + theirs
        last_hash = previous
    total = session.scalar(select(func.count()).select_from(BookEntry)) or 0
    return Verification(
        total == walked, count, len(devices), last_hash, None,
        f"The Book is whole: {counted(count, 'line')}. A cut at its end shows only against the last hash noted elsewhere.",
    )  # fmt: skip
