"""The source table: what a caster says of its streams."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
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
            "STR", self.mountpoint, self.identifier, self.format, self.format_details,
            "" if self.carrier is None else str(self.carrier), self.systems, self.network_name, self.country,
            "" if self.latitude_deg is None else f"{self.latitude_deg:.2f}",
            "" if self.longitude_deg is None else f"{self.longitude_deg:.2f}",
            str(int(self.needs_gga)), str(int(self.network)), self.generator, "none", self.authentication, "N",
            "" if self.bit_rate_bps is None else str(self.bit_rate_bps), "",
        )  # fmt: skip
        return ";".join(cells)


def table_text(rows: list[StreamRow]) -> str:
    """Return the body of a source table, its closing line included."""
    return "".join(row.line() + "\r\n" for row in rows) + "ENDSOURCETABLE\r\n"
