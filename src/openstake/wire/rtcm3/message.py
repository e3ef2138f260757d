"""One place that knows which decoder reads which message number."""

from __future__ import annotations

from openstake.core.evidence import ObservableSet, StationReference
from openstake.wire.rtcm3 import legacy, msm
from openstake.wire.rtcm3.frame import Frame
from openstake.wire.rtcm3.msm import Msm, decode_msm
from openstake.wire.rtcm3.station import Descriptor, GlonassBiases, decode_biases, decode_descriptor, decode_reference

Message = StationReference | Descriptor | GlonassBiases | Msm | ObservableSet


def decode(frame: Frame) -> Message | None:
    """Return the message of a frame whole; None for numbers that nothing here reads.

    ValueError where a message is shorter than its fields.
    """
    number = frame.number
    if number in (1005, 1006):
        return decode_reference(frame.payload)
    if number in (1007, 1008, 1033):
        return decode_descriptor(frame.payload)
    if number == 1230:
        return decode_biases(frame.payload)
    if msm.is_msm(number):
        return decode_msm(frame.payload)
    if legacy.is_legacy(number):
        return legacy.decode_size(frame.payload)[1]
    return None


def observable_size(frame: Frame) -> tuple[int, ObservableSet] | None:
    """Return station ID and size of a message of observables from its header; None for any other message."""
    if msm.is_msm(frame.number):
        return msm.decode_size(frame.payload)
    if legacy.is_legacy(frame.number):
        return legacy.decode_size(frame.payload)
    return None
