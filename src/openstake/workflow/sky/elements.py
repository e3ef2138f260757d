"""Elements of satellites brought into a job: navigation files, precise orbits, mean elements; and what was said of the Sun's weather."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import chain

from openstake.core.describe import one_line
from openstake.core.errors import ConflictError, FileError, InputError, NotFoundError
from openstake.core.limits import MOST_ELEMENT_FILE_BYTES, MOST_ELEMENT_FILES, ShortText
from openstake.core.sky.day import kp_words
from openstake.core.units import counted
from openstake.derive.sky import elements_of, remember_elements
from openstake.store.models import ElementFile, ImportedFile
from openstake.store.records import lines
from openstake.store.records.skies import element_files
from openstake.wire.elements import ELEMENT_WORDS, kind_of
from openstake.wire.textlines import lines_in
from openstake.workflow.command import Transaction, carry_out, command
from openstake.workflow.context import Context


@dataclass(frozen=True)
class ElementsQuery:
    """The name of a file that is sent."""

    name: ShortText = ""


@dataclass(frozen=True)
class ElementsLoaded:
    """What a file brought, in words."""

    words: str


@dataclass(frozen=True)
class KpTyped:
    """The planetary index Kp as it was read somewhere: 0 to 9."""

    kp: ShortText


@dataclass(frozen=True)
class KpSaid:
    """What an index means, in words."""

    words: str


def load_elements(context: Context, job_id: str, name: str, content: bytes) -> ElementsLoaded:
    """Take a file of elements into a job: RINEX navigation, SP3, TLE or OMM, packed by gzip or not.  FileError where it is none."""
    name = one_line(name, "A file's name", "name")[:200] or "elements"
    if not content:
        raise FileError(f"{name} is empty.")
    if len(content) > MOST_ELEMENT_FILE_BYTES:
        raise FileError(f"{name} has {len(content) / 1e6:.0f} MB; at most {MOST_ELEMENT_FILE_BYTES >> 20} MB are taken. A day is enough.")
    first = next(lines_in([content], name), "")
    kind = kind_of(first)
    elements = elements_of(content, kind, name)
    found = elements.satellites
    if not found:
        raise FileError(f"{name} holds no satellite's elements that can be used.")

    def work(tx: Transaction) -> str:
        if len(element_files(tx.session, job_id)) >= MOST_ELEMENT_FILES:
            raise ConflictError(f"{MOST_ELEMENT_FILES} files of elements are used already. Take those of other days out first.")
        file = tx.add(ImportedFile(job_id=job_id, name=name, content=content, created_s=tx.now_s))
        row = tx.add(ElementFile(job_id=job_id, name=name, kind=kind, imported_id=file.id, withdrawn=False, created_s=tx.now_s))
        words = f"{name}: {ELEMENT_WORDS[kind]} of {counted(len(found), 'satellite')}."
        tx.once_stored(lambda: remember_elements(row.id, elements))
        tx.tell("elements-loaded", f"Elements loaded. {words}", elements=row.id)
        return words

    said = carry_out(context, job_id, work)
    return ElementsLoaded(" ".join(chain([said], (item.sentence for item in elements.findings))))


@command()
def take_out_elements(tx: Transaction, file_id: str) -> None:
    """Use a file of elements no more; it stays in the job."""
    row = lines.head(tx.session, ElementFile, file_id, "This file is not used any more.")
    if row.job_id != tx.job_id or row.withdrawn:
        raise NotFoundError("This file is not used any more.")
    tx.replace(row, withdrawn=True)
    tx.tell("elements-taken-out", f"Elements of {row.name} are not used any more.", elements=row.id)


def note_kp(context: Context, job_id: str, request: KpTyped) -> KpSaid:
    """Write the planetary index Kp into the Book with what it means; it changes no number."""
    text = request.kp.strip().lower().replace(",", ".")
    # Thirds are said with a sign: 4-, 4o, 4+.
    third = {"-": -1.0 / 3.0, "+": 1.0 / 3.0, "o": 0.0}.get(text[-1:])
    try:
        kp = float(text if third is None else text[:-1]) + (third or 0.0)
    except ValueError:
        raise InputError(f"'{request.kp.strip()[:20]}' is not an index Kp: type 4, 4.33 or 4+.", field="kp") from None
    if not 0.0 <= kp <= 9.0:
        raise InputError("Kp lies between 0 and 9.", field="kp")
    words = f"Kp {request.kp.strip()}: {kp_words(kp)}."
    carry_out(context, job_id, lambda tx: tx.tell("kp", words))
    return KpSaid(words)
