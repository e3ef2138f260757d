"""RINEX of ours read by georinex, and files of others and of nobody read by us."""

import gzip
from pathlib import Path

import numpy as np
import pytest
from pyrtcm import RTCMReader, rtcmtables

from openstake.core.constants import SPEED_OF_LIGHT_M_S
from openstake.core.errors import FileError
from openstake.core.evidence import StationReference
from openstake.core.observation import ObservationEpoch, Observed, wavelength_m
from openstake.wire.rinex.from_msm import SIGNALS, MsmEpochs, satellite_name
from openstake.wire.rinex.write import RinexHeader, write_observations
from openstake.wire.rtcm3.bits import BitWriter
from openstake.wire.rtcm3.channels import channels_of
from openstake.wire.rtcm3.frame import FrameReader, frame_bytes
from openstake.wire.rtcm3.msm import Observation, encode_msm4
from openstake.wire.rtcm3.station import encode_reference
from openstake.workflow.base.rawdata import StreamToRinex
from tests.texts import read_navigation, read_observations

RINEX = Path(__file__).parent.parent / "data" / "rinex"
WEDNESDAY_S = 1_795_564_800.0  # 2026-11-25, in Unix seconds
TOW_S = 259_218.0  # that midnight in GPS time
A_TENTH_OF_A_PERCENT_OF_A_CYCLE = 0.001
MSM_STEP_M = SPEED_OF_LIGHT_M_S / 1000 * 2.0**-24


def channel_1020(satellite, channel):
    bits = BitWriter().unsigned(1020, 12).unsigned(satellite, 6).unsigned(channel + 7, 5)
    return frame_bytes(bits.unsigned(0, 337).payload())


def stream(epochs, with_channel=True):
    """Return what was sent, and its bytes: GPS 5 (L1C, L2W), GLONASS 3, Galileo 11 and BeiDou 30 once a second."""
    out, sent = b"", []
    if with_channel:
        out += channel_1020(3, 5)
    out += encode_reference(
        StationReference(station_id=17, x_m=3_800_000.0, y_m=-413_000.0, z_m=5_090_000.0, antenna_height_m=1.546, virtual=False)
    )
    for n in range(epochs):
        lock = float(n) if n < 8 else 0.01 * n  # the lock of all is lost at the ninth
        cells = {
            1074: {
                (5, 2): Observation(pseudorange_m=21e6 + 100.25 * n, phase_range_m=21e6 + 100.0 * n, lock_s=lock, cnr_dbhz=45.0),
                (5, 10): Observation(pseudorange_m=21e6 + 3 + 100 * n, phase_range_m=21e6 + 100.0 * n, lock_s=lock, cnr_dbhz=40.0),
            },
            1084: {(3, 2): Observation(pseudorange_m=20e6 - 50.0 * n, phase_range_m=20e6 - 50.5 * n, lock_s=lock, cnr_dbhz=44.0)},
            1094: {(11, 2): Observation(pseudorange_m=24e6 + 7.0 * n, phase_range_m=24e6 + 7.0 * n, lock_s=lock, cnr_dbhz=43.0)},
            1124: {(30, 2): Observation(pseudorange_m=22e6, phase_range_m=22e6 + 0.5 * n, lock_s=lock, cnr_dbhz=42.0)},
        }
        for place, (number, of_number) in enumerate(cells.items()):
            out += encode_msm4(number, 17, TOW_S + n, of_number, place < 3)
        sent.append(cells)
    return sent, out


def rinex_of(data, interval_s=0.0):
    maker = StreamToRinex(WEDNESDAY_S, interval_s)
    maker.feed([data[:500], data[500:]])
    place = maker.station.xyz_m
    return maker, maker.close(
        RinexHeader(marker="CS1", approximate_xyz_m=place, antenna_height_m=1.546, observer="crew", made_unix_s=WEDNESDAY_S)
    )


