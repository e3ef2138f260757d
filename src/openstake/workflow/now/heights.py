"""Heights of antennas: what people measure to, from the gear of the job's profiles, and the readings they type."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from openstake.core.antenna import HeightSigmas, MeanHeight, MeasuredTo, arp_height_m, mean_height
from openstake.core.control import TOLERANCES
from openstake.core.errors import ConflictError, InputError, NotFoundError
from openstake.core.evidence import RefersTo
from openstake.core.judge.finding import Finding
from openstake.core.judge.height import (
    KnownAntenna,
    TypedReading,
    judge_completeness,
    judge_heights,
    judge_opening_and_closing,
)
from openstake.core.kit.gear import BOTTOM, Antenna, HeightFeature, Pole, Receiver
from openstake.core.units import metres_from_text, text_from_metres
from openstake.store.book import write_entry
from openstake.store.lines import heads
from openstake.store.models import HeightReading, Occupation
from openstake.workflow.context import Context, JobNow, job_of
from openstake.workflow.kit.gear import gear_by_name
from openstake.workflow.kit.profiles import chosen_profiles

POLE = MeasuredTo(
    "pole", "Telescopic pole, read at its clamp", "vertical", hint="The clamp's scale gives the bottom of mount."
)
ROD_HEIGHT_M = 2.0
# One tape reading, the rim's radius, the feature's offset; and setting up over the mark (common practice).
SIGMAS = HeightSigmas(0.001, 0.0005, 0.0005)
SETTING_UP_SIGMA_M = 0.001
ROVER_HEIGHT_SIGMA_M = 0.001


@dataclass(frozen=True)
class Height:
    """A height typed and read."""

    text: str
    reading_m: float
    feature: MeasuredTo
    arp_height_m: float


@dataclass(frozen=True)
class BaseHeight:
    """The height of a base as it stands: the mean of its readings, and the rows it rests on."""

    rows: tuple[HeightReading, ...]
    mean: MeanHeight
    changed_s: float

    @property
    def arp_height_m(self) -> float:
        return self.mean.arp_height_m

    @property
    def ids(self) -> list[str]:
        return [row.id for row in self.rows]

    @property
    def text(self) -> str:
        return " and ".join(f"'{row.text}'" for row in self.rows)

    @property
    def sigma_m(self) -> float:
        """One sigma of the ARP over the mark, setting up included."""
        return float((self.mean.sigma_m**2 + SETTING_UP_SIGMA_M**2) ** 0.5)


def in_a_sentence(label: str) -> str:
    """Return a feature's label as it stands in the middle of a sentence."""
    return label[:1].lower() + label[1:]


def _measured_to(feature: HeightFeature) -> MeasuredTo:
    return MeasuredTo(
        feature.name, feature.label, feature.method, feature.rim_radius_m, feature.feature_to_arp_m, feature.hint
    )


def _rod(height_m: float, word: str = "rod") -> MeasuredTo:
    return MeasuredTo(
        "rod",
        f"Fixed {height_m:.3f} m {word}",
        "rod",
        hint="The rod's tip to the bottom of mount.",
        fixed_height_m=height_m,
    )


def features_of(session: Session, job: JobNow, subject: str) -> tuple[MeasuredTo, ...]:
    """Return what a height can be measured to: on the antenna and tripod of the job's base, or on the rover's pole.

    Without a profile it is the bottom of mount for the base, a 2 m rod or a telescopic pole for the rover.
    """
    gear = gear_by_name(session)
    profiles = [
        profile for profile in chosen_profiles(session, job.id) if (profile.role == "base") == (subject == "base")
    ]
    poles = [pole for profile in profiles if isinstance(pole := gear.get(("pole", profile.pole)), Pole)]
    fixed = [
        _rod(pole.fixed_height_m, "rod" if pole.kind == "pole" else pole.kind)
        for pole in poles
        if pole.fixed_height_m is not None
    ]
    if subject != "base":
        return (*(fixed or [_rod(ROD_HEIGHT_M)]), POLE)
    found = {
        feature.name: _measured_to(feature)
        for antenna in _base_antennas(session, job.id)
        for feature in antenna.features
    }
    return (*(found or {BOTTOM.name: _measured_to(BOTTOM)}).values(), *fixed)


