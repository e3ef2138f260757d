"""Talking to a caster before the work: its source table, whether a mountpoint sends, whether a base may push."""

from __future__ import annotations

import ssl
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from openstake.core.errors import DeviceError
from openstake.core.evidence import StationReference
from openstake.core.limits import POSITION_COMES_WITHIN_S
from openstake.live.network import Outside
from openstake.live.transport import NtripSource, Outcome, ask_caster
from openstake.wire.ntrip.http import ChunkReader, get_request, push_request
from openstake.wire.ntrip.sourcetable import TableRead, read_table
from openstake.wire.rtcm3.frame import Frame, FrameReader
from openstake.wire.rtcm3.summary import StreamSummary

MOST_TABLE_BYTES = 4 << 20
TABLE_TIMEOUT_S = 10.0
GGA_INTERVAL_S = 5.0


@dataclass(frozen=True, kw_only=True)
class Account:
    """Where a caster is and who asks; `ca_file` trusts one more certificate."""

    host: str
    port: int
    user: str | None = None
    password: str | None = None
    tls: bool = False
    ca_file: Path | None = None

    def context(self) -> ssl.SSLContext | None:
        return ssl.create_default_context(cafile=self.ca_file) if self.tls else None


def fetch_table(account: Account, outside: Outside) -> TableRead:
    """Return a caster's source table; DeviceError where it does not answer, or answers with something else."""
    request = get_request(account.host, "", 2, account.user, account.password)
    connection, reply, data = ask_caster(account.host, account.port, request, outside.network, account.context())
    try:
        end_s = outside.clock.monotonic() + TABLE_TIMEOUT_S
        raw = data
        while b"ENDSOURCETABLE" not in raw and outside.clock.monotonic() < end_s and len(raw) < MOST_TABLE_BYTES:
            piece = connection.recv(1 << 16)
            if not piece:
                break
            raw += piece
    except OSError:
        pass  # what came until then is read, and said not to be whole
    finally:
        connection.close()
    if not reply.source_table and b"STR;" not in raw:
        raise DeviceError("The caster answers, but not with a source table.", outcome=Outcome.NOT_A_CASTER)
    if reply.chunked:
        try:
            raw = b"".join(ChunkReader().feed(raw))
        except ValueError as error:
            raise DeviceError(f"The caster's source table is garbled: {error}.", outcome=Outcome.NOT_A_CASTER) from None
    return read_table(raw.decode("utf-8", "replace"))


@dataclass(frozen=True, kw_only=True)
class MountpointTest:
    """What came from a mountpoint: `connected` and `sending` are two lights.

    `outcome` says why it is not connected.  `positions` are the stations heard; `gga_sent` counts lines sent up.
    """

    connected: bool
    sending: bool
    outcome: Outcome | None
    sentence: str
    received_bytes: int = 0
    frames: int = 0
    messages: tuple[int, ...] = ()
    positions: tuple[StationReference, ...] = ()
    constellations: tuple[str, ...] = ()
    gga_sent: int = 0


def listen(account: Account, mountpoint: str, seconds: float, outside: Outside, gga: Callable[[], bytes] | None = None) -> MountpointTest:
    """Listen to a mountpoint for some seconds, or until its position and observables have come; never raises DeviceError.

    One that sends frames is listened to until its position must have come, however few the seconds.  `gga` writes the line that a virtual mountpoint needs, sent at once and every five seconds.
    """
    try:
        source = NtripSource(account.host, account.port, mountpoint, account.user, account.password, outside.network, account.context())
    except DeviceError as error:
        return MountpointTest(connected=False, sending=False, outcome=_outcome(error), sentence=error.sentence)
    reader, summary, received, sent = FrameReader(), StreamSummary(), 0, 0
    began_s = next_gga_s = outside.clock.monotonic()
    broke = ""
    try:
        while (now_s := outside.clock.monotonic()) - began_s < _patience_s(seconds, summary):
            if gga is not None and now_s >= next_gga_s:
                source.send(gga())
                sent, next_gga_s = sent + 1, now_s + GGA_INTERVAL_S
            data = source.read(0.2)
            received += len(data)
            for item in reader.feed(data):
                if isinstance(item, Frame):
                    summary.add(item)
    except DeviceError as error:
        broke = error.sentence
    finally:
        source.close()
    frames = sum(entry.count for entry in summary.messages.values())
    if frames:
        sentence = f"{frames} frames arrived."
    elif received:
        sentence = f"{received} bytes arrived, and no frame of RTCM 3 among them: another format."
    else:
        sentence = f"Connected, and silent for {seconds:.0f} s." + (f" {broke}" if broke else "")
    return MountpointTest(
        connected=True,
        sending=frames > 0,
        outcome=None,
        sentence=sentence,
        received_bytes=received,
        frames=frames,
        messages=tuple(sorted(summary.messages)),
        positions=tuple(summary.stations),
        constellations=tuple(sorted({constellation for constellation, _ in summary.observables})),
        gga_sent=sent,
    )


def _patience_s(seconds: float, summary: StreamSummary) -> float:
    """Return how long to listen in all, as far as what has come says."""
    if summary.stations:
        return 0.0 if summary.observables else seconds
    return max(seconds, POSITION_COMES_WITHIN_S) if summary.messages else seconds


def may_push(account: Account, mountpoint: str, outside: Outside) -> MountpointTest:
    """Say whether the caster lets a base push to a mountpoint.  Nothing is sent: `sending` is never lit by this."""
    request = push_request(account.host, mountpoint, account.user or "", account.password or "")
    try:
        connection, reply, _ = ask_caster(account.host, account.port, request, outside.network, account.context())
    except DeviceError as error:
        if error.seen.get("status") == 409:
            return MountpointTest(connected=True, sending=False, outcome=None, sentence=f"A base is connected to {mountpoint} already.")
        return MountpointTest(connected=False, sending=False, outcome=_outcome(error), sentence=error.sentence)
    connection.close()
    if reply.status == 404:
        return MountpointTest(
            connected=False,
            sending=False,
            outcome=Outcome.UNKNOWN_MOUNTPOINT,
            sentence=f"The caster knows no mountpoint {mountpoint} to push to.",
        )
    return MountpointTest(
        connected=True, sending=False, outcome=None, sentence=f"The caster lets this account push to {mountpoint}. Nothing was sent."
    )


def _outcome(error: DeviceError) -> Outcome:
    found = error.seen.get("outcome")
    return found if isinstance(found, Outcome) else Outcome.UNREACHABLE