def test_what_was_sent_is_read_back_by_georinex(tmp_path):
    sent, data = stream(12)
    maker, text = rinex_of(data)
    path = tmp_path / "cs1.rnx"
    path.write_text(text)

    import georinex

    found = georinex.load(path)
    header = georinex.rinexheader(path)

    assert [str(t)[:19] for t in found.time.values[[0, -1]]] == ["2026-11-25T00:00:18", "2026-11-25T00:00:29"]
    assert header["position"] == pytest.approx([3_800_000.0, -413_000.0, 5_090_000.0], abs=1e-4)
    for number, name, code, key in (
        (1074, "G05", "1C", (5, 2)),
        (1074, "G05", "2W", (5, 10)),
        (1084, "R03", "1C", (3, 2)),
        (1094, "E11", "1C", (11, 2)),
        (1124, "C30", "2I", (30, 2)),
    ):
        wavelength = wavelength_m(name[0], code[0], 5)
        of_satellite = found.sel(sv=name)
        for n, cells in enumerate(sent):
            truth = cells[number][key]
            assert float(of_satellite[f"C{code}"][n]) == pytest.approx(truth.pseudorange_m, abs=MSM_STEP_M)
            assert float(of_satellite[f"L{code}"][n]) == pytest.approx(
                truth.phase_range_m / wavelength, abs=0.0005 / wavelength + A_TENTH_OF_A_PERCENT_OF_A_CYCLE
            )
            assert float(of_satellite[f"S{code}"][n]) == truth.cnr_dbhz
    # The lock that was lost shows at the ninth epoch and nowhere else.
    own = read_observations(text)
    assert [epoch.satellites["G05"]["L1C"].lli for epoch in own.epochs] == [0] * 8 + [1] + [0] * 3
    assert own.antenna_height_m == 1.546 and not maker.epochs.without_phase


def test_glonass_phase_is_left_out_where_no_message_says_the_channel():
    _, data = stream(3, with_channel=False)
    maker, text = rinex_of(data)

    assert maker.epochs.without_phase == {"R03"}
    assert "No phase for R03" in text
    values = read_observations(text).epochs[0].satellites["R03"]
    assert set(values) == {"C1C", "S1C"}


def test_an_interval_keeps_its_multiples_and_remembers_a_lost_lock_between_them():
    _, data = stream(12)
    _, text = rinex_of(data, interval_s=5.0)
    epochs = read_observations(text).epochs

    assert [epoch.gps_s % 60 for epoch in epochs] == [20.0, 25.0]
    _, text = rinex_of(stream(14)[1], interval_s=5.0)
    assert [epoch.satellites["G05"]["L1C"].lli for epoch in read_observations(text).epochs] == [0, 0, 1]


def test_a_stream_without_observations_is_a_sentence():
    with pytest.raises(FileError, match="no MSM observations"):
        rinex_of(encode_reference(StationReference(station_id=17, x_m=3.8e6, y_m=-4e5, z_m=5e6, antenna_height_m=1.5, virtual=False)))


@pytest.mark.parametrize(
    ("constellation", "table"),
    [
        ("GPS", "GPS_SIG_MAP"),
        ("GLONASS", "GLONASS_SIG_MAP"),
        ("Galileo", "GALILEO_SIG_MAP"),
        ("SBAS", "SBAS_SIG_MAP"),
        ("QZSS", "QZSS_SIG_MAP"),
        ("BeiDou", "BEIDOU_SIG_MAP"),
    ],
)
def test_signal_numbers_mean_what_pyrtcm_says_they_mean(constellation, table):
    theirs = {int(number): (code[-1] if isinstance(code, tuple | list) else code) for number, code in getattr(rtcmtables, table).items()}
    ours = SIGNALS[constellation][1]

    assert {n: ours[n] for n in ours if n in theirs} == {n: theirs[n] for n in ours if n in theirs}
    assert set(theirs) - set(ours) == set()


