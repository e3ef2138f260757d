"""The link: do two ends agree, and does the stream fit."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import asdict, dataclass
from typing import Any

from sqlalchemy.orm import Session

from openstake.core.errors import ConflictError, FileError, InputError
from openstake.core.judge.finding import Severity
from openstake.core.kit.profile import Profile
from openstake.core.link.agree import SETTINGS, End, judge_pair, pair_rows, value_of
from openstake.core.link.airload import (
    Stream,
    air_load,
    chirp_rate_bps,
    chirp_time_on_air_s,
    judge_load,
    part_from_text,
    remedies,
    satellites_from_text,
    stream_of_messages,
)
from openstake.store.models import ProfileVersion
from openstake.wire.profile import MOST_BYTES, profile_as_json
from openstake.workflow.context import Context, job_of
from openstake.workflow.kit import profiles

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


@dataclass(frozen=True)
class Chirp:
    """A chirp spread-spectrum link, in place of a rate."""

    spreading_factor: int
    bandwidth_khz: float
    coding_denominator: int

    @property
    def rate_bps(self) -> float:
        return chirp_rate_bps(self.spreading_factor, self.bandwidth_khz * 1000.0, self.coding_denominator)

    def packet(self, epoch_bytes: int) -> dict[str, float]:
        """Return the largest packet of an epoch and how long it is on the air."""
        size = min(LARGEST_PACKET, epoch_bytes)
        seconds = chirp_time_on_air_s(self.spreading_factor, self.bandwidth_khz * 1000.0, self.coding_denominator, size)
        return {"packet_bytes": size, "packet_time_on_air_s": seconds}


LARGEST_PACKET = 255  # bytes a chirp link sends at once


def load_of(stream: Stream, rate_bps: float, duty_limit: float | None, chirp: Chirp | None = None) -> dict[str, Any]:
    """Return what a stream needs of a link, what to say of it, and what to slow or drop first."""
    load = air_load(stream, rate_bps, duty_limit)
    return (
        asdict(load)
        | {
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
        | (chirp.packet(load.bytes_per_epoch) if chirp else {"packet_bytes": None, "packet_time_on_air_s": None})
    )


# The Link page


def chosen_ends(session: Session, job_id: str) -> tuple[list[ProfileVersion], list[ProfileVersion]]:
    """Return the job's base profiles and its rover profiles, newest versions."""
    rows = profiles.chosen_rows(session, job_id)
    return [row for row in rows if row.role == "base"], [row for row in rows if row.role != "base"]


def _end(row: ProfileVersion) -> End:
    return end_of_document(profile_as_json(profiles.profile_of(row)), row.name)


def view(
    context: Context, job_id: str, satellites: str = "", signals: int = USUAL_SIGNALS, duty_limit: str = "",
    chirp: Chirp | None = None,
) -> dict[str, Any]:  # fmt: skip
    """Return the pair sheet of the job's base with each of its rovers, and the load on the air of what the base sends."""
    with context.database.read() as session:
        job_of(session, job_id)
        bases, rovers = chosen_ends(session, job_id)
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
        "air": None if base is None else air_of(profiles.profile_of(base), satellites, signals, duty_limit, chirp),
        "satellites": satellites.strip() or USUAL_SATELLITES,
        "signals": signals,
    }


def air_of(
    base: Profile, satellites: str, signals: int, duty_limit: str, chirp: Chirp | None = None
) -> dict[str, Any] | None:
    """Return the load of a base's messages on its radio; None where the link has no air rate or no observables are sent."""
    counts = satellites_from_text(satellites.strip() or USUAL_SATELLITES)
    stream = stream_of_messages([(row.number, row.interval_s) for row in base.messages], counts, signals)
    rate_bps = chirp.rate_bps if chirp else base.link.air_rate_bps
    if stream is None or rate_bps is None:
        return None
    return load_of(stream, rate_bps, part_from_text(duty_limit) if duty_limit.strip() else None, chirp)


def mend(context: Context, job_id: str, field: str, take: str, base_id: str, rover_id: str) -> dict[str, Any]:
    """Set a setting of one end to the other's value: the mended profile becomes its next version."""
    if field not in {setting.field for setting in SETTINGS}:
        raise InputError(f"'{field[:30]}' is no setting in which two ends agree.", field="field")
    if take not in ("base", "rover"):
        raise InputError("Take the base's value, or the rover's.", field="take")
    with context.database.read() as session:
        base, rover = pair_of(session, job_id, base_id, rover_id)
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


def pair_of(session: Session, job_id: str, base_id: str, rover_id: str) -> tuple[ProfileVersion, ProfileVersion]:
    bases, rovers = chosen_ends(session, job_id)
    base = next((row for row in bases if row.id == base_id), None)
    rover = next((row for row in rovers if row.id == rover_id), None)
    if base is None or rover is None:
        raise ConflictError("The profiles have been changed in the meantime. Look at the present pair.")
    return base, rover
