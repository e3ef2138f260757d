import json
import random
from dataclasses import replace
from pathlib import Path

import crcmod
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pyrtcm import RTCMReader

from openstake.core.evidence import ObservableSet, StationReference
from openstake.core.judge.stream import judge_stream
from openstake.wire.rtcm3.bits import BitReader, BitWriter
from openstake.wire.rtcm3.frame import FrameReader, crc24q, frame_bytes
from openstake.wire.rtcm3.message import decode, observable_size
from openstake.wire.rtcm3.msm import METRES_PER_MS, Observation, decode_msm, encode_msm4, epoch_field, gps_time_of_week_s, lock_indicator
from openstake.wire.rtcm3.recent import RecentStream
from openstake.wire.rtcm3.station import Descriptor, GlonassBiases, encode_biases, encode_descriptor, encode_reference
from openstake.wire.rtcm3.summary import StreamSummary
from tests import published

CRC = crcmod.mkCrcFun(0x1864CFB, initCrc=0, rev=False, xorOut=0)
REAL_FRAMES = json.loads((Path(__file__).parent.parent / "data" / "rtcm3_frames.json").read_text())


def frames_of(data, piece=None):
    reader = FrameReader()
    size = piece or len(data) or 1
    found = [frame for at in range(0, len(data), size) for frame in reader.feed(data[at : at + size])]
    return found + list(reader.close()), reader


def one(data):
    return frames_of(data)[0][0]


def test_the_standard_s_1005_is_exact_both_ways():
    station = decode(one(published.RTCM_1005_EXAMPLE))

    assert (station.station_id, *station.xyz_m) == published.RTCM_1005_STATION
    assert station.antenna_height_m is None
    assert encode_reference(station) == published.RTCM_1005_EXAMPLE


@pytest.mark.parametrize("entry", REAL_FRAMES, ids=lambda entry: f"{entry['type']}-{entry['line']}")
def test_real_frames_read_as_pyrtcm_reads_them(entry):
    frame = one(bytes.fromhex(entry["hex"]))
    theirs = RTCMReader.parse(bytes.fromhex(entry["hex"]))

    ours = decode(frame)

    assert str(frame.number) == theirs.identity
    if isinstance(ours, StationReference):
        assert ours.xyz_m == pytest.approx((theirs.DF025, theirs.DF026, theirs.DF027), abs=1e-6)
        assert encode_reference(ours).hex() == entry["hex"]
    elif isinstance(ours, Descriptor):
        # pyrtcm gives the descriptor letter by letter.
        letters = [getattr(theirs, f"DF030_{n:02d}") for n in range(1, theirs.DF029 + 1)]
        assert list(ours.antenna) == [x.decode() if isinstance(x, bytes) else x for x in letters]
    elif isinstance(ours, ObservableSet):
        assert ours.satellites == theirs.DF035


def test_the_real_1006_holds_its_antenna_height():
    entry = next(entry for entry in REAL_FRAMES if entry["type"] == 1006)

    station = decode(one(bytes.fromhex(entry["hex"])))

    assert station.xyz_m == published.RTCM_1006_XYZ
    assert station.antenna_height_m == published.RTCM_1006_ANTENNA_HEIGHT


@given(st.binary(max_size=300))
def test_the_checksum_is_crc_24q(data):
    assert crc24q(data) == crcmod.mkCrcFun(0x1864CFB, initCrc=0, rev=False, xorOut=0)(data)


OBSERVATIONS = {
    (satellite, signal): Observation(
        pseudorange_m=20_000_000.0 + 300_000.123 * satellite + signal,
        phase_range_m=20_000_000.5 + 300_000.123 * satellite + signal,
        lock_s=12.0 * satellite,
        cnr_dbhz=30.0 + satellite,
    )
    for satellite in (1, 7, 12, 24)
    for signal in (2, 23)
    if (satellite, signal) != (7, 23)
}