def test_channels_come_from_every_message_that_has_them():
    # Width of 1012 as the standard has it, its satellites written by hand: 130 bits each.
    legacy = BitWriter().unsigned(1012, 12).unsigned(17, 12).unsigned(0, 27).unsigned(0, 1).unsigned(2, 5).unsigned(0, 4)
    for satellite, channel in ((3, 5), (14, -7)):
        legacy.unsigned(satellite, 6).unsigned(0, 1).unsigned(channel + 7, 5).unsigned(0, 118)
    assert channels_of(legacy.payload()) == {3: 5, 14: -7}
    msm7 = BitWriter().unsigned(1087, 12).unsigned(17, 12).unsigned(0, 30).unsigned(0, 19)
    msm7.unsigned((1 << 63) | (1 << 61) | (1 << 60), 64).unsigned(1 << 30, 32).unsigned(0b111, 3)
    for column in ((70, 71, 72), (8, 0, 15)):
        for value in column:
            msm7.unsigned(value, 8 if column[0] == 70 else 4)
    # 15 means unknown: that satellite has no channel.
    assert channels_of(msm7.payload()) == {1: 1, 3: -7}
    (frame,) = FrameReader().feed(channel_1020(9, -2))
    assert channels_of(frame.payload) == {9: -2}
    (theirs,) = [parsed for _, parsed in RTCMReader(__import__("io").BytesIO(channel_1020(9, -2)))]
    assert (theirs.DF038, theirs.DF040) == (9, 5)


def test_midnight_at_the_week_s_end_goes_on():
    cells = {(5, 2): Observation(pseudorange_m=21e6, phase_range_m=21e6, lock_s=100.0, cnr_dbhz=45.0)}
    data = b"".join(encode_msm4(1074, 17, second, cells, False) for second in (604_798.0, 604_799.0, 0.0, 1.0))
    maker = MsmEpochs(near_gps_s=2446 * 604_800.0)
    epochs = [*maker.feed(FrameReader().feed(data)), *maker.close()]

    assert np.diff([epoch.gps_s for epoch in epochs]).tolist() == [1.0, 1.0, 1.0]


def test_satellites_are_named_as_rinex_names_them():
    assert (satellite_name("G", 5), satellite_name("S", 1), satellite_name("J", 1)) == ("G05", "S20", "J01")


@pytest.mark.parametrize(
    ("content", "words"),
    [
        ("", "no end"),
        ("hello\nworld\n", "first line does not say its version"),
        ("     3.04           NAVIGATION DATA     M                   RINEX VERSION / TYPE\n" + " " * 60 + "END OF HEADER\n", "of type N"),
        ("     4.01           OBSERVATION DATA    M                   RINEX VERSION / TYPE\n" + " " * 60 + "END OF HEADER\n", "4.01"),
        ("     3.04           OBSERVATION DATA    M                   RINEX VERSION / TYPE\n" + " " * 60 + "END OF HEADER\n", "no epoch"),
    ],
)
def test_files_that_are_no_observations_are_refused_with_a_sentence(content, words):
    with pytest.raises(FileError, match=words):
        read_observations(content)


def test_a_file_cut_anywhere_is_read_or_refused_and_never_crashes():
    whole = gzip.decompress((RINEX / "one-hour-3.rnx.gz").read_bytes()).decode()
    orbits = gzip.decompress((RINEX / "brdc0100.24n.gz").read_bytes()).decode()
    random = np.random.default_rng(1)
    for cut in random.integers(0, 60_000, 40):
        for read, text in ((read_observations, whole), (read_navigation, orbits)):
            broken = text[:cut] + "#" + text[cut + 7 : cut + 20_000]
            try:
                read(broken)
            except FileError as error:
                assert error.sentence.endswith(".")


def test_nothing_to_write_is_an_error_of_the_program():
    with pytest.raises(ValueError, match="no epochs"):
        write_observations(RinexHeader(marker="A", approximate_xyz_m=(1.0, 2.0, 3.0), antenna_height_m=0.0), [])


def glonass_without_day(time_s, cells):
    """An MSM4 of GLONASS whose day is 7: unknown (RTCM 10403.3, DF416), its checksum made again."""
    frame = bytearray(encode_msm4(1084, 17, time_s, cells, False))
    # The day stands in the three bits after message number and station ID: bits 24 to 26 of the payload.
    frame[6] |= 0b11100000
    return frame_bytes(bytes(frame[3:-3]))