def _base_antennas(session: Session, job_id: str) -> list[Antenna]:
    gear = gear_by_name(session)
    return [
        antenna
        for profile in chosen_profiles(session, job_id)
        if profile.role == "base" and isinstance(antenna := gear.get(("antenna", profile.antenna)), Antenna)
    ]


def base_phase_centre_m(session: Session, job_id: str) -> float | None:
    """Return how far the base antenna's phase centre (GPS L1, else its first) lies above its ARP, None where unknown."""
    antenna = next((antenna for antenna in _base_antennas(session, job_id) if antenna.phase_centres), None)
    return None if antenna is None else _phase_centre_m(antenna)


def _phase_centre_m(antenna: Antenna) -> float:
    first = next((item for item in antenna.phase_centres if item.frequency == "G01"), antenna.phase_centres[0])
    return first.up_mm / 1000.0


def rover_refers_to(session: Session, job_id: str) -> str:
    """Return what the position of the job's rover refers to, as its receiver is described; its ARP where nothing is said."""
    gear = gear_by_name(session)
    for profile in chosen_profiles(session, job_id):
        receiver = gear.get(("receiver", profile.receiver))
        if profile.role != "base" and isinstance(receiver, Receiver):
            return receiver.nmea_refers_to.lower()
    return RefersTo.ARP.value


def rover_arp_to_apc_m(session: Session, job_id: str) -> float:
    """Return how far the rover antenna's phase centre (GPS L1, else its first) lies above its ARP, in metres."""
    gear = gear_by_name(session)
    for profile in chosen_profiles(session, job_id):
        antenna = gear.get(("antenna", profile.antenna))
        if profile.role != "base" and isinstance(antenna, Antenna) and antenna.phase_centres:
            return _phase_centre_m(antenna)
    raise InputError(
        "The rover's position refers to its phase centre, and no rover antenna of the job has one in the kit. "
        "Add its offset under Kit, or choose the ARP.",
        field="refers_to",
    )


def view(context: Context, job_id: str) -> dict[str, Any]:
    """Return the features of base and rover, the rover's usual height and the sets of limits."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        base, rover = features_of(session, job, "base"), features_of(session, job, "rover")
    usual = rover[0].fixed_height_m or ROD_HEIGHT_M
    return {
        "base_features": [asdict(feature) for feature in base],
        "rover_features": [asdict(feature) for feature in rover],
        "rover_height_text": f"{usual:.3f} m",
        "tolerances": [{"name": name} | asdict(limits) for name, limits in TOLERANCES.items()],
    }


def read_height(session: Session, job: JobNow, text: str, feature_name: str, subject: str) -> Height:
    """Return the ARP height of what was typed; a sentence where it cannot be read or cannot be."""
    feature = next((item for item in features_of(session, job, subject) if item.name == feature_name), None)
    if feature is None:
        raise InputError("Choose the feature that the height was measured to.", field="feature")
    try:
        reading = metres_from_text(text, job.length_unit)
    except InputError as error:
        error.field = "reading"
        raise
    return Height(text.strip(), reading, feature, arp_height_m(reading, feature))


def height_row(height: Height, job_id: str, now: float, subject: str, **more: Any) -> HeightReading:
    """Return the row that stores a height."""
    feature = height.feature
    return HeightReading(
        job_id=job_id, subject=subject, text=height.text, reading_m=height.reading_m, method=feature.method,
        feature_name=feature.name, feature=feature.label, rim_radius_m=feature.rim_radius_m,
        feature_to_arp_m=feature.feature_to_arp_m, arp_height_m=height.arp_height_m, created_s=now, **more,
    )  # fmt: skip


def preview(context: Context, job_id: str, text: str, feature: str, subject: str) -> dict[str, Any]:
    """Return the ARP height of what is being typed, in metres and in the job's unit."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        height = read_height(session, job, text, feature, subject)
        phase_centre_m = base_phase_centre_m(session, job_id) if subject == "base" else None
    return {
        "reading_m": height.reading_m,
        "arp_height_m": height.arp_height_m,
        "feature_to_arp_m": height.feature.feature_to_arp_m,
        "rim_radius_m": height.feature.rim_radius_m,
        "phase_centre_up_m": phase_centre_m,
        "feature_height_m": height.arp_height_m - height.feature.feature_to_arp_m,
        "phase_centre_height_m": None if phase_centre_m is None else height.arp_height_m + phase_centre_m,
        "method": height.feature.method,
        "text": text_from_metres(height.arp_height_m, job.length_unit),
    }