@pytest.mark.parametrize(("number", "time_field"), [(1074, "DF004"), (1084, "DF034"), (1094, "DF248"), (1124, "DF427")])
def test_an_msm4_is_decoded_by_pyrtcm_to_what_was_put_in(number, time_field):
    data = encode_msm4(number, 17, 345_678.0, OBSERVATIONS, more_follow=number != 1124)

    theirs = RTCMReader.parse(data, labelmsm=0)

    assert theirs.identity == str(number)
    assert theirs.DF003 == 17
    assert theirs.NSat == 4
    assert theirs.NCell == len(OBSERVATIONS)
    satellites = sorted({satellite for satellite, _ in OBSERVATIONS})
    for place, (key, sent) in enumerate(sorted(OBSERVATIONS.items()), 1):
        row = satellites.index(key[0]) + 1
        rough = getattr(theirs, f"DF397_{row:02d}") + getattr(theirs, f"DF398_{row:02d}")
        code = (rough + getattr(theirs, f"DF400_{place:02d}")) * METRES_PER_MS
        phase = (rough + getattr(theirs, f"DF401_{place:02d}")) * METRES_PER_MS
        assert code == pytest.approx(sent.pseudorange_m, abs=METRES_PER_MS * 2**-24 / 2)
        assert phase == pytest.approx(sent.phase_range_m, abs=METRES_PER_MS * 2**-29 / 2 + 1e-6)
        assert getattr(theirs, f"DF403_{place:02d}") == sent.cnr_dbhz


@pytest.mark.parametrize("number", [1074, 1084, 1094, 1124])
def test_our_decoder_reads_the_same_and_the_time_in_gps_seconds(number):
    message = decode_msm(one(encode_msm4(number, 17, 345_678.0, OBSERVATIONS, more_follow=False)).payload)

    assert message.time_s == 345_678.0
    assert [(cell.satellite, cell.signal) for cell in message.cells] == sorted(OBSERVATIONS)
    assert message.cells[0].pseudorange_m == pytest.approx(OBSERVATIONS[(1, 2)].pseudorange_m, abs=0.01)


def msm_by_hand(form, satellites=3, signals=2):
    """Build an MSM with random columns straight from the standard's table of field widths (references: 10403.3)."""
    generator = random.Random(form)
    bits = BitWriter().unsigned(1070 + form, 12).unsigned(5, 12).unsigned(1000, 30).unsigned(0, 19)
    bits.unsigned(0b111 << 61, 64).unsigned(0b11 << 30, 32).unsigned((1 << satellites * signals) - 1, satellites * signals)
    satellite_fields = {1: (10,), 2: (10,), 3: (10,), 4: (8, 10), 5: (8, 4, 10, 14), 6: (8, 10), 7: (8, 4, 10, 14)}[form]
    cell_fields = {
        1: (15,),
        2: (22, 4, 1),
        3: (15, 22, 4, 1),
        4: (15, 22, 4, 1, 6),
        5: (15, 22, 4, 1, 6, 15),
        6: (20, 24, 10, 1, 10),
        7: (20, 24, 10, 1, 10, 15),
    }[form]
    for count, widths in ((satellites, satellite_fields), (satellites * signals, cell_fields)):
        for width in widths:
            for _ in range(count):
                bits.unsigned(generator.randrange(1, (1 << (width - 1)) or 2) if width > 1 else 0, width)
    return frame_bytes(bits.payload())


# pyrtcm 1.2.1 cannot read MSM2 (its table names a set where a mapping is due); MSM3 has the same columns and more.
@pytest.mark.parametrize("form", [1, 3, 4, 5, 6, 7])
def test_every_msm_form_reads_as_pyrtcm_reads_it(form):
    data = msm_by_hand(form)
    theirs, ours = RTCMReader.parse(data, labelmsm=0), decode_msm(one(data).payload)

    assert len(ours.cells) == theirs.NCell == 6
    for place, cell in enumerate(ours.cells, 1):
        row = (place - 1) // 2 + 1
        rough = getattr(theirs, f"DF397_{row:02d}", 0) + getattr(theirs, f"DF398_{row:02d}")
        for fields, value in ((("DF400", "DF405"), cell.pseudorange_m), (("DF401", "DF406"), cell.phase_range_m)):
            fine = next((getattr(theirs, f"{name}_{place:02d}") for name in fields if hasattr(theirs, f"{name}_{place:02d}")), None)
            assert value == (None if fine is None else pytest.approx((rough + fine) * METRES_PER_MS, abs=1e-4))
        cnr = getattr(theirs, f"DF403_{place:02d}", getattr(theirs, f"DF408_{place:02d}", None))
        assert cell.cnr_dbhz == (None if cnr is None else pytest.approx(cnr, abs=0.1))
        if form in (5, 7):
            rate = getattr(theirs, f"DF399_{row:02d}") + getattr(theirs, f"DF404_{place:02d}")
            assert cell.phase_rate_m_s == pytest.approx(rate, abs=1e-4)


