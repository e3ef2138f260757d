"""The link: do two ends agree, and does the stream fit."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass, replace
from typing import Annotated, Literal

from annotated_types import Ge, Le
from sqlalchemy.orm import Session

from openstake.core.errors import ConflictError, InputError
from openstake.core.kit.profile import Profile
from openstake.core.limits import ShortText
from openstake.core.link.agree import SETTINGS, End, value_of
from openstake.core.link.airload import part_from_text, satellites_from_text, stream_of_messages
from openstake.derive.job import JobNow, job_of
from openstake.derive.kit import KitNow, chosen_rows, kit_of, profile_of
from openstake.derive.sky import base_counts
from openstake.store.models import ProfileVersion
from openstake.wire.profile import profile_as_json
from openstake.workflow.command import carry_out
from openstake.workflow.context import Context
from openstake.workflow.link.ends import Agreement, Chirp, Load, agreement, end_of_document, load_of
from openstake.workflow.versions import typed_version

# What stands above a mask of 10 degrees on a usual day (common practice, no source).
USUAL_SATELLITES = "G10,R8,E9,C12"
USUAL_SIGNALS = 2


@dataclass(frozen=True, kw_only=True)
class Pair(Agreement):
    """The agreement of the job's base with one of its rovers, with the ids of both profiles."""

    base_id: str
    rover_id: str


@dataclass(frozen=True, kw_only=True)
class LinkQuery:
    """What to expect in the sky; spreading factor, bandwidth and coding of a chirp link in place of the profile's rate."""

    satellites: ShortText = ""
    signals: Annotated[int, Ge(1), Le(8)] = USUAL_SIGNALS
    duty_limit: ShortText = ""
    spreading_factor: Annotated[int, Ge(5), Le(12)] | None = None
    bandwidth_khz: Annotated[float, Ge(1), Le(2000)] | None = None
    coding_denominator: Annotated[int, Ge(5), Le(8)] | None = None

    @property
    def chirp(self) -> Chirp | None:
        if self.spreading_factor and self.bandwidth_khz and self.coding_denominator:
            return Chirp(self.spreading_factor, self.bandwidth_khz, self.coding_denominator)
        return None


@dataclass(frozen=True, kw_only=True)
class LinkView:
    """The pair sheets of the job's base with its rovers, and the load of what it sends.

    `satellites` are those that the load is of, `satellites_words` say where they come from.
    """

    base: str | None
    other_bases: list[str]
    pairs: list[Pair]
    air: Load | None
    satellites: str
    satellites_words: str
    signals: int


@dataclass(frozen=True, kw_only=True)
class Mend:
    """A setting of a pair in which one end takes the other's value."""

    field: ShortText
    take: Literal["base", "rover"]
    base_id: ShortText
    rover_id: ShortText


# The Link page

_AS_THE_PROFILES_SAY = LinkQuery()


def chosen_ends(session: Session, job_id: str) -> tuple[list[ProfileVersion], list[ProfileVersion]]:
    """Return the job's base profiles and its rover profiles, newest versions."""
    rows = chosen_rows(session, job_id)
    return [row for row in rows if row.role == "base"], [row for row in rows if row.role != "base"]


def _end(row: ProfileVersion) -> End:
    return end_of_document(profile_as_json(profile_of(row)), row.name)


def view(context: Context, job_id: str, query: LinkQuery = _AS_THE_PROFILES_SAY) -> LinkView:
    """Return the pair sheet of the job's base with each of its rovers, and the load on the air of what the base sends."""
    with context.database.read() as session:
        return link_of(session, job_of(session, job_id), kit_of(session, job_id), context.now(job_id), query)


def link_of(session: Session, job: JobNow, kit: KitNow, now_s: float, query: LinkQuery = _AS_THE_PROFILES_SAY) -> LinkView:
    """Return the link of a job as it is planned."""
    bases, rovers = chosen_ends(session, job.id)
    base = bases[0] if bases else None
    pairs = [] if base is None else [_pair(base, rover) for rover in rovers]
    text, words = _satellites(session, job, kit, now_s, query)
    return LinkView(
        base=base.name if base else None,
        other_bases=[row.name for row in bases[1:]],
        pairs=pairs,
        air=None if base is None else air_of(profile_of(base), replace(query, satellites=text)),
        satellites=text,
        satellites_words=words,
        signals=query.signals,
    )


def _satellites(session: Session, job: JobNow, kit: KitNow, now_s: float, query: LinkQuery) -> tuple[str, str]:
    """Return which satellites the load is of, and where they come from: typed, expected of today's sky at their most, or as usual."""
    if query.satellites.strip():
        return query.satellites.strip(), "As typed."
    counts = base_counts(session, job, kit, now_s)
    if counts is None:
        return USUAL_SATELLITES, "As on a usual day: no elements of today say what the base will see."
    return _text(counts.most), f"The most that the base will see today; as a rule {_text(counts.usual)} ({counts.source})."


def _text(counts: Mapping[str, int]) -> str:
    return ",".join(f"{letter}{count}" for letter, count in counts.items())


def _pair(base: ProfileVersion, rover: ProfileVersion) -> Pair:
    found = agreement(_end(base), _end(rover))
    return Pair(
        agrees=found.agrees,
        base=found.base,
        rover=found.rover,
        findings=found.findings,
        rows=found.rows,
        base_id=base.id,
        rover_id=rover.id,
    )


def air_of(base: Profile, query: LinkQuery = _AS_THE_PROFILES_SAY) -> Load | None:
    """Return the load of a base's messages on its radio; None where the link has no air rate or no observables are sent."""
    counts = satellites_from_text(query.satellites.strip() or USUAL_SATELLITES)
    stream = stream_of_messages([(row.number, row.interval_s) for row in base.messages], counts, query.signals)
    chirp = query.chirp
    rate_bps = chirp.rate_bps if chirp else base.link.air_rate_bps
    if stream is None or rate_bps is None:
        return None
    return load_of(stream, rate_bps, part_from_text(query.duty_limit) if query.duty_limit.strip() else None, chirp)


def mend(context: Context, job_id: str, request: Mend) -> LinkView:
    """Set a setting of one end to the other's value: the mended profile becomes its next version."""
    if request.field not in {setting.field for setting in SETTINGS}:
        raise InputError(f"'{request.field[:30]}' is not a setting in which two ends agree.", field="field")
    with context.database.read() as session:
        base, rover = pair_of(session, job_id, request.base_id, request.rover_id)
    source, target = (base, rover) if request.take == "base" else (rover, base)
    values = asdict(profile_of(target))
    *path, last = ("link", *request.field.split("."))
    place = values
    for part in path:
        place[part] = place[part] if place[part] is not None else {}
        place = place[part]
    place[last] = value_of(asdict(profile_of(source).link), request.field)
    carry_out(context, job_id, lambda tx: typed_version(tx, values, "m", target.id))
    return view(context, job_id)


def pair_of(session: Session, job_id: str, base_id: str, rover_id: str) -> tuple[ProfileVersion, ProfileVersion]:
    bases, rovers = chosen_ends(session, job_id)
    base = next((row for row in bases if row.id == base_id), None)
    rover = next((row for row in rovers if row.id == rover_id), None)
    if base is None or rover is None:
        raise ConflictError("The profiles have been changed in the meantime. Look at the present pair.")
    return base, rover
