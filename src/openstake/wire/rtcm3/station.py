"""Messages about the base itself: 1005 and 1006 (position), 1007, 1008 and 1033 (descriptors), 1230 (biases)."""

from __future__ import annotations

from dataclasses import dataclass

from openstake.core.evidence import StationReference
from openstake.wire.rtcm3.bits import BitReader, BitWriter
from openstake.wire.rtcm3.frame import frame_bytes

_PER_METRE = 10_000  # DF025 to DF028 count tenths of a millimetre


def decode_reference(payload: bytes) -> StationReference:
    """Return the ARP of a 1005 or 1006, in metres.  Source: RTCM 10403.3, tables 3.5-6 and 3.5-7."""
    bits = BitReader(payload)
    number, station_id = bits.unsigned(12), bits.unsigned(12)
    year, services, virtual = bits.unsigned(6), bits.unsigned(3), bool(bits.unsigned(1))
    x = bits.signed(38) / _PER_METRE
    oscillator = bits.unsigned(1)
    bits.unsigned(1)
    y = bits.signed(38) / _PER_METRE
    quarter_cycle = bits.unsigned(2)
    z = bits.signed(38) / _PER_METRE
    height = bits.unsigned(16) / _PER_METRE if number == 1006 else None
    return StationReference(
        station_id=station_id,
        x_m=x,
        y_m=y,
        z_m=z,
        antenna_height_m=height,
        virtual=virtual,
        services=services,
        realisation_year=year,
        single_oscillator=oscillator,
        quarter_cycle=quarter_cycle,
    )


def encode_reference(station: StationReference) -> bytes:
    """Return the frame of a 1006, or of a 1005 where the antenna height is None."""
    bits = BitWriter()
    bits.unsigned(1005 if station.antenna_height_m is None else 1006, 12).unsigned(station.station_id, 12)
    bits.unsigned(station.realisation_year, 6).unsigned(station.services, 3).unsigned(int(station.virtual), 1)
    bits.signed(round(station.x_m * _PER_METRE), 38).unsigned(station.single_oscillator, 1).unsigned(0, 1)
    bits.signed(round(station.y_m * _PER_METRE), 38).unsigned(station.quarter_cycle, 2)
    bits.signed(round(station.z_m * _PER_METRE), 38)
    if station.antenna_height_m is not None:
        bits.unsigned(round(station.antenna_height_m * _PER_METRE), 16)
    return frame_bytes(bits.payload())


@dataclass(frozen=True, slots=True, kw_only=True)
class Descriptor:
    """What the base says of its antenna and receiver; texts that a message does not carry are None."""

    station_id: int
    antenna: str
    setup_id: int
    antenna_serial: str | None = None
    receiver: str | None = None
    firmware: str | None = None
    receiver_serial: str | None = None


def decode_descriptor(payload: bytes) -> Descriptor:
    """Return a 1007, 1008 or 1033.  Source: RTCM 10403.3, section 3.5.5 and table 3.5-33."""
    bits = BitReader(payload)
    number, station_id = bits.unsigned(12), bits.unsigned(12)

    def text() -> str:
        return bits.text(bits.unsigned(8))

    antenna, setup_id = text(), bits.unsigned(8)
    serial = text() if number in (1008, 1033) else None
    if number != 1033:
        return Descriptor(station_id=station_id, antenna=antenna, setup_id=setup_id, antenna_serial=serial)
    return Descriptor(
        station_id=station_id,
        antenna=antenna,
        setup_id=setup_id,
        antenna_serial=serial,
        receiver=text(),
        firmware=text(),
        receiver_serial=text(),
    )


def encode_descriptor(descriptor: Descriptor) -> bytes:
    """Return the frame of a 1033, or of a 1008 where no receiver is named."""
    number = 1008 if descriptor.receiver is None else 1033
    bits = BitWriter().unsigned(number, 12).unsigned(descriptor.station_id, 12)
    bits.text(descriptor.antenna).unsigned(descriptor.setup_id, 8).text(descriptor.antenna_serial or "")
    if descriptor.receiver is not None:
        bits.text(descriptor.receiver).text(descriptor.firmware or "").text(descriptor.receiver_serial or "")
    return frame_bytes(bits.payload())


@dataclass(frozen=True, slots=True)
class GlonassBiases:
    """GLONASS code-phase biases in metres (L1 C/A, L1 P, L2 C/A, L2 P); None where not sent."""

    station_id: int
    aligned: bool
    biases_m: tuple[float | None, float | None, float | None, float | None]


def decode_biases(payload: bytes) -> GlonassBiases:
    """Return a 1230.  Source: RTCM 10403.3, table 3.5-80."""
    bits = BitReader(payload)
    bits.unsigned(12)
    station_id, aligned = bits.unsigned(12), bool(bits.unsigned(1))
    bits.unsigned(3)
    mask = bits.unsigned(4)
    values = [bits.signed(16) * 0.02 if mask & (8 >> place) else None for place in range(4)]
    return GlonassBiases(station_id, aligned, (values[0], values[1], values[2], values[3]))


def encode_biases(biases: GlonassBiases) -> bytes:
    """Return the frame of a 1230."""
    bits = BitWriter().unsigned(1230, 12).unsigned(biases.station_id, 12).unsigned(int(biases.aligned), 1).unsigned(0, 3)
    mask = sum(8 >> place for place, value in enumerate(biases.biases_m) if value is not None)
    bits.unsigned(mask, 4)
    for value in biases.biases_m:
        if value is not None:
            bits.signed(round(value / 0.02), 16)
    return frame_bytes(bits.payload())
