"""The link: do two ends agree, and does the stream fit."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from functools import partial
from typing import Any

from sqlalchemy.orm import Session

from openstake.core.errors import ConflictError, DeviceError, FileError, InputError, NotFoundError
from openstake.core.judge.finding import Severity
from openstake.core.kit.gear import CasterAccount
from openstake.core.kit.profile import Profile
from openstake.core.link.agree import SETTINGS, End, judge_pair, pair_rows, value_of
from openstake.core.link.airload import (
    Stream,
    air_load,
    judge_load,
    part_from_text,
    remedies,
    satellites_from_text,
    stream_of_messages,
)
from openstake.core.link.caster import FAR_KM, MountpointEvidence, distance_km, judge_mountpoint, position_of
from openstake.live.caster import Account, fetch_table, listen, may_push
from openstake.store.models import GearItem, ProfileVersion
from openstake.wire.nmea.write import Fix
from openstake.wire.nmea.write import gga as gga_sentence
from openstake.wire.ntrip.sourcetable import StreamRow
from openstake.wire.profile import MOST_BYTES, profile_as_json
from openstake.workflow import profiles
from openstake.workflow.context import Context, job_of
from openstake.workflow.gear import gear_of
from openstake.workflow.marks import current_places
from openstake.workflow.secrets import secret_of
from openstake.workflow.system import middle_of

# What stands above a mask of 10 degrees on a usual day (common practice, no source).
USUAL_SATELLITES = "G10,R8,E9,C12"
USUAL_SIGNALS = 2


def end_of_file(content: bytes, name: str) -> End:
    """Return one end from a profile's file, whatever its values are: it is compared first.  FileError where it has no link."""
    if len(content) > MOST_BYTES:
        raise FileError(f"{name} has {len(content)} bytes; a profile is much smaller.")
    try:
        document = json.loads(content.decode("utf-8-sig"))
    except (ValueError, RecursionError) as error:
        raise FileError(f"{name} is not JSON: {str(error)[:120]}.") from None
    if not isinstance(document, dict) or not isinstance(document.get("link"), dict):
        raise FileError(f'{name} is no profile: it has no "link" object.')
    return end_of_document(document, name)


def end_of_document(document: Mapping[str, Any], name: str) -> End:
    messages = document.get("messages")
    numbers = (
        [row.get("number") for row in messages if isinstance(row, dict)] if isinstance(messages, (list, tuple)) else []
    )
    return End(
        str(document.get("name") or name), document["link"], _texts(document.get("constellations")),
        _texts(document.get("formats_read")), [number for number in numbers if isinstance(number, int)],
    )  # fmt: skip


def _texts(values: object) -> list[str]:
    return [value for value in values if isinstance(value, str)] if isinstance(values, (list, tuple)) else []


def agreement(base: End, rover: End) -> dict[str, Any]:
    """Return whether two ends agree, what contradicts, and the pair sheet row by row."""
    findings = judge_pair(base, rover)
    return {
        "agrees": not any(
            item.severity is Severity.STOP or item.code == "link-setting-not-known" for item in findings
        ),
        "base": base.name,
        "rover": rover.name,
        "findings": [item.as_dict() for item in findings],
        "rows": [
            {
                "field": row.setting.field, "label": row.setting.label, "unit": row.setting.unit, "base": row.base,
                "rover": row.rover, "state": row.state.value,
            }
            for row in pair_rows(base, rover)
        ],
    }  # fmt: skip


def load_of(stream: Stream, rate_bps: float, duty_limit: float | None) -> dict[str, Any]:
    """Return what a stream needs of a link, what to say of it, and what to slow or drop first."""
    load = air_load(stream, rate_bps, duty_limit)
    return asdict(load) | {
        "rate_bps": rate_bps,
        "findings": [item.as_dict() for item in judge_load(stream, rate_bps, duty_limit, load)],
        "remedies": [
            {
                "words": way.words,
                "share": way.load.share,
                "bits_per_second": way.load.bits_per_second,
                "fits": way.load.fits,
            }
            for way in remedies(stream, rate_bps, duty_limit)
        ],
    }


# The Link page


