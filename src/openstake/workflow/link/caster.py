"""A caster before the work: its mountpoints, whether one sends, and into which profile it goes."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from functools import partial
from typing import Annotated

from annotated_types import Ge, Le

from openstake.core.errors import ConflictError, DeviceError, InputError, NotFoundError
from openstake.core.judge.finding import Finding
from openstake.core.kit.gear import CasterAccount
from openstake.core.limits import BASE_FAR_KM, ShortText
from openstake.core.link.caster import MountpointEvidence, distance_km, judge_mountpoint, position_of
from openstake.derive.job import job_of
from openstake.derive.kit import chosen_rows, gear_of, profile_of
from openstake.derive.marks import current_places, middle_of
from openstake.live.caster import Account, fetch_table, listen, may_push
from openstake.store.models import GearItem
from openstake.wire.nmea.write import Fix
from openstake.wire.nmea.write import gga as gga_sentence
from openstake.wire.ntrip.sourcetable import StreamRow
from openstake.workflow.command import carry_out
from openstake.workflow.context import Context
from openstake.workflow.link.pair import LinkView, view
from openstake.workflow.secrets import secret_of
from openstake.workflow.versions import typed_version


@dataclass(frozen=True, kw_only=True)
class CasterRequest:
    """Which caster: an account of the kit by its id, or typed; a password is written and never read."""

    account_id: ShortText | None = None
    host: ShortText = ""
    port: Annotated[int, Ge(1), Le(65535)] = 2101
    user: ShortText = ""
    password: ShortText = ""
    tls: bool = False


@dataclass(frozen=True, kw_only=True)
class TableRow:
    """A stream of a source table, and how far its base lies from the job."""

    mountpoint: str
    place: str
    format: str
    systems: str
    network: bool
    needs_gga: bool
    distance_km: float | None
    far: bool


@dataclass(frozen=True)
class SourceTable:
    """A caster's streams, the nearest first; rows that cannot be read with the reason."""

    rows: list[TableRow]
    refused: list[str]
    whole: bool


@dataclass(frozen=True, kw_only=True)
class TryMountpoint:
    """A mountpoint to listen to for some seconds, with a position sent where that is wished."""

    caster: CasterRequest
    mountpoint: ShortText
    # A base sends its position every ten seconds (common practice).
    seconds: Annotated[float, Ge(1), Le(30)] = 12
    send_gga: bool = False
    push: bool = False


@dataclass(frozen=True, kw_only=True)
class StationHeard:
    """A base position heard from a mountpoint."""

    station_id: int
    virtual: bool
    latitude_deg: float
    longitude_deg: float


@dataclass(frozen=True)
class PushAllowed:
    """Whether an account may push to a mountpoint."""

    connected: bool
    sentence: str


@dataclass(frozen=True, kw_only=True)
class MountpointHeard:
    """What a mountpoint does; connected and sending are two lights."""

    connected: bool
    sending: bool
    outcome: str | None
    sentence: str
    frames: int
    messages: list[int]
    constellations: list[str]
    gga_sent: int
    distance_km: float | None
    stations: list[StationHeard]
    push: PushAllowed | None
    findings: list[Finding]


@dataclass(frozen=True)
class TakeMountpoint:
    """A mountpoint to put into a profile of the job."""

    caster: CasterRequest
    mountpoint: ShortText
    profile_id: ShortText


def _account(context: Context, request: CasterRequest) -> Account:
    if request.account_id is None:
        if not request.host.strip():
            raise InputError("Type the caster's host, or choose an account of the kit.", field="host")
        return Account(
            host=request.host.strip(), port=request.port, user=request.user or None, password=request.password or None, tls=request.tls
        )
    with context.database.read() as session:
        row = session.get(GearItem, request.account_id)
    if row is None or row.kind != "caster":
        raise NotFoundError("This account is not in the kit.", field="account_id")
    item = gear_of(row)
    assert isinstance(item, CasterAccount)
    password = request.password or secret_of(context, f"gear:{row.line_id}")
    return Account(host=item.host, port=item.port, user=item.user or None, password=password, tls=item.tls)


def _middle(context: Context, job_id: str) -> tuple[float, float] | None:
    with context.database.read() as session:
        job = job_of(session, job_id)
        places, _ = current_places(session, job)
    return middle_of(job, places)


