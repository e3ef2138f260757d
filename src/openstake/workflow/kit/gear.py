"""The kit's gear: kept by kind, changed by adding a row, passwords apart."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass
from typing import Any

from openstake.core.describe import FieldShown, fields_shown, typed
from openstake.core.errors import ConflictError, InputError
from openstake.core.kit.gear import BOTTOM, GEAR, GEAR_WORDS, TURNED_KINDS, Antenna
from openstake.core.limits import ShortText
from openstake.core.units import LengthUnit
from openstake.derive.poles import PoleTurned, turned_poles
from openstake.store.models import GearItem, new_id
from openstake.store.records import lines
from openstake.store.records.kits import gear_rows
from openstake.wire.antex import read_antex
from openstake.workflow.command import OF_NO_JOB, Transaction, carry_out
from openstake.workflow.context import Context
from openstake.workflow.secrets import has_secret, keep_secret

_MISSING = "This item is not in the kit."


@dataclass(frozen=True)
class GearForm:
    """A kind of gear and the fields of its form."""

    kind: str
    word: str
    fields: tuple[FieldShown, ...]


@dataclass(frozen=True, kw_only=True)
class GearView:
    """A thing of the kit, its values as they are kept; of a password only whether there is one.  `turned`: how a pole stood when it was."""

    id: str
    kind: str
    name: str
    data: dict[str, Any]
    has_password: bool
    turned: str


@dataclass(frozen=True)
class Kit:
    """The kit, and the form of each kind of gear."""

    forms: list[GearForm]
    items: list[GearView]


@dataclass(frozen=True, kw_only=True)
class SaveGear:
    """A thing as typed; `replaces_id` names the row that it replaces."""

    kind: ShortText
    values: dict[str, Any]
    length_unit: LengthUnit = "m"
    replaces_id: ShortText | None = None
    password: ShortText | None = None


@dataclass(frozen=True)
class Antennas:
    """The receiver antennas of an ANTEX file as values of the form, and what was passed over or refused."""

    antennas: list[dict[str, Any]]
    satellites: int
    refused: list[str]


def gear_forms() -> list[GearForm]:
    """Return every kind of gear with the fields of its form."""
    return [GearForm(kind, GEAR_WORDS[kind], fields_shown(cls)) for kind, cls in GEAR.items()]


def list_gear(context: Context) -> Kit:
    """Return the kit; of passwords only whether there is one."""
    with context.database.read() as session:
        rows, turned = gear_rows(session), turned_poles(session)
    return Kit(gear_forms(), [_view(context, row, turned) for row in rows])


def _view(context: Context, row: GearItem, turned: Mapping[str, PoleTurned]) -> GearView:
    data, stood = row.data, turned.get(row.name)
    # A tripod is not turned.
    words = "" if row.kind != "pole" or data["kind"] not in TURNED_KINDS else stood.brief if stood else "never turned"
    return GearView(
        id=row.id, kind=row.kind, name=row.name, data=data, has_password=has_secret(context, f"gear:{row.line_id}"), turned=words
    )


def save_gear(context: Context, request: SaveGear) -> GearView:
    """Add a thing, or a row that replaces one; a name is one thing of its kind."""
    kind, replaces_id = request.kind, request.replaces_id
    if kind not in GEAR:
        raise InputError(f"'{kind[:20]}' is not a kind of gear.", field="kind")
    item = typed(GEAR[kind], request.values, request.length_unit)

    def work(tx: Transaction) -> GearItem:
        old = lines.head(tx.session, GearItem, replaces_id, _MISSING) if replaces_id else None
        for other in gear_rows(tx.session):
            if other.kind == kind and other.name == item.name and (old is None or other.id != old.id):
                raise ConflictError(f"{item.name} is in the kit already. Choose another name, or change that one.", field="name")
        row = GearItem(
            line_id=old.line_id if old else new_id(),
            kind=kind,
            name=item.name,
            data=asdict(item),
            replaces_id=old.id if old else None,
            created_s=tx.now_s,
        )
        tx.add(row)
        what = "changed" if old else "added"
        tx.tell("gear-saved", f"{GEAR_WORDS[kind]}: {item.name} {what}.", gear=row.id)
        return row

    row = carry_out(context, OF_NO_JOB, work)
    keep_secret(context, f"gear:{row.line_id}", request.password)
    with context.database.read() as session:
        return _view(context, row, turned_poles(session))


def withdraw_gear(context: Context, item_id: str) -> None:
    """Take a thing out of the kit; profiles that name it keep the name."""

    def work(tx: Transaction) -> None:
        old = lines.head(tx.session, GearItem, item_id, _MISSING)
        tx.replace(old, withdrawn=True)
        tx.tell("gear-withdrawn", f"{GEAR_WORDS[old.kind]}: {old.name} taken out.", gear=old.id)

    carry_out(context, OF_NO_JOB, work)


def antennas_in(content: bytes) -> Antennas:
    """Return the receiver antennas of an ANTEX file as values for the form; nothing is stored."""
    reading = read_antex(content)
    found = []
    for item in reading.antennas:
        word = "absolute" if item.absolute else "relative to another antenna"
        calibration = ", ".join(part for part in (f"ANTEX, {word}", item.method, item.date) if part)
        antenna = Antenna(name=item.type, serial=item.serial, features=(BOTTOM,), phase_centres=item.centres, calibration=calibration)
        found.append(asdict(antenna))
    return Antennas(found, reading.satellites, reading.refused)