def _chosen(session: Session, job_id: str) -> tuple[list[ProfileVersion], list[ProfileVersion]]:
    """Return the job's base profiles and its rover profiles, newest versions."""
    rows = profiles.chosen_rows(session, job_id)
    return [row for row in rows if row.role == "base"], [row for row in rows if row.role != "base"]


def _end(row: ProfileVersion) -> End:
    return end_of_document(profile_as_json(profiles.profile_of(row)), row.name)


def view(
    context: Context, job_id: str, satellites: str = "", signals: int = USUAL_SIGNALS, duty_limit: str = ""
) -> dict[str, Any]:
    """Return the pair sheet of the job's base with each of its rovers, and the load on the air of what the base sends."""
    with context.database.read() as session:
        job_of(session, job_id)
        bases, rovers = _chosen(session, job_id)
    base = bases[0] if bases else None
    pairs = [
        agreement(_end(base), _end(rover)) | {"base_id": base.id, "rover_id": rover.id}
        for rover in rovers
        if base is not None
    ]
    return {
        "base": base.name if base else None,
        "other_bases": [row.name for row in bases[1:]],
        "pairs": pairs,
        "air": None if base is None else _air(profiles.profile_of(base), satellites, signals, duty_limit),
        "satellites": satellites.strip() or USUAL_SATELLITES,
        "signals": signals,
    }


def _air(base: Profile, satellites: str, signals: int, duty_limit: str) -> dict[str, Any] | None:
    """Return the load of a base's messages on its radio; None where the link has no air rate or no observables are sent."""
    counts = satellites_from_text(satellites.strip() or USUAL_SATELLITES)
    stream = stream_of_messages([(row.number, row.interval_s) for row in base.messages], counts, signals)
    if stream is None or base.link.air_rate_bps is None:
        return None
    return load_of(stream, base.link.air_rate_bps, part_from_text(duty_limit) if duty_limit.strip() else None)


def mend(context: Context, job_id: str, field: str, take: str, base_id: str, rover_id: str) -> dict[str, Any]:
    """Set a setting of one end to the other's value: the mended profile becomes its next version."""
    if field not in {setting.field for setting in SETTINGS}:
        raise InputError(f"'{field[:30]}' is no setting in which two ends agree.", field="field")
    if take not in ("base", "rover"):
        raise InputError("Take the base's value, or the rover's.", field="take")
    with context.database.read() as session:
        bases, rovers = _chosen(session, job_id)
    base = next((row for row in bases if row.id == base_id), None)
    rover = next((row for row in rovers if row.id == rover_id), None)
    if base is None or rover is None:
        raise ConflictError("The profiles have been changed in the meantime. Look at the present pair.")
    source, target = (base, rover) if take == "base" else (rover, base)
    values = asdict(profiles.profile_of(target))
    *path, last = ("link", *field.split("."))
    place = values
    for part in path:
        place[part] = place[part] if place[part] is not None else {}
        place = place[part]
    place[last] = value_of(asdict(profiles.profile_of(source).link), field)
    profiles.save_profile(context, values, "m", target.id)
    context.changed(job_id)
    return view(context, job_id)


# The caster


@dataclass(frozen=True)
class CasterWish:
    """Which caster: an account of the kit by its id, or typed."""

    account_id: str | None
    host: str
    port: int
    user: str
    password: str
    tls: bool


def _account(context: Context, wish: CasterWish) -> Account:
    if wish.account_id is None:
        if not wish.host.strip():
            raise InputError("Type the caster's host, or choose an account of the kit.", field="host")
        return Account(wish.host.strip(), wish.port, wish.user or None, wish.password or None, wish.tls)
    with context.database.read() as session:
        row = session.get(GearItem, wish.account_id)
    if row is None or row.kind != "caster":
        raise NotFoundError("This account is not in the kit.", field="account_id")
    item = gear_of(row)
    assert isinstance(item, CasterAccount)
    password = wish.password or secret_of(context, f"gear:{row.line_id}")
    return Account(item.host, item.port, item.user or None, password, item.tls)


def _middle(context: Context, job_id: str) -> tuple[float, float] | None:
    with context.database.read() as session:
        job = job_of(session, job_id)
        places, _ = current_places(session, job)
    return middle_of(job, places)