# --- the readings of a base: any number, before and after ---


def _to_of(row: HeightReading, features: Sequence[MeasuredTo]) -> MeasuredTo:
    """Return what a stored reading was measured to, as it was stored; a rod's own height from the kit of today."""
    fixed = next((item.fixed_height_m for item in features if item.name == row.feature_name), None)
    return MeasuredTo(
        row.feature_name, row.feature, row.method, row.rim_radius_m, row.feature_to_arp_m,
        fixed_height_m=fixed if row.method == "rod" else None,
    )  # fmt: skip


def _rows(session: Session, occupation: Occupation | None, setup_id: str | None, moment: str) -> list[HeightReading]:
    """Return the current readings of a base, those set aside included, in order of their time."""
    where = [HeightReading.subject == "base", HeightReading.moment == moment]
    if setup_id is not None:
        where.append(HeightReading.setup_id == setup_id)
    else:
        where.append(HeightReading.occupation_id == (occupation.id if occupation else ""))
    return list(session.scalars(heads(HeightReading, *where).order_by(HeightReading.created_s, HeightReading.id)))


def base_height(
    session: Session, occupation: Occupation | None, setup_id: str | None, moment: str = "before"
) -> BaseHeight | None:
    """Return the height of a base from the readings that are used; None where there is none."""
    rows = _rows(session, occupation, setup_id, moment)
    used = [row for row in rows if not row.set_aside]
    if not used:
        return None
    mean = mean_height([(row.reading_m, _to_of(row, ())) for row in used], SIGMAS)
    return BaseHeight(tuple(used), mean, max(row.created_s for row in rows))


def base_height_of(session: Session, occupation_id: str) -> BaseHeight:
    """Return the current height of an occupation's base."""
    occupation = session.get_one(Occupation, occupation_id)
    height = base_height(session, occupation, occupation.setup_id)
    if height is None:
        raise NotFoundError("This base has no height reading.")
    return height


def known_antenna(session: Session, job: JobNow) -> KnownAntenna:
    """Return what a reading of the job's base may have been measured to."""
    return KnownAntenna(features_of(session, job, "base"), base_phase_centre_m(session, job.id))


def readings_view(
    session: Session, job: JobNow, antenna: KnownAntenna, occupation: Occupation | None, setup_id: str | None
) -> dict[str, Any]:
    """Return the readings before and after with their mean, and what they say of each other.

    `closing_findings` are of the readings after the session, and of these against those before.
    """
    limit_m, unit = job.settings.height_limit_m, job.length_unit
    found: dict[str, list[Finding]] = {"before": [], "after": []}
    means: dict[str, BaseHeight | None] = {}
    rows: list[dict[str, Any]] = []
    for moment in ("before", "after"):
        listed = _rows(session, occupation, setup_id, moment)
        height = means[moment] = base_height(session, occupation, setup_id, moment)
        typed = [
            TypedReading(row.text, row.reading_m, _to_of(row, antenna.features), job.length_unit)
            for row in listed
            if not row.set_aside
        ]
        found[moment] += judge_heights(typed, antenna, limit_m, unit)
        if moment == "before":
            found[moment] += judge_completeness(typed, unit)
        rows += [_reading_view(row, height) for row in listed]
    opening, closing = means["before"], means["after"]
    if opening is not None and closing is not None:
        found["after"].append(judge_opening_and_closing(opening.arp_height_m, closing.arp_height_m, limit_m, unit))
    return {
        "readings": rows,
        "opening": _mean_view(opening, unit),
        "closing": _mean_view(closing, unit),
        "limit_m": limit_m,
        "findings": [item.as_dict() for item in found["before"]],
        "closing_findings": [item.as_dict() for item in found["after"]],
    }


