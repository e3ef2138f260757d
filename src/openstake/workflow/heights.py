"""Heights of antennas: what people measure to, from the gear of the job's profiles, and the reading of what they type."""

from __future__ import annotations

from dataclasses import asdict, dataclass, replace
from typing import Any

from sqlalchemy.orm import Session

from openstake.core.antenna import arp_height_m
from openstake.core.control import TOLERANCES
from openstake.core.errors import InputError
from openstake.core.evidence import RefersTo
from openstake.core.kit.gear import BOTTOM, Antenna, HeightFeature, Pole, Receiver
from openstake.core.units import metres_from_text
from openstake.workflow.context import Context, JobNow, job_of
from openstake.workflow.gear import gear_by_name
from openstake.workflow.profiles import chosen_profiles

ROD = HeightFeature("rod", "Fixed 2.000 m rod", "rod", 0.0, 0.0, "The rod's tip to the bottom of mount.")
POLE = HeightFeature(
    "pole", "Telescopic pole, read at its clamp", "vertical", 0.0, 0.0, "The clamp's scale gives the bottom of mount."
)
ROD_TEXT = "2.000 m"
BASE_READING_SIGMA_M = 0.0015  # tape over a mark, set-up included (common practice)
ROVER_HEIGHT_SIGMA_M = 0.001


@dataclass(frozen=True)
class Height:
    """A height typed and read."""

    text: str
    reading_m: float
    feature: HeightFeature
    arp_height_m: float


def in_a_sentence(label: str) -> str:
    """Return a feature's label as it stands in the middle of a sentence."""
    return label[:1].lower() + label[1:]


def features_of(session: Session, job: JobNow, subject: str) -> tuple[HeightFeature, ...]:
    """Return what a height can be measured to: on the antenna and tripod of the job's base, or on the rover's pole.

    Without a profile it is the bottom of mount for the base, a 2 m rod or a telescopic pole for the rover.
    """
    gear = gear_by_name(session)
    profiles = [
        profile for profile in chosen_profiles(session, job.id) if (profile.role == "base") == (subject == "base")
    ]
    poles = [pole for profile in profiles if isinstance(pole := gear.get(("pole", profile.pole)), Pole)]
    fixed = [_rod_of(pole) for pole in poles if pole.fixed_height_m is not None]
    if subject != "base":
        return (*(fixed or [ROD]), POLE)
    antennas = [
        antenna for profile in profiles if isinstance(antenna := gear.get(("antenna", profile.antenna)), Antenna)
    ]
    found = {feature.name: feature for antenna in antennas for feature in antenna.features} or {BOTTOM.name: BOTTOM}
    return (*found.values(), *fixed)


def _rod_of(pole: Pole) -> HeightFeature:
    return replace(ROD, label=f"Fixed {pole.fixed_height_m:.3f} m {'rod' if pole.kind == 'pole' else pole.kind}")


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
            first = next((item for item in antenna.phase_centres if item.frequency == "G01"), antenna.phase_centres[0])
            return first.up_mm / 1000.0
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
    return {
        "base_features": [asdict(feature) for feature in base],
        "rover_features": [asdict(feature) for feature in rover],
        "rover_height_text": f"{rover[0].label.split()[1]} m" if rover[0].method == "rod" else ROD_TEXT,
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
    height = arp_height_m(reading, feature.method, feature.rim_radius_m, feature.feature_to_arp_m)
    return Height(text.strip(), reading, feature, height)