def table(context: Context, job_id: str, wish: CasterWish) -> dict[str, Any]:
    """Return a caster's streams, the nearest to the job first, and the rows that cannot be read with the reason."""
    place = _middle(context, job_id)
    read = fetch_table(_account(context, wish))
    rows = []
    for row in read.rows:
        there = (row.latitude_deg, row.longitude_deg)
        away = None
        if place is not None and there[0] is not None and there[1] is not None and there != (0.0, 0.0):
            away = distance_km(place, (there[0], there[1]))
        rows.append(
            {
                "mountpoint": row.mountpoint, "place": row.identifier, "format": row.format, "systems": row.systems,
                "network": row.network, "needs_gga": row.needs_gga, "distance_km": away,
                "far": away is not None and away > FAR_KM and not row.network,
            }
        )  # fmt: skip
    rows.sort(key=lambda row: (row["distance_km"] is None, row["distance_km"] or 0.0, row["mountpoint"]))
    return {"rows": rows, "refused": read.refused, "whole": read.whole}


def try_mountpoint(
    context: Context, job_id: str, wish: CasterWish, mountpoint: str, seconds: float, send_gga: bool, push: bool
) -> dict[str, Any]:
    """Return what a mountpoint does: whether it is connected, whether it sends, what is in it and from where.

    With `push` it is asked first whether this account may push to it; nothing is sent to it.
    """
    if not mountpoint.strip():
        raise InputError("Type or pick the mountpoint.", field="mountpoint")
    account, place = _account(context, wish), _middle(context, job_id)
    allowed = may_push(account, mountpoint) if push else None
    gga = None
    if send_gga:
        if place is None:
            raise InputError(
                "The job has no place yet, so there is no position to send. Give it one under Job.", field="send_gga"
            )
        gga = partial(_gga_line, place, context)
    heard = listen(account, mountpoint, seconds, gga)
    row = _row_of(account, mountpoint) if heard.connected else None
    stations = [(station, position_of(station)) for station in heard.positions]
    away = distance_km(place, stations[0][1]) if place is not None and stations else None
    evidence = MountpointEvidence(
        mountpoint, heard.connected, heard.frames, heard.received_bytes, heard.gga_sent, bool(row and row.needs_gga),
        bool(row and row.network), away, heard.positions,
    )  # fmt: skip
    return {
        "connected": heard.connected, "sending": heard.sending, "outcome": heard.outcome.value if heard.outcome else None,
        "sentence": heard.sentence, "frames": heard.frames, "messages": list(heard.messages),
        "constellations": list(heard.constellations), "gga_sent": heard.gga_sent, "distance_km": away,
        "stations": [
            {"station_id": station.station_id, "virtual": station.virtual, "latitude_deg": at[0], "longitude_deg": at[1]}
            for station, at in stations
        ],
        "push": None if allowed is None else {"connected": allowed.connected, "sentence": allowed.sentence},
        "findings": [item.as_dict() for item in judge_mountpoint(evidence)],
    }  # fmt: skip


def _gga_line(place: tuple[float, float], context: Context) -> bytes:
    moment = datetime.fromtimestamp(context.now(), UTC)
    fix = Fix(moment, 1, place[0], place[1], 0.0, 0.0, 12, 1.0, None, None, None, None, None)
    return gga_sentence(fix)


def _row_of(account: Account, mountpoint: str) -> StreamRow | None:
    """Return what the caster's table says of a mountpoint; None where it says nothing."""
    try:
        read = fetch_table(account)
    except DeviceError:
        return None
    return next((row for row in read.rows if row.mountpoint == mountpoint), None)


def take_mountpoint(
    context: Context, job_id: str, profile_id: str, wish: CasterWish, mountpoint: str
) -> dict[str, Any]:
    """Put a mountpoint into a profile of the job: its next version.  Passwords stay where they are."""
    account = _account(context, wish)
    with context.database.read() as session:
        row = next((row for row in profiles.chosen_rows(session, job_id) if row.id == profile_id), None)
    if row is None:
        raise ConflictError("The profile has been changed in the meantime, or is not one of this job.")
    values = asdict(profiles.profile_of(row))
    values["link"] |= {
        "kind": "internet", "caster": {"host": account.host, "port": account.port, "mountpoint": mountpoint.strip()}
    }  # fmt: skip
    profiles.save_profile(context, values, "m", row.id)
    context.changed(job_id)
    return view(context, job_id)
