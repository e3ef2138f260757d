"""How far the base's radio reaches by rule, with the powers, the antenna and the battery of the kit."""

from __future__ import annotations

from dataclasses import dataclass
from math import isfinite
from typing import Any

import numpy as np

from openstake.core.errors import InputError
from openstake.core.kit.gear import Battery, Radio
from openstake.core.link.reach import (
    USUAL_MARGIN_DB,
    USUAL_SENSITIVITY_DBM,
    RadioPath,
    fresnel_radius_m,
    lowest_power_w,
    power_levels,
    radio_horizon_km,
    raise_or_double,
)
from openstake.core.units import metres_from_text
from openstake.wire.tables.given import number_text
from openstake.workflow.context import Context, JobNow, job_of
from openstake.workflow.kit import profiles
from openstake.workflow.kit.gear import gear_by_name
from openstake.workflow.link.pair import USUAL_SIGNALS, air_of, chosen_ends
from openstake.workflow.now.marks import Places, current_places


@dataclass(frozen=True)
class ReachWish:
    """What a person changes of the path; texts as typed, empty for what the profile and the kit say."""

    distance_km: str = ""
    rover_height: str = ""
    sensitivity_dbm: str = ""
    margin_db: str = ""
    base_height: str = ""


def reach(context: Context, job_id: str, wish: ReachWish) -> dict[str, Any]:
    """Return what each power of the base's radio gives, and what raising its antenna gives against doubling the power."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        bases, _ = chosen_ends(session, job_id)
        kit = gear_by_name(session)
        places, _ = current_places(session, job)
    base = profiles.profile_of(bases[0]) if bases else None
    if base is None or base.transmitter is None or base.link.frequency_mhz is None:
        return {"available": False, "levels": [], "trade": None, "horizon_km": None, "fresnel_m": None, "distance_km": None,
                "lowest_power_w": None, "path": None}  # fmt: skip
    sent = base.transmitter
    path = RadioPath(
        base.link.frequency_mhz, _length(wish.base_height, "base_height", job, sent.antenna_height_m),
        _length(wish.rover_height, "rover_height", job, 2.0), sent.antenna_gain_dbi, 0.0,
        _number(wish.sensitivity_dbm, "sensitivity_dbm", USUAL_SENSITIVITY_DBM),
        _number(wish.margin_db, "margin_db", USUAL_MARGIN_DB),
    )  # fmt: skip
    path.check()
    distance = _number(wish.distance_km, "distance_km", _extent_km(places) or 1.0)
    if not 0.01 <= distance <= 200.0:
        raise InputError("The distance to cover lies between 0.01 and 200 km.", field="distance_km")
    radio, battery = kit.get(("radio", base.radio)), kit.get(("battery", base.battery))
    powers = {sent.power_w} | (
        {float(text) for text in radio.powers_w if _is_power(text)} if isinstance(radio, Radio) else set()
    )
    powers.discard(0.0)
    air = air_of(base, "", USUAL_SIGNALS, "")
    duty = air["duty"] if air else 0.5
    levels = power_levels(
        path, sorted(powers), distance, duty,
        (battery.volts, battery.amp_hours * battery.count) if isinstance(battery, Battery) else None,
        radio.draw_w if isinstance(radio, Radio) else None,
    ) if powers else []  # fmt: skip
    lowest = lowest_power_w(path, distance)
    return {
        "available": True, "path": vars(path), "distance_km": distance,
        "horizon_km": radio_horizon_km(path.base_height_m, path.rover_height_m),
        "fresnel_m": fresnel_radius_m(path.frequency_mhz, distance / 2.0, distance / 2.0),
        "lowest_power_w": lowest if isfinite(lowest) else None, "duty": duty,
        "levels": [vars(level) for level in levels],
        "trade": vars(raise_or_double(path, sent.power_w)) if sent.power_w > 0.0 else None,
    }  # fmt: skip


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
    try:
        return metres_from_text(text, job.length_unit) if text.strip() else usual
    except InputError as error:
        error.field = field
        raise
