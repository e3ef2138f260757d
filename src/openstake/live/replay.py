"""A recorded file in pieces of one epoch, each with its time, so that it can be played at its own pace."""

from __future__ import annotations

from collections.abc import Generator
from pathlib import Path

from openstake.core.constants import DAY_S, WEEK_S
from openstake.core.errors import FileError
from openstake.wire.nmea.sentence import fields_of, time_of_day_s
from openstake.wire.rtcm3.frame import FrameReader, frame_bytes
from openstake.wire.rtcm3.message import observable_size

_SNIFF_BYTES = 1 << 16

Piece = tuple[float | None, bytes]


def replay_pieces(path: Path) -> Generator[Piece]:
    """Return pieces of a capture with ascending times in seconds; FileError where it is neither RTCM 3 nor NMEA."""
    try:
        with path.open("rb") as file:
            start = file.read(_SNIFF_BYTES)
    except OSError as error:
        raise FileError(f"{path} cannot be read: {error.strerror or error}.") from None
    reader = FrameReader()
    if any(True for _ in reader.feed(start)) or any(True for _ in reader.close()):
        return _frames(path)
    if any(_time_of_line(line) is not None for line in start.split(b"\n")):
        return _lines(path)
    raise FileError(f"{path} holds neither RTCM 3 frames nor NMEA epochs in its first {len(start)} bytes.")


def _forward(time_s: float, last_s: float | None, period_s: float) -> float:
    """Return a wrapping time as one that ascends."""
    return time_s if last_s is None else last_s + (time_s - last_s) % period_s


def _frames(path: Path) -> Generator[Piece]:
    """Whole frames, those of one epoch together; what lies outside frames is noise and is not replayed."""
    reader, held, time_s = FrameReader(), b"", None
    with path.open("rb") as file:
        while data := file.read(_SNIFF_BYTES):
            for frame in reader.feed(data):
                sized = observable_size(frame)
                if sized and sized[1].time_s is not None:
                    moment = _forward(sized[1].time_s, time_s, WEEK_S)
                    if time_s is not None and moment != time_s:
                        yield time_s, held
                        held = b""
                    time_s = moment
                held += frame_bytes(frame.payload)
    yield time_s, held


def _lines(path: Path) -> Generator[Piece]:
    held, time_s = b"", None
    with path.open("rb") as file:
        for line in iter(lambda: file.readline(_SNIFF_BYTES), b""):
            moment = _time_of_line(line)
            if moment is not None:
                moment = _forward(moment, time_s, DAY_S)
                if time_s is not None and moment != time_s:
                    yield time_s, held
                    held = b""
                time_s = moment
            held += line
    yield time_s, held


def _time_of_line(line: bytes) -> float | None:
    try:
        fields = fields_of(line)
        return time_of_day_s(fields[1]) if fields and fields[0].endswith("GGA") else None
    except ValueError:
        return None
