"""Heights of antennas: what people measure to, from the gear of the job's profiles, and the readings as they stand."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy.orm import Session

from openstake.core.antenna import HeightSigmas, MeanHeight, MeasuredTo, TypedReading, arp_height_m, mean_height
from openstake.core.errors import InputError
from openstake.core.judge.height import KnownAntenna
from openstake.core.kit.gear import BOTTOM, HeightFeature
from openstake.core.limits import HEIGHTS_AGREE_M
from openstake.core.units import metres_from_text, text_from_metres
from openstake.derive.kit import KitNow
from openstake.store.models import HeightReading
from openstake.store.records import lines
from openstake.store.records.heights import readings_of

POLE = MeasuredTo(
    name="pole", label="Telescopic pole, read at its clamp", method="vertical", hint="The clamp's scale gives the bottom of mount."
)
ROD_HEIGHT_M = 2.0
# One tape reading, the rim's radius, the feature's offset; and setting up over the mark (common practice).
SIGMAS = HeightSigmas(0.001, 0.0005, 0.0005)
SETTING_UP_SIGMA_M = 0.001
ROVER_HEIGHT_SIGMA_M = 0.001


@dataclass(frozen=True)
class BaseHeight:
    """The height of a base as it stands: the mean of its readings, and the rows it rests on."""

    ids: tuple[str, ...]
    readings: tuple[TypedReading, ...]
    mean: MeanHeight

    @property
    def arp_height_m(self) -> float:
        return self.mean.arp_height_m

    @property
    def text(self) -> str:
        return " and ".join(f"'{reading.text}'" for reading in self.readings)

    @property
    def sigma_m(self) -> float:
        """One sigma of the ARP over the mark, setting up included.

        Readings that are farther apart than their own sigma says claim no more than half of what they are apart.
        """
        return float((max(self.mean.sigma_m, self.mean.spread_m / 2.0) ** 2 + SETTING_UP_SIGMA_M**2) ** 0.5)


@dataclass(frozen=True)
class Readings:
    """The readings of a base, oldest first, those that were replaced included."""

    rows: tuple[HeightReading, ...] = ()

    def current(self, moment: str) -> list[HeightReading]:
        """Return the readings of a moment as they stand, those set aside included."""
        return [row for row in lines.current(self.rows) if row.moment == moment]

    def height(self, moment: str) -> BaseHeight | None:
        """Return the height from the readings that are used; None where there is none."""
        return _height([row for row in self.current(moment) if not row.set_aside])

    def height_of(self, ids: Collection[str]) -> BaseHeight | None:
        """Return the height from some readings, whether they are current or not; None where none is among them."""
        return _height([row for row in self.rows if row.id in ids])


def _height(used: Sequence[HeightReading]) -> BaseHeight | None:
    if not used:
        return None
    typed = tuple(as_typed(row) for row in used)
    return BaseHeight(tuple(row.id for row in used), typed, mean_height(typed, SIGMAS))


def readings_of_setup(session: Session, setup_id: str) -> Readings:
    """Return the readings of a set-up."""
    return Readings(readings_of(session, setup_id))


def as_typed(row: HeightReading, features: Sequence[MeasuredTo] = ()) -> TypedReading:
    """Return a stored reading as it was typed, by whom, when, and in the unit of then; the own height of a rod from the kit of today."""
    fixed = next((item.fixed_height_m for item in features if item.name == row.feature), None)
    to = MeasuredTo(
        name=row.feature,
        label=row.feature_label,
        method=row.method,
        rim_radius_m=row.rim_radius_m,
        feature_to_arp_m=row.feature_to_arp_m,
        fixed_height_m=fixed if row.method == "rod" else None,
    )
    return TypedReading(text=row.text, reading_m=row.reading_m, to=to, bare_unit=row.bare_unit, who=row.who, read_s=row.created_s)


def _of_feature(feature: HeightFeature) -> MeasuredTo:
    return MeasuredTo(
        name=feature.name,
        label=feature.label,
        method=feature.method,
        rim_radius_m=feature.rim_radius_m,
        feature_to_arp_m=feature.feature_to_arp_m,
        hint=feature.hint,
    )


def _rod(height_m: float, word: str = "rod") -> MeasuredTo:
    return MeasuredTo(
        name="rod",
        label=f"Fixed {height_m:.3f} m {word}",
        method="rod",
        hint="The rod's tip to the bottom of mount.",
        fixed_height_m=height_m,
    )


def features_of(kit: KitNow, subject: str) -> tuple[MeasuredTo, ...]:
    """Return what a height can be measured to: on the antenna and tripod of the job's base, or on the rover's pole.

    Without a profile it is the bottom of mount for the base, a 2 m rod or a telescopic pole for the rover.
    """
    base = subject == "base"
    fixed = [
        _rod(pole.fixed_height_m, "rod" if pole.kind == "pole" else pole.kind)
        for pole in kit.poles(base)
        if pole.fixed_height_m is not None
    ]
    if not base:
        return (*(fixed or [_rod(ROD_HEIGHT_M)]), POLE)
    found = {feature.name: _of_feature(feature) for antenna in kit.antennas(base) for feature in antenna.features}
    return (*(found or {BOTTOM.name: _of_feature(BOTTOM)}).values(), *fixed)


def known_antenna(kit: KitNow) -> KnownAntenna:
    """Return what a reading of the job's base may have been measured to."""
    return KnownAntenna(features_of(kit, "base"), kit.phase_centre_m(base=True))


def rover_arp_to_apc_m(kit: KitNow) -> float:
    """Return how far the rover antenna's phase centre lies above its ARP, in metres; InputError where nobody knows."""
    above = kit.phase_centre_m(base=False)
    if above is None:
        raise InputError(
            "The rover's position refers to its phase centre, and no rover antenna of the job has one in the kit. "
            "Add its offset under Kit, or choose the ARP.",
            field="refers_to",
        )
    return above


def read_height(kit: KitNow, unit: str, text: str, feature_key: str, subject: str) -> TypedReading:
    """Return what was typed as a reading; a sentence where it cannot be read or cannot be."""
    feature = next((item for item in features_of(kit, subject) if item.name == feature_key), None)
    if feature is None:
        raise InputError("Choose the feature that the height was measured to.", field="feature")
    try:
        reading = metres_from_text(text, unit)
    except InputError as error:
        error.field = "reading"
        raise
    arp_height_m(reading, feature)  # raises where it cannot be
    fixed_m = feature.fixed_height_m
    if subject == "rover" and fixed_m is not None and abs(reading - fixed_m) > HEIGHTS_AGREE_M:
        raise InputError(
            f"'{text.strip()[:40]}' was typed, and the {feature.in_a_sentence} is {text_from_metres(fixed_m, unit)}. Is it another pole, or "
            "not fully extended? Then measure it and choose the telescopic pole; else type the rod's height.",
            field="reading",
        )
    return TypedReading(text=text.strip(), reading_m=reading, to=feature, bare_unit=unit)


def height_row(reading: TypedReading, job_id: str, now: float, subject: str, **more: Any) -> HeightReading:
    """Return the row that stores a reading."""
    to = reading.to
    return HeightReading(
        job_id=job_id,
        subject=subject,
        text=reading.text,
        reading_m=reading.reading_m,
        bare_unit=reading.bare_unit,
        method=to.method,
        feature=to.name,
        feature_label=to.label,
        rim_radius_m=to.rim_radius_m,
        feature_to_arp_m=to.feature_to_arp_m,
        arp_height_m=reading.arp_height_m,
        created_s=now,
        **more,
    )
