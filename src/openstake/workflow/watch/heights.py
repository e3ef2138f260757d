"""The rover height under shots that are stored: what was typed, and its correction for one shot or for all it was wrong for."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Literal

from sqlalchemy.orm import Session

from openstake.core.antenna import TypedReading
from openstake.core.base_sources import RESEATED
from openstake.core.errors import ConflictError, InputError, NotFoundError
from openstake.core.evidence import RefersTo
from openstake.core.limits import ShortText, Text
from openstake.core.units import counted, text_from_metres
from openstake.derive.base import base_of
from openstake.derive.heights import as_typed, height_row, read_height
from openstake.derive.job import JobNow, job_of
from openstake.derive.kit import kit_of
from openstake.store.book import lost_race, write_entry
from openstake.store.models import HeightReading, Occupation, Shot
from openstake.store.records import lines
from openstake.store.records.bases import listening_line
from openstake.store.records.labels import labels_of
from openstake.store.records.shots import of_one_pole, pole_lines
from openstake.workflow.command import Transaction, carry_out
from openstake.workflow.context import Context

Scope = Literal["shot", "later", "set-up", "together"]


@dataclass(frozen=True)
class HeightScope:
    """Which shots a correction is for, in words, and how many they are."""

    scope: Scope
    words: str
    count: int


@dataclass(frozen=True, kw_only=True)
class HeightTyped:
    """A rover height as it was typed, metres from the mark to the ARP; `reason` why it took the place of the one before."""

    id: str
    text: str
    feature: str
    feature_label: str
    arp_height_m: float
    reason: str
    created_s: float


@dataclass(frozen=True, kw_only=True)
class RoverHeightView:
    """The rover height under a shot: its readings, the first is the one in force, and which shots a correction can be for.

    `then` is what has to be done after a correction; empty where nothing has to.
    """

    name: str
    readings: list[HeightTyped]
    scopes: list[HeightScope]
    then: str


@dataclass(frozen=True, kw_only=True)
class CorrectRoverHeight:
    """Another rover height in place of the reading `replaces_id`, for the shots of a scope.

    Without a reading each goes back to what it was before its last correction.
    """

    replaces_id: ShortText
    reason: Text
    scope: Scope = "shot"
    reading: ShortText | None = None
    feature: ShortText = ""


@dataclass(frozen=True)
class _OnPole:
    """A shot's row (`id`, `created_s`, `refers_to`, `name`), and its rover height as recorded and as corrected."""

    shot: Any
    line: tuple[HeightReading, ...]

    @property
    def now(self) -> HeightReading:
        return self.line[-1]


