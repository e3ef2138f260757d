"""Two ends of a link and a stream on it, from profiles alone: without a job, a database or a clock."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any, cast

from openstake.core.errors import FileError
from openstake.core.judge.finding import Finding, stops_of
from openstake.core.link.agree import End, RowState, in_words, judge_pair, pair_rows
from openstake.core.link.airload import AirLoad, Stream, air_load, chirp_rate_bps, chirp_time_on_air_s, judge_load, remedies
from openstake.wire.jsontext import JsonError, read_json
from openstake.wire.profile import MOST_BYTES
from openstake.workflow.captures import beginning_of

Scalar = str | bool | float | int | None


@dataclass(frozen=True, kw_only=True)
class PairRow:
    """One setting at both ends, as their profiles have it."""

    field: str
    label: str
    unit: str
    base: Scalar
    rover: Scalar
    state: RowState


@dataclass(frozen=True, kw_only=True)
class Agreement:
    """Whether two ends agree, what contradicts, and the pair sheet row by row."""

    agrees: bool
    base: str
    rover: str
    findings: list[Finding]
    rows: list[PairRow]


@dataclass(frozen=True, kw_only=True)
class AirRemedy:
    """A way to make the stream smaller, and what it comes to."""

    words: str
    share: float
    bits_per_second: float
    fits: bool


@dataclass(frozen=True, kw_only=True)
class Load(AirLoad):
    """What a stream needs of a link, what to say of it, and what to slow or drop first; packets of a chirp link."""

    rate_bps: float
    findings: list[Finding]
    remedies: list[AirRemedy]
    packet_bytes: int | None
    packet_time_on_air_s: float | None


def profile_file(path: Path) -> bytes:
    """Return a profile's file, or the beginning of a larger one, which no reader takes; FileError where it cannot be read."""
    return beginning_of(path, MOST_BYTES)


def end_of_file(content: bytes, name: str) -> End:
    """Return one end from a profile's file, whatever its values are: it is compared first.  FileError where it has no link."""
    if len(content) > MOST_BYTES:
        raise FileError(f"{name} has more than {MOST_BYTES >> 20} MB; a profile is much smaller.")
    try:
        document = read_json(content)
    except JsonError as error:
        raise FileError(f"{name} {error}.") from None
    if not isinstance(document, dict) or not isinstance(document.get("link"), dict):
        raise FileError(f'{name} is not a profile: it has no "link" object.')
    return end_of_document(document, name)


def end_of_document(document: Mapping[str, Any], name: str) -> End:
    messages = document.get("messages")
    numbers = [row.get("number") for row in messages if isinstance(row, dict)] if isinstance(messages, (list, tuple)) else []
    return End(
        name=str(document.get("name") or name),
        link=document["link"],
        constellations=_texts(document.get("constellations")),
        formats_read=_texts(document.get("formats_read")),
        messages=[number for number in numbers if isinstance(number, int)],
    )


def _texts(values: object) -> list[str]:
    return [value for value in values if isinstance(value, str)] if isinstance(values, (list, tuple)) else []


def agreement(base: End, rover: End) -> Agreement:
    """Return whether two ends agree, what contradicts, and the pair sheet row by row."""
    findings = judge_pair(base, rover)
    unknown = any(item.code == "link-setting-not-known" for item in findings)
    return Agreement(
        agrees=not (stops_of(findings) or unknown),
        base=base.name,
        rover=rover.name,
        findings=findings,
        rows=[
            PairRow(
                field=row.setting.field,
                label=row.setting.label,
                unit=row.setting.unit,
                base=cast(Scalar, in_words(row.setting.field, row.base)),
                rover=cast(Scalar, in_words(row.setting.field, row.rover)),
                state=row.state,
            )
            for row in pair_rows(base, rover)
        ],
    )


@dataclass(frozen=True)
class Chirp:
    """A chirp spread-spectrum link, in place of a rate."""

    spreading_factor: int
    bandwidth_khz: float
    coding_denominator: int

    @property
    def rate_bps(self) -> float:
        return chirp_rate_bps(self.spreading_factor, self.bandwidth_khz * 1000.0, self.coding_denominator)

    def packet(self, epoch_bytes: int) -> tuple[int, float]:
        """Return the largest packet of an epoch in bytes and how many seconds it is on the air."""
        size = min(LARGEST_PACKET, epoch_bytes)
        seconds = chirp_time_on_air_s(self.spreading_factor, self.bandwidth_khz * 1000.0, self.coding_denominator, size)
        return size, seconds


LARGEST_PACKET = 255  # bytes a chirp link sends at once


def load_of(stream: Stream, rate_bps: float, duty_limit: float | None, chirp: Chirp | None = None) -> Load:
    """Return what a stream needs of a link, what to say of it, and what to slow or drop first."""
    load = air_load(stream, rate_bps, duty_limit)
    packet = chirp.packet(load.bytes_per_epoch) if chirp else (None, None)
    ways = [
        AirRemedy(words=way.words, share=way.load.share, bits_per_second=way.load.bits_per_second, fits=way.load.fits)
        for way in remedies(stream, rate_bps, duty_limit)
    ]
    return Load(
        **vars(load),
        rate_bps=rate_bps,
        findings=judge_load(stream, rate_bps, duty_limit, load),
        remedies=ways,
        packet_bytes=packet[0],
        packet_time_on_air_s=packet[1],
    )
