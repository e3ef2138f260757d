"""The source table: what a caster says of its streams."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, kw_only=True)
class StreamRow:
    """One STR row.  `needs_gga` and `network` as the table states them.  Source: RTCM 10410.1, section 8."""

    mountpoint: str
    identifier: str
    format: str
    format_details: str
    carrier: int | None
    systems: str
    network_name: str
    country: str
    latitude_deg: float | None
    longitude_deg: float | None
    needs_gga: bool
    network: bool
    generator: str
    authentication: str
    bit_rate_bps: int | None

    def line(self) -> str:
        """Return the row as a caster writes it."""
        cells = (
            "STR",
            self.mountpoint,
            self.identifier,
            self.format,
            self.format_details,
            "" if self.carrier is None else str(self.carrier),
            self.systems,
            self.network_name,
            self.country,
            "" if self.latitude_deg is None else f"{self.latitude_deg:.2f}",
            "" if self.longitude_deg is None else f"{self.longitude_deg:.2f}",
            str(int(self.needs_gga)),
            str(int(self.network)),
            self.generator,
            "none",
            self.authentication,
            "N",
            "" if self.bit_rate_bps is None else str(self.bit_rate_bps),
            "",
        )
        return ";".join(cells)


def table_text(rows: list[StreamRow]) -> str:
    """Return the body of a source table, its closing line included."""
    return "".join(row.line() + "\r\n" for row in rows) + "ENDSOURCETABLE\r\n"


@dataclass(frozen=True)
class TableRead:
    """A source table as read: its streams, and for each row that cannot be read why.  `whole`: its closing line came."""

    rows: list[StreamRow]
    refused: list[str]
    whole: bool


def read_table(text: str) -> TableRead:
    """Return the streams of a source table; rows of casters and networks are passed over.

    Source: RTCM 10410.1, section 8: fields between semicolons, the last one free text.
    """
    rows, refused, whole = [], [], False
    for line in text.replace("\r\n", "\n").split("\n"):
        cells = line.split(";")
        if line.startswith("ENDSOURCETABLE"):
            whole = True
            break
        if cells[0] != "STR":
            continue
        try:
            rows.append(stream_row(cells[1:]))
        except ValueError as error:
            refused.append(f"{cells[1][:40] if len(cells) > 1 and cells[1] else 'A row without a name'}: {error}.")
    return TableRead(rows, refused, whole)


def stream_row(cells: list[str]) -> StreamRow:
    """Return one STR row of the cells after `STR`; ValueError with what is wrong."""
    if len(cells) < 17:
        raise ValueError(f"it has {len(cells)} fields, not 18")
    if not cells[0].strip():
        raise ValueError("it names no mountpoint")
    latitude, longitude = _angle(cells[8], 90.0, "latitude"), _angle(cells[9], 360.0, "longitude")
    if longitude is not None and longitude > 180.0:
        longitude -= 360.0
    carrier, rate = cells[4].strip(), cells[16].strip()
    return StreamRow(
        mountpoint=cells[0].strip(),
        identifier=cells[1].strip(),
        format=cells[2].strip(),
        format_details=cells[3].strip(),
        carrier=int(carrier) if carrier.isdigit() else None,
        systems=cells[5].strip(),
        network_name=cells[6].strip(),
        country=cells[7].strip(),
        latitude_deg=latitude,
        longitude_deg=longitude,
        needs_gga=cells[10].strip() == "1",
        network=cells[11].strip() == "1",
        generator=cells[12].strip(),
        authentication=cells[14].strip(),
        bit_rate_bps=int(rate) if rate.isdigit() else None,
    )


def _angle(text: str, most: float, what: str) -> float | None:
    text = text.strip()
    if not text:
        return None
    try:
        value = float(text)
    except ValueError:
        raise ValueError(f"its {what} is '{text[:20]}'") from None
    if not abs(value) <= most:
        raise ValueError(f"its {what} of {value:g} is none")
    return value
