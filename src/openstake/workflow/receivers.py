"""What is learned of a receiver where it is used, and kept with it in the kit."""

from __future__ import annotations

from dataclasses import asdict, replace

from openstake.core.evidence import RefersTo
from openstake.core.kit.gear import Receiver
from openstake.derive.kit import refers_to_of
from openstake.store.records.kits import gear_rows
from openstake.workflow.command import OF_NO_JOB, Transaction

_WORDS = {RefersTo.APC: "APC", RefersTo.ARP: "ARP", RefersTo.MARK: "mark"}


def keep_refers_to(tx: Transaction, receiver: Receiver, refers_to: RefersTo) -> None:
    """Keep what a receiver's position refers to where nobody had said it; what was said before is changed in the kit alone."""
    if refers_to_of(receiver) is not None:
        return
    old = next((row for row in gear_rows(tx.session) if row.kind == "receiver" and row.name == receiver.name), None)
    if old is None:
        return
    row = tx.replace(old, data=asdict(replace(receiver, nmea_refers_to=_WORDS[refers_to])))
    sentence = f"Receiver {receiver.name}: its position refers to the {_WORDS[refers_to]}."
    tx.of(OF_NO_JOB).tell("gear-saved", sentence, gear=row.id)