def _reading_view(row: HeightReading, height: BaseHeight | None) -> dict[str, Any]:
    return {
        "id": row.id, "text": row.text, "reading_m": row.reading_m, "arp_height_m": row.arp_height_m,
        "feature_name": row.feature_name, "feature": row.feature, "method": row.method, "rim_radius_m": row.rim_radius_m,
        "feature_to_arp_m": row.feature_to_arp_m, "moment": row.moment, "who": row.who, "created_s": row.created_s,
        "set_aside": row.set_aside, "corrected": row.replaces_id is not None, "reason": row.reason,
        "from_mean_m": None if height is None or row.set_aside else row.arp_height_m - height.arp_height_m,
    }  # fmt: skip


def _mean_view(height: BaseHeight | None, unit: str) -> dict[str, Any] | None:
    if height is None:
        return None
    mean = height.mean
    return {
        "arp_height_m": mean.arp_height_m, "sigma_m": mean.sigma_m, "spread_m": mean.spread_m, "count": mean.count,
        "text": text_from_metres(mean.arp_height_m, unit),
    }  # fmt: skip


def add_reading(
    session: Session, job: JobNow, text: str, feature: str, who: str, moment: str, now: float,
    setup_id: str | None, occupation: Occupation | None,
) -> HeightReading:  # fmt: skip
    """Store one more reading of a base's height and say so in the Book."""
    if moment not in ("before", "after"):
        raise InputError("A height is read before the session or after it.", field="moment")
    height = read_height(session, job, text, feature, "base")
    row = height_row(
        height, job.id, now, "base", setup_id=setup_id, occupation_id=occupation.id if occupation else None, moment=moment,
        who=" ".join(who.split())[:80],
    )  # fmt: skip
    session.add(row)
    session.flush()
    write_entry(
        session, now, "base-height-read",
        f"Base height read {moment} the session: '{height.text}' to {in_a_sentence(height.feature.label)}, ARP "
        f"{text_from_metres(height.arp_height_m, job.length_unit)}{f', by {row.who}' if row.who else ''}.",
        job.id, height_reading=row.id, arp_height_m=height.arp_height_m, moment=moment,
    )  # fmt: skip
    return row


def replace_reading(
    session: Session, job: JobNow, replaces_id: str, text: str | None, feature: str, reason: str, set_aside: bool, now: float,
) -> tuple[HeightReading, HeightReading]:  # fmt: skip
    """Store a row that replaces a reading: corrected, set aside, or taken back; returns the old and the new one."""
    if not reason.strip():
        raise InputError("Say in a few words why the height is corrected.", field="reason")
    old = session.get(HeightReading, replaces_id)
    if old is None or old.job_id != job.id or old.subject != "base":
        raise NotFoundError("This reading is not one of this base's.", field="replaces_id")
    if session.scalars(select(HeightReading).where(HeightReading.replaces_id == old.id)).first() is not None:
        raise ConflictError("The height has been corrected in the meantime. Look at the present value.")
    same = {"setup_id": old.setup_id, "occupation_id": old.occupation_id, "moment": old.moment, "who": old.who}
    more = same | {"replaces_id": old.id, "reason": reason.strip(), "set_aside": set_aside}
    if text is None:
        height = Height(old.text, old.reading_m, _to_of(old, ()), old.arp_height_m)
    else:
        height = read_height(session, job, text, feature, "base")
    row = height_row(height, job.id, now, "base", **more)
    session.add(row)
    session.flush()
    return old, row