def test_twelve_satellites_on_two_signals_take_202_bytes():
    # Worked from the field widths of RTCM 10403.3: (169 + 24 + 12 × 18 + 24 × 48) bits and 6 bytes of frame.
    full = {(sat, sig): OBSERVATIONS[(1, 2)] for sat in range(1, 13) for sig in (2, 23)}

    assert len(encode_msm4(1074, 1, 0.0, full, more_follow=False)) == 202


def test_a_1033_and_a_1230_are_read_by_pyrtcm():
    theirs = RTCMReader.parse(
        encode_descriptor(
            Descriptor(
                station_id=9,
                antenna="STANDIN ANTENNA A",
                setup_id=0,
                antenna_serial="0001",
                receiver="STANDIN BASE",
                firmware="1.0",
                receiver_serial="42",
            )
        )
    )
    biases = RTCMReader.parse(encode_biases(GlonassBiases(9, True, (1.0, -0.5, None, 0.02))))

    assert (theirs.identity, theirs.DF003, theirs.DF029) == ("1033", 9, 17)
    assert (biases.identity, biases.DF003, biases.DF423, biases.DF424, biases.DF426) == ("1230", 9, 1.0, -0.5, 0.02)


@pytest.mark.parametrize(
    ("held_s", "indicator"), [(0, 0), (0.031, 0), (0.032, 1), (0.063, 1), (0.064, 2), (1.024, 6), (524.287, 14), (524.288, 15), (9e9, 15)]
)
def test_lock_time_follows_the_standard_s_table(held_s, indicator):
    assert lock_indicator(held_s) == indicator  # RTCM 10403.3, table 3.5-74


@given(st.sampled_from([107, 108, 109, 112]), st.integers(0, 604_799_999))
def test_the_epoch_field_comes_back_in_every_time_system(decade, milliseconds):
    assert gps_time_of_week_s(decade, epoch_field(decade, milliseconds / 1000.0)) == pytest.approx(milliseconds / 1000.0, abs=1e-6)


def test_glonass_time_of_day_is_three_hours_ahead_of_utc():
    # 2026-11-24 (Tuesday) 22:00:00 UTC = Wednesday 01:00 in Moscow; GPS is 18 s ahead of UTC.
    field = epoch_field(108, 2 * 86_400 + 22 * 3600 + 18)

    assert (field >> 27, field & 0x7FFFFFF) == (3, 3_600_000)


GOOD = encode_reference(
    StationReference(station_id=7, x_m=3_800_000.0, y_m=-413_000.0, z_m=5_090_000.0, antenna_height_m=1.6, virtual=False)
)


@pytest.mark.parametrize("piece", [1, 2, 7, 4096])
def test_damage_is_counted_and_the_neighbours_survive(piece):
    broken = bytearray(GOOD)
    broken[10] ^= 0x40
    data = b"noise" + GOOD + bytes(broken) + GOOD + b"$GNGGA,junk\r\n" + GOOD + GOOD[:9]

    found, reader = frames_of(data, piece)

    assert len(found) == reader.frames == 3
    assert reader.bad_crc == 1
    assert reader.skipped_bytes == len(data) - 3 * len(GOOD)
    assert [data[frame.offset : frame.offset + frame.size] for frame in found] == [GOOD] * 3


def test_two_damaged_frames_in_a_row_are_two():
    broken = bytearray(GOOD)
    broken[12] ^= 1

    assert frames_of(GOOD + bytes(broken) * 2 + GOOD)[1].bad_crc == 2


@settings(max_examples=200)
@given(st.binary(max_size=400), st.integers(1, 50))
def test_garbage_never_crashes_and_every_byte_is_accounted_for(noise, piece):
    data = noise + GOOD + noise

    found, reader = frames_of(data, piece)
    for frame in found:
        try:
            decode(frame)
        except ValueError:
            continue

    assert sum(frame.size for frame in found) + reader.skipped_bytes == len(data)
    assert GOOD in [data[frame.offset : frame.offset + frame.size] for frame in found]


@given(st.integers(1, 4095), st.binary(max_size=60))
def test_a_valid_frame_with_any_payload_is_a_value_or_a_value_error(number, rest):
    payload = BitWriter().unsigned(number, 12).unsigned(0, 4).payload() + rest
    try:
        observable_size(one(frame_bytes(payload)))
        decode(one(frame_bytes(payload)))
    except ValueError:
        pass


def test_a_reader_past_the_end_says_so():
    with pytest.raises(ValueError, match="shorter"):
        BitReader(b"\x00").unsigned(9)


