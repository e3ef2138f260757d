"""Rovers on a base: one more beside the first, or one less; a new initialisation asked for."""

from __future__ import annotations

from dataclasses import dataclass

from openstake.core.errors import ConflictError, InputError, NotFoundError
from openstake.core.evidence import RefersTo
from openstake.core.kit.gear import Gear, Receiver
from openstake.core.limits import ShortText
from openstake.derive.heights import rover_arp_to_apc_m
from openstake.derive.job import JobNow, job_of
from openstake.derive.kit import kit_of, refers_to_of
from openstake.live.session import RunningSession
from openstake.store.models import Listening, Occupation
from openstake.store.records import lines
from openstake.store.records.bases import further_rovers, listening_of, needed_occupation
from openstake.workflow.command import Transaction, carry_out, command
from openstake.workflow.context import Context, PracticeField
from openstake.workflow.listening import rover_address
from openstake.workflow.receivers import keep_refers_to
from openstake.workflow.secrets import checked_address, keep_secrets

MOST_ROVERS = 8


@dataclass(frozen=True)
class NewRover:
    """One more rover: its receiver's name in the kit, its address, and what its position refers to (as the kit has it)."""

    name: ShortText
    url: ShortText = ""
    refers_to: RefersTo | None = None


@dataclass(frozen=True)
class RoverNamed:
    """Which rover: the first one where none is named."""

    rover_id: ShortText = ""


@dataclass(frozen=True)
class InitialiseSaid:
    """What was done: on a stand-in it happens, on a real device the crew does it."""

    words: str


def _running(context: Context, occupation: Occupation) -> RunningSession:
    running = context.running.session(occupation.id)
    if running is None:
        raise ConflictError("Nothing is listened to: start the base first.")
    return running


def _practice(context: Context, job: JobNow) -> PracticeField | None:
    return context.practice if job.practice else None


def add_rover(context: Context, job_id: str, request: NewRover) -> RoverNamed:
    """Listen to one more rover on the base that runs."""
    name = request.name.strip()
    if not name:
        raise ConflictError("Choose the receiver: two rovers are told apart by its name.", field="name")
    with context.running.of_job(job_id):
        with context.database.read() as session:
            job, kit = job_of(session, job_id), kit_of(session, job_id)
            occupation = needed_occupation(session, job_id)
        running, practice = _running(context, occupation), _practice(context, job)
        url = practice.further_rover() if practice is not None and not request.url.strip() else request.url.strip()
        address, password = checked_address(url, "url")
        receiver = kit.gear.get(("receiver", name))
        refers_to = request.refers_to or _said(receiver, name)
        above = rover_arp_to_apc_m(kit) if refers_to is RefersTo.APC else None

        def work(tx: Transaction) -> Listening:
            session = tx.session
            there = further_rovers(session, occupation.id)
            first = listening_of(session, occupation.id)
            if len(there) + 1 >= MOST_ROVERS:
                raise ConflictError(f"{MOST_ROVERS} rovers are listened to already. Take one away first.")
            if name in {first.device, *(row.device for row in there)}:
                raise ConflictError(f"{name} is listened to already. Choose the other receiver.", field="name")
            if address in {first.rover_url, *(row.rover_url for row in there)}:
                raise ConflictError("That address is listened to already, as another rover.", field="url")
            row = Listening(
                occupation_id=occupation.id,
                base_url=None,
                rover_url=address,
                receiver_url=None,
                refers_to=refers_to.value,
                arp_to_apc_m=above,
                device=name,
                further=True,
                started_s=tx.now_s,
            )
            tx.add(row)
            if isinstance(receiver, Receiver):
                keep_refers_to(tx, receiver, refers_to)
            if password:
                keep_secrets(context, row.id, {"rover_url": password})
            tx.tell("rover-added", f"Rover {name} is listened to at {address}.", listening=row.id)
            tx.once_stored(lambda: running.add_rover(rover_address(context, row, practice)))
            return row

        return RoverNamed(carry_out(context, job_id, work).id)


def _said(receiver: Gear | None, name: str) -> RefersTo:
    """Return what a receiver's position refers to, as the kit has it; InputError where it has not been said."""
    said = refers_to_of(receiver) if isinstance(receiver, Receiver) else None
    if said is None:
        raise InputError(f"Say what the position of {name} refers to. It is asked once and kept in the kit.", field="refers_to")
    return said


@command(alone=True)
def drop_rover(tx: Transaction, request: RoverNamed) -> None:
    """Listen to a further rover no more; what it brought stays."""
    missing = "There is no such rover on this base."
    occupation = needed_occupation(tx.session, tx.job_id)
    running = tx.context.running.session(occupation.id)
    rover = None if running is None else running.rover(request.rover_id)
    if rover is not None and rover.shot is not None:
        raise ConflictError("A shot of this rover is being recorded. Wait for its end, or drop it.")
    row = lines.head(tx.session, Listening, request.rover_id, missing)
    if row.occupation_id != occupation.id or not row.further or row.withdrawn:
        raise NotFoundError(missing)
    tx.replace(row, withdrawn=True)
    tx.tell("rover-dropped", f"Rover {row.device} is no longer listened to.", listening=row.id)
    if running is not None:
        tx.once_stored(lambda: running.drop_rover(request.rover_id))


def initialise_anew(context: Context, job_id: str, request: RoverNamed) -> InitialiseSaid:
    """Compare where the pole stands now with the next initialisation; a stand-in begins one at once."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        occupation = needed_occupation(session, job_id)
    running = _running(context, occupation)
    rover = running.rover(request.rover_id or None)
    if rover is None:
        raise NotFoundError("There is no such rover on this base.")
    if not running.initialise_anew(rover.id):
        raise ConflictError("Hold the pole still on a fixed solution first: then there is something to compare with.")
    practice = _practice(context, job)
    who = "The crew" if practice is None else "The stand-in"
    of_rover = f" of {rover.name}" if rover.name else ""
    carry_out(context, job_id, lambda tx: tx.tell("initialise-anew", f"{who} re-initialises the fix{of_rover}; the pole stands."))
    if practice is not None:
        practice.initialise_anew(rover.id != running.rover_ids[0])
        return InitialiseSaid("The stand-in has dropped all satellites. Hold still: the fixes are compared when it is back.")
    return InitialiseSaid("Now make the receiver drop its fix, and hold still: the fixes are compared when it is back.")
