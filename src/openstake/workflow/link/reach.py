"""How far the base's radio reaches by rule, with the powers, the antenna and the battery of the kit."""

from __future__ import annotations

from dataclasses import dataclass
from math import isfinite

import numpy as np

from openstake.core.errors import InputError
from openstake.core.kit.gear import Radio
from openstake.core.kit.profile import Profile
from openstake.core.limits import USUAL_MARGIN_DB, USUAL_SENSITIVITY_DBM, ShortText
from openstake.core.link.reach import (
    PowerLevel,
    RadioPath,
    Trade,
    fresnel_radius_m,
    lowest_power_w,
    power_levels,
    radio_horizon_km,
    raise_or_double,
)
from openstake.core.units import metres_in_field
from openstake.derive.job import JobNow, job_of
from openstake.derive.kit import KitNow, kit_of
from openstake.derive.marks import Places, current_places
from openstake.wire.tables.control_reading import number_text
from openstake.workflow.context import Context
from openstake.workflow.link.pair import link_of


@dataclass(frozen=True, kw_only=True)
class ReachRequest:
    """What a person changes of the path; texts as typed, empty for what the profile and the kit say."""

    distance_km: ShortText = ""
    rover_height: ShortText = ""
    sensitivity_dbm: ShortText = ""
    margin_db: ShortText = ""
    base_height: ShortText = ""


@dataclass(frozen=True, kw_only=True)
class Reach:
    """What each power of the base's radio gives, by rule and without terrain; nothing where there is no radio."""

    available: bool
    path: RadioPath | None
    distance_km: float | None
    horizon_km: float | None
    fresnel_m: float | None
    lowest_power_w: float | None
    duty: float | None
    levels: list[PowerLevel]
    trade: Trade | None


_NO_RADIO = Reach(
    available=False, path=None, distance_km=None, horizon_km=None, fresnel_m=None, lowest_power_w=None, duty=None, levels=[], trade=None
)


def reach(context: Context, job_id: str, request: ReachRequest) -> Reach:
    """Return what each power of the base's radio gives, and what raising its antenna gives against doubling the power."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        kit = kit_of(session, job_id)
        places, _ = current_places(session, job)
        air = link_of(session, job, kit, context.now(job_id)).air
    base = next(iter(kit.of_role(base=True)), None)
    path = None if base is None else _path(base, job, request)
    if base is None or path is None or base.transmitter is None:
        return _NO_RADIO
    path.check()
    distance = _number(request.distance_km, "distance_km", _extent_km(places) or 1.0)
    if not 0.01 <= distance <= 200.0:
        raise InputError("The distance to cover lies between 0.01 and 200 km.", field="distance_km")
    duty = air.duty if air else 0.5
    lowest = lowest_power_w(path, distance)
    power_w = base.transmitter.power_w
    return Reach(
        available=True,
        path=path,
        distance_km=distance,
        horizon_km=radio_horizon_km(path.base_height_m, path.rover_height_m),
        fresnel_m=fresnel_radius_m(path.frequency_mhz, distance / 2.0, distance / 2.0),
        lowest_power_w=lowest if isfinite(lowest) else None,
        duty=duty,
        levels=_levels(kit, base, power_w, path, distance, duty),
        trade=raise_or_double(path, power_w) if power_w > 0.0 else None,
    )


def _path(base: Profile, job: JobNow, request: ReachRequest) -> RadioPath | None:
    sent = base.transmitter
    if sent is None or base.link.frequency_mhz is None:
        return None
    return RadioPath(
        frequency_mhz=base.link.frequency_mhz,
        base_height_m=_length(request.base_height, "base_height", job, sent.antenna_height_m),
        rover_height_m=_length(request.rover_height, "rover_height", job, 2.0),
        base_gain_dbi=sent.antenna_gain_dbi,
        rover_gain_dbi=0.0,
        sensitivity_dbm=_number(request.sensitivity_dbm, "sensitivity_dbm", USUAL_SENSITIVITY_DBM),
        margin_db=_number(request.margin_db, "margin_db", USUAL_MARGIN_DB),
    )


def _levels(kit: KitNow, base: Profile, power_w: float, path: RadioPath, distance_km: float, duty: float) -> list[PowerLevel]:
    """Return what each power that the radio can be set to gives."""
    radio, battery = kit.radio(base), kit.battery(base)
    powers = ({power_w} | _powers_of(radio)) - {0.0}
    if not powers:
        return []
    return power_levels(
        path,
        sorted(powers),
        distance_km,
        duty,
        (battery.volts, battery.amp_hours * battery.count) if battery else None,
        radio.draw_w if radio else None,
    )


def _powers_of(radio: Radio | None) -> set[float]:
    return {float(text) for text in radio.powers_w if _is_power(text)} if radio else set()


def _extent_km(places: Places) -> float | None:
    """Return how far the farthest mark lies from the middle of all, in km; None where there are fewer than two."""
    grid = places.grid_m[np.isfinite(places.grid_m).all(axis=1)]
    if len(grid) < 2:
        return None
    return float(np.hypot(*(grid - np.median(grid, axis=0)).T).max()) / 1000.0


def _is_power(text: str) -> bool:
    number = number_text(text)
    return number is not None and 0.0 < float(number) <= 100.0


def _number(text: str, field: str, usual: float) -> float:
    if not text.strip():
        return usual
    number = number_text(text)
    if number is None:
        raise InputError(f"'{text[:20]}' is not a number.", field=field)
    return float(number)


def _length(text: str, field: str, job: JobNow, usual: float) -> float:
    typed = metres_in_field(text, job.length_unit, field)
    return usual if typed is None else typed
