"""Sentences written by the stand-in rover: GGA, GST, GSA, GSV and RMC after NMEA 0183 version 4.11."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from openstake.wire.nmea.sentence import sentence_bytes


def _angle(degrees: float, width: int, letters: str) -> str:
    """Return `ddmm.mmmmmmm,N`: seven decimals of a minute, 0.2 mm of latitude."""
    units = round(abs(degrees) * 60.0 * 10_000_000)
    whole, minutes = divmod(units, 60 * 10_000_000)
    return f"{whole:0{width}d}{minutes // 10_000_000:02d}.{minutes % 10_000_000:07d},{letters[degrees < 0]}"


def _clock(moment: datetime) -> str:
    return moment.strftime("%H%M%S.") + f"{moment.microsecond // 10_000:02d}"


def _or_empty(value: float | None, decimals: int) -> str:
    return "" if value is None else f"{value:.{decimals}f}"


@dataclass(frozen=True, kw_only=True)
class Fix:
    """What GGA, GST and RMC say of one moment (UTC): degrees and metres; None where there is no position."""

    moment: datetime
    quality: int
    latitude_deg: float | None
    longitude_deg: float | None
    altitude_m: float | None
    separation_m: float | None
    satellites: int
    hdop: float | None
    age_s: float | None
    station_id: int | None
    sigma_east_m: float | None
    sigma_north_m: float | None
    sigma_up_m: float | None
    speed_mps: float = 0.0

    @property
    def place(self) -> str:
        if self.latitude_deg is None or self.longitude_deg is None:
            return ",,,"
        return f"{_angle(self.latitude_deg, 2, 'NS')},{_angle(self.longitude_deg, 3, 'EW')}"


def gga(fix: Fix) -> bytes:
    """Return a GGA; the station field holds 0 to 1023, so a larger ID is left out."""
    station = "" if fix.station_id is None or fix.station_id > 1023 else f"{fix.station_id:04d}"
    return sentence_bytes(
        f"GNGGA,{_clock(fix.moment)},{fix.place},{fix.quality},{fix.satellites:02d},{_or_empty(fix.hdop, 2)},"
        f"{_or_empty(fix.altitude_m, 4)},M,{_or_empty(fix.separation_m, 4)},M,{_or_empty(fix.age_s, 1)},{station}"
    )


def gst(fix: Fix) -> bytes:
    """Return a GST: the claim of the receiver, one sigma, and its ellipse, whose axes lie east and north here."""
    east, north, up = fix.sigma_east_m, fix.sigma_north_m, fix.sigma_up_m
    ellipse = ",,"
    if east is not None and north is not None:
        ellipse = f"{max(east, north):.4f},{min(east, north):.4f},{90.0 if east > north else 0.0:.1f}"
    sides = ",".join(_or_empty(sigma, 4) for sigma in (north, east, up))
    return sentence_bytes(f"GNGST,{_clock(fix.moment)},,{ellipse},{sides}")


def rmc(fix: Fix) -> bytes:
    """Return an RMC without a course."""
    valid, mode = ("A", {1: "A", 2: "D", 4: "R", 5: "F"}.get(fix.quality, "N")) if fix.quality else ("V", "N")
    return sentence_bytes(
        f"GNRMC,{_clock(fix.moment)},{valid},{fix.place},{fix.speed_mps * 3600.0 / 1852.0:.2f},,{fix.moment.strftime('%d%m%y')},,,{mode},V"
    )


def gsa(satellite_ids: Sequence[int], system: int, fixed: bool, dops: tuple[float, float, float] | None) -> bytes:
    """Return the GSAs of one system, twelve satellites in each; `dops` is PDOP, HDOP, VDOP."""
    values = ",".join(f"{value:.2f}" for value in dops) if dops else ",,"
    out = b""
    for start in range(0, max(len(satellite_ids), 1), 12):
        ids = [f"{number:02d}" for number in satellite_ids[start : start + 12]]
        ids += [""] * (12 - len(ids))
        out += sentence_bytes(f"GNGSA,A,{3 if fixed else 1},{','.join(ids)},{values},{system}")
    return out


def gsv(talker: str, rows: Sequence[tuple[int, float, float, float | None]]) -> bytes:
    """Return the GSVs of one system; rows are (ID, elevation deg, azimuth deg, C/N0 dB-Hz or None without a signal)."""
    pages = [rows[start : start + 4] for start in range(0, len(rows), 4)]
    out = b""
    for page_number, page in enumerate(pages, 1):
        cells = ",".join(
            f"{n:02d},{round(el):02d},{round(az) % 360:03d},{'' if cnr is None else f'{round(cnr):02d}'}" for n, el, az, cnr in page
        )
        out += sentence_bytes(f"{talker}GSV,{len(pages)},{page_number},{len(rows):02d},{cells},1")
    return out
