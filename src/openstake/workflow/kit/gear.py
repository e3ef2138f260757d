"""The kit's gear: kept by kind, changed by adding a row, passwords apart."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import asdict
from typing import Any

from sqlalchemy.orm import Session

from openstake.core.describe import fields_shown, typed
from openstake.core.errors import ConflictError, InputError
from openstake.core.kit.gear import BOTTOM, GEAR, GEAR_WORDS, Antenna, Gear
from openstake.store import lines
from openstake.store.book import write_entry
from openstake.store.models import GearItem, new_id
from openstake.wire.antex import read_antex
from openstake.workflow.context import Context
from openstake.workflow.secrets import has_secret, keep_secret

_MISSING = "This thing is not in the kit."


def gear_forms() -> list[dict[str, Any]]:
    """Return every kind of gear with the fields of its form."""
    return [
        {"kind": kind, "word": GEAR_WORDS[kind], "fields": [asdict(field) for field in fields_shown(cls)]}
        for kind, cls in GEAR.items()
    ]


def heads(session: Session) -> list[GearItem]:
    """Return the current rows of all gear that is not withdrawn, by kind and name."""
    rows = session.scalars(lines.heads(GearItem, ~GearItem.withdrawn).order_by(GearItem.name)).all()
    order = list(GEAR)
    return sorted(rows, key=lambda row: order.index(row.kind))


def gear_of(row: GearItem) -> Gear:
    return typed(GEAR[row.kind], json.loads(row.data), None)


def gear_by_name(session: Session) -> dict[tuple[str, str], Gear]:
    """Return the kit by kind and name."""
    return {(row.kind, row.name): gear_of(row) for row in heads(session)}


def list_gear(context: Context) -> list[dict[str, Any]]:
    """Return the kit; of passwords only whether there is one."""
    with context.database.read() as session:
        rows = heads(session)
    return [_view(context, row) for row in rows]


def _view(context: Context, row: GearItem) -> dict[str, Any]:
    return {
        "id": row.id, "kind": row.kind, "name": row.name, "data": json.loads(row.data),
        "has_password": has_secret(context, f"gear:{row.line_id}"),
    }  # fmt: skip


def save_gear(
    context: Context, kind: str, values: Mapping[str, Any], unit: str, replaces_id: str | None = None,
    password: str | None = None,
) -> dict[str, Any]:  # fmt: skip
    """Add a thing, or a row that replaces one; a name is one thing of its kind."""
    if kind not in GEAR:
        raise InputError(f"'{kind[:20]}' is no kind of gear.", field="kind")
    item = typed(GEAR[kind], values, unit)

    def work(session: Session) -> GearItem:
        old = lines.head(session, GearItem, replaces_id, _MISSING) if replaces_id else None
        for other in heads(session):
            if other.kind == kind and other.name == item.name and (old is None or other.id != old.id):
                raise ConflictError(
                    f"{item.name} is in the kit already. Choose another name, or change that one.", field="name"
                )
        row = GearItem(
            line_id=old.line_id if old else new_id(), kind=kind, name=item.name, data=json.dumps(asdict(item)),
            replaces_id=old.id if old else None, created_s=context.now(),
        )  # fmt: skip
        session.add(row)
        session.flush()
        what = "changed" if old else "added"
        write_entry(session, row.created_s, "gear-saved", f"{GEAR_WORDS[kind]}: {item.name} {what}.", None, gear=row.id)
        return row

    row = context.database.write(work)
    keep_secret(context, f"gear:{row.line_id}", password)
    return _view(context, row)


def withdraw_gear(context: Context, item_id: str) -> None:
    """Take a thing out of the kit; profiles that name it keep the name."""

    def work(session: Session) -> None:
        old = lines.head(session, GearItem, item_id, _MISSING)
        now = context.now()
        session.add(
            GearItem(
                line_id=old.line_id, kind=old.kind, name=old.name, data=old.data, withdrawn=True, replaces_id=old.id,
                created_s=now,
            )
        )  # fmt: skip
        write_entry(session, now, "gear-withdrawn", f"{GEAR_WORDS[old.kind]}: {old.name} taken out.", None, gear=old.id)

    context.database.write(work)


def antennas_in(content: bytes) -> dict[str, Any]:
    """Return the receiver antennas of an ANTEX file as values for the form; nothing is stored."""
    reading = read_antex(content)
    found = []
    for item in reading.antennas:
        word = "absolute" if item.absolute else "relative to another antenna"
        calibration = ", ".join(part for part in (f"ANTEX, {word}", item.method, item.date) if part)
        antenna = Antenna(item.type, item.serial, (BOTTOM,), item.centres, calibration)
        found.append(asdict(antenna))
    return {"antennas": found, "satellites": reading.satellites, "refused": reading.refused}
