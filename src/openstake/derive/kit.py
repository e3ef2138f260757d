"""The kit as it stands: gear by kind and name, profiles in their newest versions, and which of them a job uses."""

from __future__ import annotations

import json
from dataclasses import dataclass
from functools import lru_cache

from sqlalchemy.orm import Session

from openstake.core.describe import typed
from openstake.core.errors import InputError
from openstake.core.evidence import RefersTo
from openstake.core.kit.gear import GEAR, NOT_SAID, Antenna, Battery, Gear, Pole, Radio, Receiver
from openstake.core.kit.profile import Profile
from openstake.store.jsoncolumn import write
from openstake.store.models import GearItem, ProfileVersion
from openstake.store.records.kits import chosen_lines, gear_rows, profile_rows
from openstake.wire.profile import read_profile


def gear_of(row: GearItem) -> Gear:
    return _gear(row.kind, write(row.data))


@lru_cache(maxsize=512)
def _gear(kind: str, data: str) -> Gear:
    return typed(GEAR[kind], json.loads(data), None)


def gear_by_name(session: Session) -> dict[tuple[str, str], Gear]:
    """Return the kit by kind and name."""
    return {(row.kind, row.name): gear_of(row) for row in gear_rows(session)}


def profile_of(row: ProfileVersion) -> Profile:
    return _profile(row.data)


@lru_cache(maxsize=512)
def _profile(data: str) -> Profile:
    return read_profile(data.encode())


def chosen_rows(session: Session, job_id: str) -> list[ProfileVersion]:
    """Return the rows of the profiles chosen for a job, in their newest versions."""
    chosen = chosen_lines(session, job_id)
    return [row for row in profile_rows(session) if row.line_id in chosen]


def chosen_profiles(session: Session, job_id: str) -> list[Profile]:
    """Return the profiles chosen for a job, in their newest versions."""
    return [profile_of(row) for row in chosen_rows(session, job_id)]


@dataclass(frozen=True)
class KitNow:
    """The gear of the data folder and the profiles of one job: read once, asked many things."""

    gear: dict[tuple[str, str], Gear]
    profiles: tuple[Profile, ...]

    def of_role(self, base: bool) -> list[Profile]:
        """Return the job's base profiles, or its rovers'."""
        return [profile for profile in self.profiles if (profile.role == "base") == base]

    def antennas(self, base: bool) -> list[Antenna]:
        found = (self.gear.get(("antenna", profile.antenna)) for profile in self.of_role(base))
        return [item for item in found if isinstance(item, Antenna)]

    def poles(self, base: bool) -> list[Pole]:
        found = (self.gear.get(("pole", profile.pole)) for profile in self.of_role(base))
        return [item for item in found if isinstance(item, Pole)]

    def receiver(self, base: bool) -> Receiver | None:
        found = (self.gear.get(("receiver", profile.receiver)) for profile in self.of_role(base))
        return next((item for item in found if isinstance(item, Receiver)), None)

    def radio(self, profile: Profile) -> Radio | None:
        item = self.gear.get(("radio", profile.radio))
        return item if isinstance(item, Radio) else None

    def battery(self, profile: Profile) -> Battery | None:
        item = self.gear.get(("battery", profile.battery))
        return item if isinstance(item, Battery) else None

    def phase_centre_m(self, base: bool) -> float | None:
        """Return how far an antenna's phase centre (GPS L1, else its first) lies above its ARP; None where unknown."""
        antenna = next((item for item in self.antennas(base) if item.phase_centres), None)
        if antenna is None:
            return None
        first = next((item for item in antenna.phase_centres if item.frequency == "G01"), antenna.phase_centres[0])
        return first.up_mm / 1000.0

    @property
    def rover_refers_to(self) -> RefersTo | None:
        """What the position of the job's rover refers to, as its receiver says; None where that has not been said yet.

        Without a receiver in the kit it is its ARP.
        """
        receiver = self.receiver(base=False)
        return RefersTo.ARP if receiver is None else refers_to_of(receiver)

    def said_refers_to(self, asked: RefersTo | None) -> RefersTo:
        """Return what a position refers to: as asked, else as its receiver says; InputError where neither says it."""
        said = asked or self.rover_refers_to
        if said is None:
            name = getattr(self.receiver(base=False), "name", "the rover")
            raise InputError(
                f"Say what the position of {name} refers to: its ARP, its phase centre, or the mark. It is asked once and kept in the kit.",
                field="refers_to",
            )
        return said


def refers_to_of(receiver: Receiver) -> RefersTo | None:
    """Return what a receiver's position refers to; None where that has not been said yet."""
    return None if receiver.nmea_refers_to == NOT_SAID else RefersTo(receiver.nmea_refers_to.lower())


def kit_of(session: Session, job_id: str) -> KitNow:
    """Return the kit as a job uses it."""
    return KitNow(gear_by_name(session), tuple(chosen_profiles(session, job_id)))