@pytest.mark.parametrize("alone", [False, True])
def test_glonass_whose_day_is_not_known_takes_that_of_the_others_or_of_the_date(alone):
    """2026-11-27: its epochs stood on the wrong day, with a negative INTERVAL and LAST before FIRST."""
    cells, seconds = (
        {(5, 2): Observation(pseudorange_m=21e6, phase_range_m=21e6, lock_s=100.0, cnr_dbhz=45.0)},
        [345_600.0 + n for n in (5.0, 6.0, 7.0)],
    )
    data = b"".join(
        (b"" if alone else encode_msm4(1074, 17, second, cells, True)) + glonass_without_day(second, cells) for second in seconds
    )
    noon = 2446 * 604_800.0 + 345_600.0 + 43_200.0
    maker = MsmEpochs(near_gps_s=noon)
    epochs = [*maker.feed(FrameReader().feed(data)), *maker.close()]

    assert [epoch.gps_s for epoch in epochs] == [2446 * 604_800.0 + second for second in seconds]
    assert {"R05"} <= set(epochs[0].satellites)
    text = write_observations(RinexHeader(marker="M", approximate_xyz_m=(0.0, 0.0, 0.0), antenna_height_m=0.0), epochs[::-1] + epochs)
    assert "     1.000                                                  INTERVAL" in text
    first, last = (next(row for row in text.splitlines() if label in row)[:43] for label in ("FIRST OBS", "LAST OBS"))
    assert first < last and text.count("> 2026") == 3


@pytest.mark.parametrize(
    ("second", "written"), [(17.001, "17.0010000"), (59.999, "59.9990000"), (0.0, " 0.0000000"), (17.123, "17.1230000")]
)
def test_time_tags_are_what_the_messages_say(second, written):
    """2026-11-27: 17.001 came out as 17.0009999."""
    gps_s = 2446 * 604_800.0 + 360.0 + second
    text = write_observations(
        RinexHeader(marker="M", approximate_xyz_m=(0.0, 0.0, 0.0), antenna_height_m=0.0),
        [ObservationEpoch(gps_s, {"G05": {"C1C": Observed(2.1e7)}})],
    )
    assert next(row for row in text.splitlines() if row.startswith(">"))[18:29].strip() == written.strip()


def test_words_in_numbers_of_a_header_are_a_sentence():
    whole = gzip.decompress((RINEX / "one-hour-3.rnx.gz").read_bytes()).decode()
    for label in ("APPROX POSITION XYZ", "ANTENNA: DELTA H/E/N"):
        row = next(row for row in whole.splitlines() if label in row)
        with pytest.raises(FileError, match="words in its header"):
            read_observations(whole.replace(row, f"{'  north  east  up':60}{label}"))


@pytest.mark.parametrize(
    "place, value", [(7, "0.000000000000D+00"), (5, "2.000000000000D+00"), (18, "1.000000000000D+30"), (5, "              nan ")]
)
def test_an_orbit_that_cannot_be_is_left_out(place, value):
    """sqrt(A) = 0, e = 2, a week of 1e30: what stops a computation is no message of a satellite (IS-GPS-200, table 20-III)."""
    text = gzip.decompress((RINEX / "brdc0100.24n.gz").read_bytes()).decode()
    every = text.splitlines()
    end = next(n for n, row in enumerate(every) if "END OF HEADER" in row) + 1
    head, rows = every[:end], every[end : end + 8]
    assert read_navigation("\n".join(head + rows)).ephemerides
    line, column = 1 + place // 4, 3 + 19 * (place % 4)
    rows[line] = rows[line][:column] + f"{value:>19}" + rows[line][column + 19 :]
    with pytest.raises(FileError):
        read_navigation("\n".join(head + rows))


@pytest.mark.parametrize(("year", "leaps"), [("2010", 15), ("2024", 18)])
def test_a_file_in_the_time_of_glonass_is_ahead_by_the_leap_seconds_of_its_day(year, leaps):
    """15 s in 2010, 18 s since 2017 (IERS Bulletin C)."""
    text = gzip.decompress((RINEX / "one-hour-2.24o.gz").read_bytes()).decode()
    said = text.replace("  2024     1    10     0     0    0.0000000     GPS", f"  {year}     1    10     0     0    0.0000000     GLO")
    assert said != text
    assert read_observations(said).epochs[0].gps_s - read_observations(text).epochs[0].gps_s == leaps
