"""Setting the base up: what was settled so far, kept step by step, so that it can be resumed anywhere."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass, fields, replace
from typing import Any, Literal, cast

from sqlalchemy.orm import Session

from openstake.core.base_settled import Settled
from openstake.core.base_sources import BY_SOURCE, REMEMBERED
from openstake.core.base_stages import Looked
from openstake.core.errors import ConflictError, InputError, NotFoundError
from openstake.core.evidence import RefersTo
from openstake.core.geodesy.framechange import epoch_year
from openstake.core.limits import LARGEST_STATION_ID
from openstake.core.site import CAUTIONS, LEVEL, QUESTIONS
from openstake.derive.job import JobNow
from openstake.derive.kit import KitNow, kit_of
from openstake.derive.marks import head_of
from openstake.store.book import write_entry
from openstake.store.models import SetUp, new_id
from openstake.store.records.bases import last_setup_row, newest_setup, open_occupation, setup_began_s
from openstake.workflow.command import Transaction, command
from openstake.workflow.context import Context
from openstake.workflow.photos import keep_photo
from openstake.workflow.secrets import ADDRESSES, keep_secrets, parted_addresses
from openstake.workflow.ticks import TickRequest, set_tick, ticked_at

USUAL_STATION_ID = 17


@dataclass(frozen=True, kw_only=True)
class SetUpNow:
    """The set-up in hand: `id` is that of its line, `row_id` of its latest row."""

    id: str
    row_id: str
    settled: Settled
    started_s: float


def setup_in_hand(session: Session, job_id: str) -> SetUpNow | None:
    """Return the set-up that is neither abandoned nor started, the newest of them."""

    row = newest_setup(session, job_id)
    if row is None:
        return None
    first = setup_began_s(session, row.line_id)
    return SetUpNow(id=row.line_id, row_id=row.id, settled=row.data, started_s=first or row.created_s)


def needed_setup(session: Session, job: JobNow, now: float) -> SetUpNow:
    """Return the set-up in hand, begun here where there is none."""
    found = setup_in_hand(session, job.id)
    return found if found is not None else _begin(session, job, now)


def _begin(session: Session, job: JobNow, now: float) -> SetUpNow:
    line_id = new_id()
    kit = kit_of(session, job.id)
    settled = Settled(station_id=_planned_station_id(kit), refers_to=kit.rover_refers_to and kit.rover_refers_to.value)
    session.add(SetUp(id=line_id, line_id=line_id, job_id=job.id, data=settled, created_s=now))
    session.flush()
    write_entry(session, now, "setup-begun", "Set-up of the base begun.", job.id, setup=line_id)
    return SetUpNow(id=line_id, row_id=line_id, settled=settled, started_s=now)


def _planned_station_id(kit: KitNow) -> int:
    planned = [profile.link.station_id for profile in kit.of_role(base=True) if profile.link.station_id is not None]
    return planned[0] if planned else USUAL_STATION_ID


@command()
def settle(tx: Transaction, changes: Mapping[str, Any]) -> None:
    """Keep what was settled; only what is given changes.  Another mark or source drops what belonged to the one before.

    `seen_id` is the row that was looked at: a field that somebody else has changed since is not overwritten.
    """
    addresses, parted = parted_addresses(changes)
    wished = dict(changes) | addresses
    seen_id = wished.pop("seen_id", None)
    job = tx.job
    setup = needed_setup(tx.session, job, tx.now_s)
    _refuse_stale(tx.session, setup, seen_id, wished)
    settled = _changed(tx.session, job, setup.settled, wished)
    # Another address is not sent the password of the one before it.
    another = [field for field in ADDRESSES if getattr(settled, field) != getattr(setup.settled, field)]
    keep_secrets(tx.context, setup.id, dict.fromkeys(another) | parted)
    if settled == setup.settled:
        return
    tx.replace(tx.session.get_one(SetUp, setup.row_id), data=settled)


def _refuse_stale(session: Session, setup: SetUpNow, seen_id: str | None, wished: Mapping[str, Any]) -> None:
    """Raise ConflictError where a field to be changed is not any more what was looked at."""
    seen = session.get(SetUp, seen_id) if seen_id and seen_id != setup.row_id else None
    if seen is None or seen.line_id != setup.id:
        return
    before, now = asdict(seen.data), asdict(setup.settled)
    other = [name for name in wished if before.get(name) != now.get(name) and now.get(name) != wished[name]]
    if other:
        raise ConflictError(
            f"Someone else has settled the {other[0].replace('_', ' ')} in the meantime. Look at the present value and try again.",
            field=other[0],
        )


_TEXTS = ("source", "point_name", "caster_frame", "caster_epoch", "caster_operation")


def _changed(session: Session, job: JobNow, before: Settled, changes: Mapping[str, Any]) -> Settled:
    unknown = set(changes) - {item.name for item in fields(Settled)}
    if unknown:
        raise InputError(f"'{sorted(unknown)[0]}' is not something that a set-up settles.")
    # An empty text settles nothing, as nothing at all does; a source and a point's name are texts themselves.
    wished: dict[str, Any] = dict(changes)
    for name, value in changes.items():
        if value == "" and name not in _TEXTS:
            wished[name] = None
    for name in _TEXTS:
        if name in wished:
            wished[name] = str(wished[name] or "").strip()[:500]
    epoch_year(wished.get("caster_epoch", ""), "caster_epoch")  # what is no year is said at once
    if any(name in wished and wished[name] != getattr(before, name) for name in ("caster_frame", "caster_epoch")):
        wished.setdefault("caster_operation", "")  # it led from the frame that was said before
    _change_place(session, job, before, wished)
    _change_source(before, wished)
    _check_settings(wished)
    return replace(before, **wished)


def _change_place(session: Session, job: JobNow, before: Settled, wished: dict[str, Any]) -> None:
    """Settle a mark of the list or a new point, one of the two; another place drops the source of the one before."""
    if "point_name" in wished:
        wished["point_name"] = " ".join(str(wished["point_name"] or "").split())[:80]
    if wished.get("mark_id"):
        head_of(session, job, str(wished["mark_id"]))
        wished["point_name"] = ""
    elif wished.get("point_name"):
        wished["mark_id"] = None
    moved = any(name in wished and wished[name] != getattr(before, name) for name in ("mark_id", "point_name"))
    if moved and "source" not in wished:
        wished |= {"source": "", "evidence_id": None}


def _change_source(before: Settled, wished: dict[str, Any]) -> None:
    """Settle where the coordinate comes from; another source drops the evidence of the one before."""
    if "source" not in wished:
        return
    source = wished["source"] or ""
    if source and source not in BY_SOURCE and source != REMEMBERED:
        raise InputError(f"'{source[:20]}' is not a source of a base coordinate.", field="source")
    if source != before.source and "evidence_id" not in wished:
        wished["evidence_id"] = None
    wished["source"] = source


def _check_settings(wished: Mapping[str, Any]) -> None:
    station_id, refers_to = wished.get("station_id"), wished.get("refers_to")
    if station_id is not None and not 0 <= int(station_id) <= LARGEST_STATION_ID:
        raise InputError(f"A station ID lies between 0 and 4095; {station_id} does not.", field="station_id")
    if refers_to is not None and refers_to not in set(RefersTo):
        raise InputError("Say whether the rover's position refers to its phase centre, its ARP or the mark.", field="refers_to")


@command()
def drop(tx: Transaction) -> None:
    """Abandon the set-up in hand; its readings, ticks and photos stay in the Book."""
    setup = setup_in_hand(tx.session, tx.job_id)
    if setup is None:
        raise NotFoundError("No base is being set up in this job.")
    tx.replace(tx.session.get_one(SetUp, setup.row_id), data=setup.settled, dropped=True)
    tx.tell("setup-dropped", "The set-up was abandoned before it was started.", setup=setup.id)


@command()
def take_up(tx: Transaction) -> None:
    """Take the set-up that was abandoned last up again."""
    if setup_in_hand(tx.session, tx.job_id) is not None:
        raise ConflictError("A base is being set up already. Abandon that first.")
    row = _given_up(tx.session, tx.job_id)
    if row is None:
        raise NotFoundError("No set-up was abandoned in this job.")
    tx.replace(row, dropped=False)
    tx.tell("setup-taken-up", "The set-up was taken up again.", setup=row.line_id)


def _given_up(session: Session, job_id: str) -> SetUp | None:
    """Return the last row of the set-up that was abandoned last, where nothing has been set up since."""
    latest = last_setup_row(session, job_id)
    return latest if latest is not None and latest.dropped else None


def can_be_taken_up(session: Session, job_id: str) -> bool:
    """Tell whether a set-up was abandoned and nothing has been set up since."""
    return _given_up(session, job_id) is not None


def _setup_id(session: Session, job: JobNow, now: float) -> str:
    """Return the set-up that questions and photos belong to: that of the base that runs, else the one in hand."""
    running = open_occupation(session, job.id)
    if running is not None and running.setup_id is not None:
        return running.setup_id
    return needed_setup(session, job, now).id


def _list_name(setup_id: str) -> str:
    return f"setup:{setup_id}"


@dataclass(frozen=True, kw_only=True)
class QuestionView:
    """One thing to look at, and when it was confirmed."""

    key: str
    group: Literal["site", "level"]
    what: str
    why: str
    done: bool
    at_s: float | None


@command()
def tick(tx: Transaction, request: TickRequest) -> None:
    """Confirm a question of the set-up, or take it back; the Book says when."""
    question = next((item for item in QUESTIONS if item.key == request.key), None)
    if question is None:
        raise NotFoundError("This is not asked of a set-up.")
    setup_id = _setup_id(tx.session, tx.job, tx.now_s)
    set_tick(tx, _list_name(setup_id), request, question.what)


def questions_view(session: Session, job_id: str, setup_id: str | None) -> list[QuestionView]:
    """Return what is asked, and when each was confirmed."""
    ticks = ticked_at(session, job_id, _list_name(setup_id)) if setup_id else {}
    return [
        QuestionView(
            key=item.key,
            group=cast(Literal["site", "level"], item.group),
            what=item.what,
            why=item.why,
            done=item.key in ticks,
            at_s=ticks.get(item.key),
        )
        for item in QUESTIONS
    ]


def looked(questions: list[QuestionView], group: str | None = None) -> Looked:
    """Return how many of the questions, or of one group of them, were looked at."""
    asked = [item for item in questions if group is None or item.group == group]
    return Looked(sum(item.done for item in asked), len(asked))


def unconfirmed(session: Session, job_id: str, setup_id: str) -> list[str]:
    """Return the questions on level and plumb that nobody has confirmed."""
    ticks = ticked_at(session, job_id, _list_name(setup_id))
    return [item.what for item in QUESTIONS if item.group == LEVEL and item.key not in ticks]


def cautions() -> list[str]:
    return list(CAUTIONS)


def add_photo(context: Context, job_id: str, name: str, content: bytes) -> None:
    """Attach a photo (JPEG, PNG, WebP or GIF, at most 8 MB) to the set-up in hand."""

    def owner(session: Session, job: JobNow, now: float) -> tuple[str, str]:
        return _setup_id(session, job, now), "the set-up"

    keep_photo(context, job_id, name, content, owner)