def test_intervals_follow_the_observables_clock_over_the_end_of_the_week():
    summary = StreamSummary()
    for second in range(-15, 16):
        time_s = (604_800 + second) % 604_800
        for number in (1074, 1084, 1124):
            summary.add(one(encode_msm4(number, 7, time_s, OBSERVATIONS, more_follow=number != 1124)))
        if second % 10 == 0:
            summary.add(one(GOOD))

    assert summary.messages[1074].mean_interval_s == summary.messages[1084].mean_interval_s == 1.0
    assert summary.messages[1006].mean_interval_s == 10.0
    assert np.ptp([row.epochs for number, row in summary.messages.items() if number != 1006]) == 0


def with_reserved_bits(frame):
    head = bytes([frame[0], frame[1] | 0xA8]) + frame[2:-3]
    return head + crc24q(head).to_bytes(3, "big")


def test_reserved_bits_that_are_not_zero_are_read_and_counted():
    """RTCM 10403.3, section 4: six reserved bits follow the preamble; CRC-24Q by crcmod over them."""
    odd = with_reserved_bits(published.RTCM_1005_EXAMPLE)
    assert CRC(odd) == 0
    for data in (odd * 3, b"noise" + published.RTCM_1005_EXAMPLE + odd * 3, odd + b"garbage" + odd + odd):
        frames, reader = frames_of(data)
        assert {frame.payload for frame in frames} == {published.RTCM_1005_EXAMPLE[3:-3]}
        assert reader.reserved == 3


@settings(max_examples=60, deadline=None)
@given(st.binary(max_size=3000), st.integers(1, 700))
def test_marks_find_just_the_stretches_whose_checksum_is_zero(noise, piece):
    frame = published.RTCM_1005_EXAMPLE
    data = noise[:1500] + frame + noise[1500:] + frame[:-1] + frame
    frames, reader = frames_of(data, piece)
    for found in frames:
        whole = data[found.offset : found.offset + found.size]
        assert CRC(whole) == 0
    assert frames_of(data)[0] == frames
    assert frame[3:-3] in [found.payload for found in frames]
    assert reader.skipped_bytes + sum(found.size for found in frames) == len(data)


def test_bytes_that_look_like_headers_throughout_are_read_once():
    """2026-11-27: D3 03 FF over and over took 37 s a MB, a thousand bytes of checksum at every third byte."""
    frames, reader = frames_of(b"\xd3\x03\xff" * 100_000 + published.RTCM_1005_EXAMPLE, 30_000)
    assert [frame.number for frame in frames] == [1005]
    assert reader.skipped_bytes == 300_000


def test_an_epoch_that_comes_in_several_messages_is_one_epoch():
    cells = {(satellite, 2): Observation(pseudorange_m=21e6, phase_range_m=21e6, lock_s=100.0, cnr_dbhz=45.0) for satellite in range(1, 21)}
    first = {cell: value for cell, value in cells.items() if cell[0] <= 12}
    second = {cell: value for cell, value in cells.items() if cell[0] > 12}
    summary, recent = StreamSummary(), RecentStream()
    shown = []
    for time_s in (100.0, 101.0, 102.0):
        for part, more in ((first, True), (second, False)):
            frame = one(encode_msm4(1074, 17, time_s, part, more))
            summary.add(frame)
            shown.append(recent.add(frame).satellites)
    assert summary.observables["GPS", "MSM4"] == ObservableSet(constellation="GPS", form="MSM4", satellites=20, cells=20, time_s=102.0)
    assert shown[2:] == [20, 20, 20, 20], "the last whole epoch, without flicker"


def positions(*stations):
    return [item.code for item in judge_stream([], [1005], stations, [17], 2, 0) if item.code == "station-position-changed"]


@pytest.mark.parametrize(
    ("second", "changed"),
    [
        ({}, False),
        ({"antenna_height_m": None}, False),  # 1005 beside 1006
        ({"antenna_height_m": 1.7}, True),
        ({"x_m": 3.8e6 + 0.001}, True),
    ],
)
def test_1005_beside_1006_is_no_change_of_position(second, changed):
    station = StationReference(station_id=17, x_m=3.8e6, y_m=-4.1e5, z_m=5.09e6, antenna_height_m=1.6, virtual=False)
    assert bool(positions(station, replace(station, **second))) is changed
    assert bool(positions(replace(station, **second), station)) is changed