def view(context: Context, job_id: str, shot_id: str) -> RoverHeightView:
    """Return the rover height under a shot, its corrections, and the shots that another one can be for."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        shot = _shot(session, job, shot_id)
        on_pole = _same_pole(session, shot)
        mine = next(item for item in on_pole if item.shot.id == shot.id)
        scopes: dict[frozenset[str], HeightScope] = {}
        for scope, words in _WORDS.items():
            ids = frozenset(item.shot.id for item in _of_scope(on_pole, mine, scope))
            if ids:
                scopes.setdefault(ids, HeightScope(scope, words.format(count=len(ids)), len(ids)))
        seats = [item for item in on_pole if item.shot.id == _seat(session, shot)]
        return RoverHeightView(
            name=_names(session, job, [mine])[0],
            readings=[_reading(row) for row in reversed(mine.line)],
            scopes=list(scopes.values()),
            then=f"The base was re-seated by {_names(session, job, seats)[0]}: where that is corrected, re-seat it again." if seats else "",
        )


def _shot(session: Session, job: JobNow, shot_id: str) -> Shot:
    shot = session.get(Shot, shot_id)
    if shot is None or shot.job_id != job.id:
        raise NotFoundError("There is no such shot in this job.")
    return shot


def _same_pole(session: Session, shot: Shot) -> list[_OnPole]:
    """Return the shots of one rover from one set-up, oldest first: its pole is theirs."""
    rover = listening_line(session, shot.occupation_id, shot.listening_id)
    rows = of_one_pole(session, shot.occupation_id, rover)
    known = pole_lines(session, shot.job_id, rows)
    return [_OnPole(row, known[row.height_reading_id]) for row in rows]


_WORDS: dict[Scope, str] = {
    "shot": "this shot",
    "later": "this and later ones typed so from this set-up: {count}",
    "set-up": "all typed so from this set-up: {count}",
    "together": "those corrected together: {count}",
}


def _of_scope(on_pole: Sequence[_OnPole], mine: _OnPole, scope: Scope) -> list[_OnPole]:
    """Return the shots of a scope; empty where it makes no sense for this one."""
    if scope == "shot":
        return [mine]
    if scope == "together":
        if mine.now.replaces_id is None:
            return []
        return [item for item in on_pole if (item.now.created_s, item.now.reason) == (mine.now.created_s, mine.now.reason)]
    typed = lines.value_of(mine.now)
    same = [item for item in on_pole if lines.value_of(item.now) == typed]
    return same if scope == "set-up" else same[same.index(mine) :]


def _seat(session: Session, shot: Shot) -> str | None:
    """Return the shot that the base of a shot was re-seated by, None where it was not."""
    coordinate = base_of(session, session.get_one(Occupation, shot.occupation_id)).coordinate
    return coordinate.evidence_id if coordinate.source == RESEATED else None


def _reading(row: HeightReading) -> HeightTyped:
    return HeightTyped(
        id=row.id,
        text=row.text,
        feature=row.feature,
        feature_label=row.feature_label,
        arp_height_m=row.arp_height_m,
        reason=row.reason,
        created_s=row.created_s,
    )


def _names(session: Session, job: JobNow, items: Sequence[_OnPole]) -> list[str]:
    labels = labels_of(session, job.id, [item.shot.id for item in items])
    return [labels[item.shot.id].name if item.shot.id in labels else item.shot.name for item in items]


def correct(context: Context, job_id: str, shot_id: str, request: CorrectRoverHeight) -> RoverHeightView:
    """Put another rover height under shots, or go back to the one before; the old one stays, the coordinates follow."""
    if not request.reason.strip():
        raise InputError("Say in a few words why the height is corrected.", field="reason")

    def work(tx: Transaction) -> None:
        job = tx.job
        shot = _shot(tx.session, job, shot_id)
        on_pole = _same_pole(tx.session, shot)
        mine = next(item for item in on_pole if item.shot.id == shot.id)
        if request.replaces_id not in {row.id for row in mine.line}:
            raise NotFoundError("This reading is not one of this shot's.", field="replaces_id")
        if request.replaces_id != mine.now.id:
            raise lost_race(tx.session, "The height has been corrected", mine.now)
        typed = None
        if request.reading is not None:
            typed = read_height(kit_of(tx.session, tx.job_id), job.length_unit, request.reading, request.feature, "rover")
        corrected = _of_scope(on_pole, mine, request.scope)
        if not corrected:
            raise ConflictError("This height was never corrected, so nothing was corrected together with it.")
        rows = [_replacing(item, typed, job, request.reason.strip(), tx.now_s) for item in corrected]
        tx.session.add_all(rows)
        tx.session.flush()
        _write(tx.session, job, corrected, rows, tx.now_s)

    carry_out(context, job_id, work)
    return view(context, job_id, shot_id)


def _replacing(item: _OnPole, typed: TypedReading | None, job: JobNow, reason: str, now: float) -> HeightReading:
    """Return the row that replaces a shot's height: by what was typed, else by the one before."""
    if typed is None and len(item.line) == 1:
        raise ConflictError("This height was never corrected, so there is none to go back to.")
    height = as_typed(item.line[-2]) if typed is None else typed
    row = height_row(height, job.id, now, "rover", replaces_id=item.now.id, reason=reason)
    if typed is not None and all(getattr(row, said) == getattr(item.now, said) for said in ("text", "feature", "bare_unit")):
        raise InputError(f"'{typed.text}' is what is there already.", field="reading")
    return row


def _write(session: Session, job: JobNow, corrected: Sequence[_OnPole], rows: Sequence[HeightReading], now: float) -> None:
    """Tell a correction in the Book, in one line for all its shots."""
    unit, old, new = job.length_unit, corrected[0].now, rows[0]
    named = _names(session, job, [corrected[0], corrected[-1]])
    which = named[0] if len(corrected) == 1 else f"{counted(len(corrected), 'shot')}, {named[0]} to {named[1]}"
    up_m = old.arp_height_m - new.arp_height_m
    higher = f"{text_from_metres(abs(up_m), unit)} {'higher' if up_m > 0 else 'lower'}"
    stays = all(item.shot.refers_to == RefersTo.MARK.value for item in corrected)
    moves = "The received positions refer to the mark, so nothing moves." if stays else f"What was measured lies {higher}."
    write_entry(
        session,
        now,
        "rover-height-corrected",
        f"Rover height '{old.text}' ({text_from_metres(old.arp_height_m, unit)}) corrected to '{new.text}' "
        f"({text_from_metres(new.arp_height_m, unit)}) for {which}: {new.reason}. {moves}",
        job.id,
        shots=[item.shot.id for item in corrected],
        replaces=[item.now.id for item in corrected],
        height_readings=[row.id for row in rows],
        arp_height_m=new.arp_height_m,
    )
