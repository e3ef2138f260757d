"""Epochs to rows of the store and back: angles stay as the text that was received."""

from __future__ import annotations

from datetime import date
from typing import Any

from openstake.core.evidence import Epoch
from openstake.wire.nmea.sentence import degrees


def epoch_columns(epoch: Epoch, host_s: float, reference_id: str | None) -> dict[str, Any]:
    """Return an epoch as the columns of the store, with when it came by the host's clock and the base position heard before it."""
    return {
        "time_of_day_s": epoch.time_of_day_s,
        "date": epoch.date.isoformat() if epoch.date else None,
        "host_s": host_s,
        "quality": epoch.quality,
        "latitude_text": epoch.latitude_text,
        "longitude_text": epoch.longitude_text,
        "altitude_m": epoch.altitude_m,
        "separation_m": epoch.separation_m,
        "satellites": epoch.satellites,
        "pdop": epoch.pdop,
        "hdop": epoch.hdop,
        "vdop": epoch.vdop,
        "age_s": epoch.age_s,
        "station_id": epoch.station_id,
        "sigma_east_m": epoch.sigma_east_m,
        "sigma_north_m": epoch.sigma_north_m,
        "sigma_up_m": epoch.sigma_up_m,
        "sigma_major_m": epoch.sigma_major_m,
        "sigma_minor_m": epoch.sigma_minor_m,
        "orientation_deg": epoch.orientation_deg,
        "reference_id": reference_id,
    }


def epoch_of_columns(row: Any) -> Epoch:
    """Return the epoch of a stored row: angles parsed again from their text, so nothing was rounded on the way."""

    def angle(text: str) -> float | None:
        value, _, letter = text.partition(",")
        return degrees(value, letter)

    return Epoch(
        time_of_day_s=row.time_of_day_s,
        date=date.fromisoformat(row.date) if row.date else None,
        quality=row.quality,
        latitude_text=row.latitude_text,
        longitude_text=row.longitude_text,
        latitude_deg=angle(row.latitude_text),
        longitude_deg=angle(row.longitude_text),
        altitude_m=row.altitude_m,
        separation_m=row.separation_m,
        satellites=row.satellites,
        hdop=row.hdop,
        age_s=row.age_s,
        station_id=row.station_id,
        sigma_east_m=row.sigma_east_m,
        sigma_north_m=row.sigma_north_m,
        sigma_up_m=row.sigma_up_m,
        pdop=row.pdop,
        vdop=row.vdop,
        sigma_major_m=row.sigma_major_m,
        sigma_minor_m=row.sigma_minor_m,
        orientation_deg=row.orientation_deg,
    )