def table(context: Context, job_id: str, request: CasterRequest) -> SourceTable:
    """Return a caster's streams, the nearest to the job first, and the rows that cannot be read with the reason."""
    place = _middle(context, job_id)
    read = fetch_table(_account(context, request), context.outside)
    rows = [_table_row(row, place) for row in read.rows]
    rows.sort(key=lambda row: (row.distance_km is None, row.distance_km or 0.0, row.mountpoint))
    return SourceTable(rows, list(read.refused), read.whole)


def _table_row(row: StreamRow, place: tuple[float, float] | None) -> TableRow:
    there = (row.latitude_deg, row.longitude_deg)
    away = None
    if place is not None and there[0] is not None and there[1] is not None and there != (0.0, 0.0):
        away = distance_km(place, (there[0], there[1]))
    return TableRow(
        mountpoint=row.mountpoint,
        place=row.identifier,
        format=row.format,
        systems=row.systems,
        network=row.network,
        needs_gga=row.needs_gga,
        distance_km=away,
        far=away is not None and away > BASE_FAR_KM and not row.network,
    )


def try_mountpoint(context: Context, job_id: str, request: TryMountpoint) -> MountpointHeard:
    """Return what a mountpoint does: whether it is connected, whether it sends, what is in it and from where.

    With `push` it is asked first whether this account may push to it; nothing is sent to it.
    """
    mountpoint = request.mountpoint
    if not mountpoint.strip():
        raise InputError("Type or pick the mountpoint.", field="mountpoint")
    account, place = _account(context, request.caster), _middle(context, job_id)
    allowed = may_push(account, mountpoint, context.outside) if request.push else None
    gga = None
    if request.send_gga:
        if place is None:
            raise InputError("The job has no place yet, so there is no position to send. Give it one under Job.", field="send_gga")
        gga = partial(_gga_line, place, context)
    heard = listen(account, mountpoint, request.seconds, context.outside, gga)
    row = _row_of(account, mountpoint, context) if heard.connected else None
    stations = [(station, position_of(station)) for station in heard.positions]
    away = distance_km(place, stations[0][1]) if place is not None and stations else None
    evidence = MountpointEvidence(
        name=mountpoint,
        connected=heard.connected,
        frames=heard.frames,
        received_bytes=heard.received_bytes,
        gga_sent=heard.gga_sent,
        needs_gga=bool(row and row.needs_gga),
        network=bool(row and row.network),
        distance_km=away,
        stations=heard.positions,
    )
    return MountpointHeard(
        connected=heard.connected,
        sending=heard.sending,
        outcome=heard.outcome.value if heard.outcome else None,
        sentence=heard.sentence,
        frames=heard.frames,
        messages=list(heard.messages),
        constellations=list(heard.constellations),
        gga_sent=heard.gga_sent,
        distance_km=away,
        stations=[
            StationHeard(station_id=station.station_id, virtual=station.virtual, latitude_deg=at[0], longitude_deg=at[1])
            for station, at in stations
        ],
        push=None if allowed is None else PushAllowed(allowed.connected, allowed.sentence),
        findings=judge_mountpoint(evidence),
    )


def _gga_line(place: tuple[float, float], context: Context) -> bytes:
    moment = datetime.fromtimestamp(context.clock.now(), UTC)
    fix = Fix(
        moment=moment,
        quality=1,
        latitude_deg=place[0],
        longitude_deg=place[1],
        altitude_m=0.0,
        separation_m=0.0,
        satellites=12,
        hdop=1.0,
        age_s=None,
        station_id=None,
        sigma_east_m=None,
        sigma_north_m=None,
        sigma_up_m=None,
    )
    return gga_sentence(fix)


def _row_of(account: Account, mountpoint: str, context: Context) -> StreamRow | None:
    """Return what the caster's table says of a mountpoint; None where it says nothing."""
    try:
        read = fetch_table(account, context.outside)
    except DeviceError:
        return None
    return next((row for row in read.rows if row.mountpoint == mountpoint), None)


def take_mountpoint(context: Context, job_id: str, request: TakeMountpoint) -> LinkView:
    """Put a mountpoint into a profile of the job: its next version.  Passwords stay where they are."""
    account = _account(context, request.caster)
    with context.database.read() as session:
        row = next((row for row in chosen_rows(session, job_id) if row.id == request.profile_id), None)
    if row is None:
        raise ConflictError("The profile has been changed in the meantime, or is not one of this job.")
    values = asdict(profile_of(row))
    values["link"] |= {"kind": "internet", "caster": {"host": account.host, "port": account.port, "mountpoint": request.mountpoint.strip()}}
    carry_out(context, job_id, lambda tx: typed_version(tx, values, "m", row.id))
    return view(context, job_id)
