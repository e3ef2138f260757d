"""Epochs to rows of the store and back, many at a time: angles stay as the text that was received."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from datetime import date
from typing import Any

from sqlalchemy import Integer, Row, case, cast, func, insert, select
from sqlalchemy.orm import Session

from openstake.core.evidence import Epoch
from openstake.store.models import EpochRow, ShotEpoch
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


def add_epochs(session: Session, values: Sequence[Mapping[str, Any]]) -> None:
    """Store epochs of rovers, as columns."""
    session.execute(insert(EpochRow), values)


def epochs_of_shots(session: Session, ids: Any) -> list[list[Any]]:
    """Return the epochs of shots in order, column by column: shot, quality, latitude and longitude as text, altitude, separation,
    whether it was used, age, time of day.

    `ids` are those of the shots, or a query for them.
    """
    epoch = ShotEpoch.__table__.c  # plain rows: nothing is mapped
    columns = (
        *(epoch.shot_id, epoch.quality, epoch.latitude_text, epoch.longitude_text),
        *(epoch.altitude_m, epoch.separation_m, epoch.used, epoch.age_s, epoch.time_of_day_s),
    )
    rows = session.execute(select(*columns).where(epoch.shot_id.in_(ids)).order_by(epoch.shot_id, epoch.n)).all()
    # A row of the result is quick to index and slow to unpack.
    return [[row[n] for row in rows] for n in range(len(columns))]


def slices_of(
    session: Session, line: Collection[str], since_s: float, seconds: float, count: int, ranks: Mapping[int, int], other: int
) -> Sequence[Row[Any]]:
    """Return a stretch of a rover's epochs in slices: when each begins and ends, and the worst in it.

    `ranks` are those of GGA qualities, the worst least, `other` that of any other one.
    """
    rank = case(dict(ranks), value=EpochRow.quality, else_=other)
    at = cast((EpochRow.host_s - since_s) * (count / seconds), Integer)
    query = (
        select(
            func.min(EpochRow.host_s).label("first_s"),
            func.max(EpochRow.host_s).label("last_s"),
            func.min(rank).label("rank"),
            func.max(EpochRow.age_s).label("age_s"),
            func.min(EpochRow.satellites).label("satellites"),
            # The axes of the ellipse where the receiver sends one.
            func.max(func.coalesce(EpochRow.sigma_major_m, EpochRow.sigma_east_m)).label("east_m"),
            func.max(func.coalesce(EpochRow.sigma_minor_m, EpochRow.sigma_north_m)).label("north_m"),
            func.max(EpochRow.sigma_up_m).label("up_m"),
            func.min(EpochRow.station_id).label("station_low"),
            func.max(EpochRow.station_id).label("station_high"),
        )
        .where(EpochRow.listening_id.in_(line), EpochRow.host_s.between(since_s, since_s + seconds))
        .group_by(at)
        .order_by(at)
    )
    return session.execute(query).all()
