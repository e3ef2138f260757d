"""Readings of a base's height: added, and replaced by others; every point follows."""

from __future__ import annotations

from sqlalchemy.orm import Session

from openstake.core.antenna import MeasuredTo
from openstake.core.errors import ConflictError, InputError, NotFoundError
from openstake.core.limits import TYPED_TWICE_S
from openstake.core.units import text_from_metres
from openstake.derive.base import base_of
from openstake.derive.heights import as_typed, height_row, read_height
from openstake.derive.kit import kit_of
from openstake.store.models import HeightReading, Occupation
from openstake.store.records import lines
from openstake.store.records.bases import latest_occupation, occupation_of_reading, open_occupation
from openstake.store.records.heights import same_reading_since
from openstake.workflow.base.heights import CorrectHeight, NewReading
from openstake.workflow.base.setup import needed_setup
from openstake.workflow.base.standin import tell_standin
from openstake.workflow.base.view import view
from openstake.workflow.command import Transaction, command


@command(view)
def read_base_height(tx: Transaction, request: NewReading) -> None:
    """Add a height reading: before the session to the set-up or the running base, after it to the base that runs or ended last."""
    occupation = open_occupation(tx.session, tx.job_id)
    if request.moment == "after":
        occupation = occupation or latest_occupation(tx.session, tx.job_id)
        if occupation is None:
            raise NotFoundError("No base has run in this job, so there is no closing height.")
    setup_id = occupation.setup_id if occupation else needed_setup(tx.session, tx.job, tx.now_s).id
    add_reading(tx, request, setup_id, occupation)
    if request.moment == "before":
        tell_standin(tx)


@command(view)
def correct_height(tx: Transaction, request: CorrectHeight) -> None:
    """Add a reading that replaces another: every point measured from this base follows; the old one stays in the Book."""
    session, unit, moved = tx.session, tx.job.length_unit, ""
    occupation = occupation_of_reading(session, tx.job_id, request.replaces_id)
    before = base_of(session, occupation).height if occupation else None
    old, row = replace_reading(tx, request)
    if occupation is not None and before is not None and row.moment == "before":
        after = base_of(session, occupation).readings.height("before")
        if after is None:
            raise ConflictError("A running base needs one height reading that is used. Add another one first.")
        by = text_from_metres(after.arp_height_m - before.arp_height_m, unit)
        moved = f" Every point from this base moves by {by} in height."
    corrected = f"corrected to '{row.text}' ({text_from_metres(row.arp_height_m, unit)})"
    tx.tell(
        "base-height-corrected",
        f"Base height '{old.text}' ({text_from_metres(old.arp_height_m, unit)}) "
        f"{'set aside' if row.set_aside else corrected}: {row.reason}.{moved}",
        occupation=occupation.id if occupation else None,
        replaces=old.id,
        height_reading=row.id,
        arp_height_m=row.arp_height_m,
        set_aside=row.set_aside,
    )
    tell_standin(tx)


def add_reading(tx: Transaction, request: NewReading, setup_id: str | None, occupation: Occupation | None) -> None:
    """Store one more reading of a base's height and say so in the Book."""
    unit = tx.job.length_unit
    height = read_height(kit_of(tx.session, tx.job_id), unit, request.reading, request.feature, "base")
    row = height_row(
        height,
        tx.job_id,
        tx.now_s,
        "base",
        setup_id=setup_id,
        occupation_id=occupation.id if occupation else None,
        moment=request.moment,
        who=" ".join(request.who.split())[:80],
    )
    if not request.again:
        _refuse_typed_twice(tx.session, row, height.to)
    tx.add(row)
    tx.tell(
        "base-height-read",
        f"Base height read {request.moment} the session: '{height.text}' to {height.to.in_a_sentence}, ARP "
        f"{text_from_metres(height.arp_height_m, unit)}{f', by {row.who}' if row.who else ''}.",
        height_reading=row.id,
        arp_height_m=height.arp_height_m,
        moment=request.moment,
    )


def _refuse_typed_twice(session: Session, row: HeightReading, to: MeasuredTo) -> None:
    """Raise ConflictError where the same reading was added seconds ago: a second look is asked for, not assumed."""
    same = same_reading_since(session, row, row.created_s - TYPED_TWICE_S)
    if same is not None:
        raise ConflictError(
            f"'{row.text}' to {to.in_a_sentence} was added {row.created_s - same.created_s:.0f} s ago. Is this a second look at the tape?",
            field="again",
        )


def replace_reading(tx: Transaction, request: CorrectHeight) -> tuple[HeightReading, HeightReading]:
    """Store a row that replaces a reading: corrected, set aside, or taken back; returns the old and the new one."""
    if not request.reason.strip():
        raise InputError("Say in a few words why the height is corrected.", field="reason")
    missing = "This reading is not one of this base's."
    old = tx.session.get(HeightReading, request.replaces_id)
    if old is None or old.job_id != tx.job_id or old.subject != "base":
        raise NotFoundError(missing, field="replaces_id")
    lines.head(tx.session, HeightReading, old.id, missing)
    same = {"setup_id": old.setup_id, "occupation_id": old.occupation_id, "moment": old.moment, "who": old.who}
    more = same | {"replaces_id": old.id, "reason": request.reason.strip(), "set_aside": request.set_aside}
    if request.reading is None:
        height = as_typed(old)
    else:
        height = read_height(kit_of(tx.session, tx.job_id), tx.job.length_unit, request.reading, request.feature, "base")
    return old, tx.add(height_row(height, tx.job_id, tx.now_s, "base", **more))
