"""What is learned of a receiver where it is used, and kept with it in the kit."""

from __future__ import annotations

import json
from dataclasses import asdict, replace

from sqlalchemy.orm import Session

from openstake.core.evidence import RefersTo
from openstake.core.kit.gear import Receiver
from openstake.derive.kit import gear_rows, refers_to_of
from openstake.store.book import write_entry
from openstake.store.models import GearItem

_WORDS = {RefersTo.APC: "APC", RefersTo.ARP: "ARP", RefersTo.MARK: "mark"}


def keep_refers_to(session: Session, receiver: Receiver, refers_to: RefersTo, now: float) -> None:
    """Keep what a receiver's position refers to where nobody had said it; what was said before is changed in the kit alone."""
    if refers_to_of(receiver) is not None:
        return
    old = next((row for row in gear_rows(session) if row.kind == "receiver" and row.name == receiver.name), None)
    if old is None:
        return
    said = replace(receiver, nmea_refers_to=_WORDS[refers_to])
    row = GearItem(line_id=old.line_id, kind=old.kind, name=old.name, data=json.dumps(asdict(said)), replaces_id=old.id, created_s=now)
    session.add(row)
    session.flush()
    write_entry(session, now, "gear-saved", f"Receiver {receiver.name}: its position refers to the {_WORDS[refers_to]}.", None, gear=row.id)
