from dataclasses import replace
from datetime import datetime, timedelta

import pynmea2
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pynmeagps import GET, NMEAMessage

from openstake.core.evidence import Status
from openstake.core.judge.device import judge_device
from openstake.live.rover import Address, ListenedRover
from openstake.wire.nmea.epoch import EpochReader
from openstake.wire.nmea.sentence import checksum, degrees_of, fields_of, sentence_bytes
from openstake.wire.nmea.summary import LogSummary
from openstake.wire.nmea.write import Fix, gga, gsa, gst, gsv, rmc
from tests import published

FIX = Fix(
    moment=datetime(2026, 11, 24, 10, 36, 7),
    quality=4,
    latitude_deg=53.3374123456,
    longitude_deg=-6.2612345678,
    altitude_m=61.2345,
    separation_m=57.1,
    satellites=24,
    hdop=0.61,
    age_s=1.2,
    station_id=17,
    sigma_east_m=0.008,
    sigma_north_m=0.009,
    sigma_up_m=0.015,
)
TENTH_OF_A_MILLIMETRE_DEG = 1e-9


def read(data, piece=None):
    reader, size = EpochReader(), piece or len(data) or 1
    epochs = [epoch for at in range(0, len(data), size) for epoch in reader.feed(data[at : at + size])]
    return epochs + list(reader.close()), reader


def test_every_sentence_is_read_by_pynmea2_to_what_was_put_in():
    theirs = pynmea2.parse(gga(FIX).decode())
    sigmas, moment = pynmea2.parse(gst(FIX).decode()), pynmea2.parse(rmc(FIX).decode())
    used = pynmea2.parse(gsa([3, 7, 14, 22], 1, True, (1.2, 0.6, 1.0)).decode())
    views = [pynmea2.parse(line) for line in gsv("GP", [(3, 45.0, 359.7, 44.0)] * 5).decode().splitlines()]

    assert theirs.latitude == pytest.approx(FIX.latitude_deg, abs=TENTH_OF_A_MILLIMETRE_DEG)
    assert theirs.longitude == pytest.approx(FIX.longitude_deg, abs=TENTH_OF_A_MILLIMETRE_DEG)
    assert (theirs.gps_qual, int(theirs.num_sats), theirs.altitude, float(theirs.geo_sep)) == (4, 24, 61.2345, 57.1)
    assert (float(theirs.age_gps_data), theirs.ref_station_id) == (1.2, "0017")
    assert (sigmas.std_dev_latitude, sigmas.std_dev_longitude, sigmas.std_dev_altitude) == (0.009, 0.008, 0.015)
    assert (moment.datestamp.isoformat(), moment.status) == ("2026-11-24", "A")
    assert (used.sv_id01, used.sv_id04, used.pdop) == ("03", "22", "1.20")
    assert [int(view.num_messages) for view in views] == [2, 2]
    assert (views[0].azimuth_1, views[0].elevation_deg_1) == ("000", "45")


def test_sentences_built_by_pynmeagps_are_read():
    built = NMEAMessage(
        "GN",
        "GGA",
        GET,
        time=datetime(2026, 1, 1, 10, 36, 7).time(),
        lat=53.45,
        lon=-2.24,
        quality=5,
        numSV=12,
        HDOP=0.9,
        alt=45.2,
        altUnit="M",
        sep=50.1,
        sepUnit="M",
        diffAge=2.0,
        diffStation=33,
        hpnmeamode=1,
    ).serialize()
    epochs, _ = read(built + published.GST_EXAMPLE)

    (epoch,) = epochs
    assert epoch.status is Status.FLOAT
    assert epoch.latitude_deg == pytest.approx(53.45, abs=2e-9)
    assert epoch.longitude_deg == pytest.approx(-2.24, abs=2e-9)
    assert epoch.height_m == pytest.approx(95.3)
    assert (epoch.sigma_north_m, epoch.sigma_east_m, epoch.sigma_up_m) == (0.01, 0.01, 0.02)


@given(st.binary(max_size=400))
def test_the_checksum_is_the_exclusive_or_of_all_bytes(body):
    expected = 0
    for byte in body:
        expected ^= byte
    assert checksum(body) == expected


def burst(second, quality=4):
    moment = datetime(2026, 11, 24, 10, 36, second)
    fix = Fix(
        moment=moment,
        quality=quality,
        latitude_deg=53.3,
        longitude_deg=-6.2,
        altitude_m=61.0,
        separation_m=57.0,
        satellites=24,
        hdop=0.6,
        age_s=1.0,
        station_id=17,
        sigma_east_m=0.01,
        sigma_north_m=0.01,
        sigma_up_m=0.02,
    )
    return gga(fix) + gst(fix) + gsa([1, 2, 3, 4], 1, True, (1.2, 0.6, 1.0)) + gsv("GP", [(1, 45, 10, 40)] * 6) + rmc(fix)


def test_an_epoch_is_handed_over_with_its_last_sentence_once_the_order_is_known():
    reader = EpochReader()

    counts = [len(list(reader.feed(burst(second)))) for second in range(4)]

    # Nothing is known of the first burst's end; the second shows it; from the third on nothing waits.
    assert counts == [0, 1, 2, 1] or counts == [0, 2, 1, 1]


def test_a_sentence_lost_once_does_not_shorten_the_epochs_that_follow():
    # 2026-11-24: the reader learned a shorter burst from a lost sentence and kept to it.
    whole, cut = [burst(n) for n in range(8)], burst(2)
    cut = b"\r\n".join(line for line in cut.split(b"\r\n") if b"GSV" not in line and b"RMC" not in line)
    moved = [part.replace(gst_of(n), b"") + gst_of(n) for n, part in enumerate(whole)]

    epochs, _ = read(b"".join([*moved[:2], cut.replace(gst_of(2), b""), *moved[3:]]))

    assert [epoch.sigma_up_m for epoch in epochs[4:]] == [0.02] * 4


def test_a_receiver_that_sends_rmc_first_is_not_a_burst_late():
    reader = EpochReader()
    moved = []
    for second in range(5):
        lines = burst(second).splitlines(keepends=True)
        last = next(line for line in lines if b"RMC" in line)
        moved.append(last + b"".join(line for line in lines if line != last))

    times = [[epoch.time_of_day_s % 60 for epoch in reader.feed(part)] for part in moved]

    assert times[2:] == [[2.0], [3.0], [4.0]]


def gst_of(second):
    return next(line for line in burst(second).splitlines(keepends=True) if b"GST" in line)


@pytest.mark.parametrize("piece", [1, 13, 10_000])
def test_an_epoch_holds_all_sentences_of_its_moment(piece):
    epochs, reader = read(b"".join(burst(second) for second in range(5)), piece)

    assert len(epochs) == 5
    assert {epoch.pdop for epoch in epochs} == {1.2}
    assert {epoch.sigma_up_m for epoch in epochs} == {0.02}
    assert epochs[-1].date.isoformat() == "2026-11-24"
    assert (reader.bad_checksum, reader.no_checksum) == (0, 0)


def test_two_talkers_of_one_moment_are_one_epoch():
    line = gga(FIX)
    other = gga(FIX).replace(b"GNGGA", b"GPGGA")
    other = b"$" + other[1 : other.index(b"*")] + b"*%02X\r\n" % checksum(other[1 : other.index(b"*")])

    assert len(read(line + other + gst(FIX))[0]) == 1


def test_a_wrong_checksum_and_a_cut_sentence_are_left_out_and_counted():
    wrong = gga(FIX).replace(b"61.2345", b"61.9345")

    epochs, reader = read(wrong + gga(FIX)[:30] + b"\r\n" + gga(FIX))

    assert len(epochs) == 1
    assert (reader.bad_checksum, reader.no_checksum) == (1, 1)


@given(st.binary(max_size=500))
def test_garbage_never_crashes(noise):
    read(noise + b"\n$GPGGA," + noise + b"*00\r\n" + gga(FIX))


def test_a_value_that_is_no_number_makes_the_sentence_unreadable_and_nothing_else():
    body = b"GNGGA,103607,nan,N,00612.3,W,4,12,0.6,inf,M,1,M,,"
    bad = b"$" + body + b"*%02X\r\n" % checksum(body)

    epochs, reader = read(bad + gga(FIX))

    assert len(epochs) == 1
    assert reader.unreadable == 1


def test_a_line_without_end_does_not_grow():
    reader = EpochReader()
    for _ in range(100):
        list(reader.feed(b"x" * 10_000))

    assert len(reader._rest) <= 1024


def log_of(moments, quality=4):
    summary = LogSummary()
    for moment in moments:
        fix = Fix(
            moment=moment,
            quality=quality,
            latitude_deg=53.3,
            longitude_deg=-6.2,
            altitude_m=61.0,
            separation_m=57.0,
            satellites=24,
            hdop=0.6,
            age_s=1.0,
            station_id=17,
            sigma_east_m=0.01,
            sigma_north_m=0.01,
            sigma_up_m=0.02,
        )
        for epoch in read(gga(fix) + rmc(fix))[0]:
            summary.add(epoch)
    return summary


def test_a_log_runs_over_midnight_with_its_date():
    moments = [
        datetime(2026, 11, 24, 23, 59, 58),
        datetime(2026, 11, 24, 23, 59, 59),
        datetime(2026, 11, 25, 0, 0, 0),
        datetime(2026, 11, 25, 0, 0, 1),
    ]

    summary = log_of(moments)

    assert (summary.first, summary.last) == ("2026-11-24T23:59:58.00Z", "2026-11-25T00:00:01.00Z")
    assert summary.gaps() == []


def test_a_gap_is_more_than_one_and_a_half_steps():
    summary = log_of([datetime(2026, 11, 24, 10, 0, second) for second in (0, 1, 2, 3, 6, 7, 8)])

    (gap,) = summary.gaps()
    assert (gap.start, gap.end) == ("2026-11-24T10:00:03.00Z", "2026-11-24T10:00:06.00Z")


def test_a_sentence_needs_its_dollar():
    assert fields_of(b"GNGGA,1,2*00") is None


GGA = "GNGGA,120000.00,{latitude},N,{longitude},W,{quality},{satellites},{hdop},{altitude},M,{separation},M,{age},0017"
USUAL = {
    "latitude": "5320.1234567",
    "longitude": "00615.7654321",
    "quality": "4",
    "satellites": "18",
    "hdop": "0.7",
    "altitude": "58.1234",
    "separation": "55.4321",
    "age": "1.0",
}


@pytest.mark.parametrize(
    "wrong",
    [
        {"latitude": "37.352387"},  # 2026-11-27: decimal degrees were read as 0.62°
        {"latitude": "320.1234"},
        {"latitude": "05320.12"},
        {"longitude": "615.76"},
        {"latitude": "5360.0"},
        {"latitude": "9100.0"},
        {"altitude": "1e308"},
        {"altitude": "60001"},
        {"altitude": "-1001"},
        {"altitude": "1_0"},
        {"quality": "x"},
    ],
)
def test_a_gga_that_is_no_position_is_counted_and_not_read(wrong):
    epochs, reader = read(sentence_bytes(GGA.format(**USUAL | wrong)))

    assert (epochs, reader.unreadable) == ([], 1)


@pytest.mark.parametrize(
    ("wrong", "name"),
    [
        ({"age": "1e99"}, "age_s"),
        ({"age": "-5"}, "age_s"),
        ({"hdop": "nan"}, "hdop"),
        ({"satellites": "9" * 401}, "satellites"),
        ({"satellites": "-3"}, "satellites"),
        ({"separation": "99999"}, "separation_m"),
    ],
)
def test_a_value_that_cannot_be_is_unknown_and_the_position_is_kept(wrong, name):
    (epoch,), _ = read(sentence_bytes(GGA.format(**USUAL | wrong)))

    assert getattr(epoch, name) is None
    assert epoch.latitude_deg == pytest.approx(53.0 + 20.1234567 / 60.0, abs=1e-12)


@pytest.mark.parametrize(
    ("modes", "status"),
    [
        ("RR", Status.FIXED),
        ("RRNN", Status.FIXED),
        ("RFRR", Status.FLOAT),
        ("RA", Status.SINGLE),
        ("DD", Status.DGPS),
        ("NN", Status.NONE),
        ("RE", Status.OTHER),
    ],
)
def test_gns_makes_epochs_and_the_weakest_constellation_counts(modes, status):
    """NMEA 0183 version 4.11, GNS: one mode for each constellation; pynmea2 reads the same fields."""
    sentence = sentence_bytes(f"GNGNS,120000.00,5320.1234567,N,00615.7654321,W,{modes},18,0.7,58.1234,55.4321,1.0,0017,V")
    (epoch,), _ = read(sentence)

    theirs = pynmea2.parse(sentence.decode())
    assert epoch.status is status
    assert epoch.latitude_deg == pytest.approx(theirs.latitude, abs=TENTH_OF_A_MILLIMETRE_DEG)
    assert (epoch.height_m, epoch.satellites, epoch.age_s, epoch.station_id) == (58.1234 + 55.4321, 18, 1.0, 17)


def test_the_other_sentence_of_a_moment_is_no_second_epoch():
    burst = sentence_bytes(GGA.format(**USUAL)) + sentence_bytes(
        "GNGNS,120000.00,5320.1234567,N,00615.7654321,W,RR,18,0.7,58.1234,55.4321,1.0,0017,V"
    )
    epochs, _ = read(burst + burst.replace(b"120000.00", b"120001.00"))
    # The checksum of the second burst is wrong by the time alone: only whole sentences are read.
    assert len(epochs) == 1


def test_the_ellipse_of_gst_is_kept_with_the_epoch():
    (epoch,), _ = read(sentence_bytes(GGA.format(**USUAL)) + sentence_bytes("GNGST,120000.00,0.8,0.030,0.010,45.0,0.022,0.023,0.040"))

    assert (epoch.sigma_major_m, epoch.sigma_minor_m, epoch.orientation_deg) == (0.03, 0.01, 45.0)
    # At 45° both axes share the variances: (0.03² + 0.01²)/2, covariance (0.03² − 0.01²)/2, by hand.
    assert epoch.claim.east_m == pytest.approx(epoch.claim.north_m) == pytest.approx(0.0005**0.5)
    assert epoch.claim.covariance_en_m2 == pytest.approx(0.0004)
    (plain,), _ = read(sentence_bytes(GGA.format(**USUAL)) + sentence_bytes("GNGST,120000.00,0.8,,,,0.022,0.023,0.040"))
    assert (plain.claim.north_m, plain.claim.east_m, plain.claim.covariance_en_m2) == (0.022, 0.023, 0.0)


# --- two talkers in one stream ---

PLACES = [(53.3456789012, -6.2612345678), (53.3856789012, -6.2012345678)]
# By the published formula on a sphere (Sinnott, "Virtues of the Haversine", Sky & Telescope 68, 1984), worked out apart from the program: 5.97 km.
APART_M = 5969.0


def heard(talkers, seconds=20, shift_s=0.0):
    """A rover that is listened to, and two receivers that write into its stream second after second."""
    rover = ListenedRover(Address(id="id", name="rover", url="tcp://a:1"), 0.0)
    for second in range(seconds):
        for n, (latitude, longitude) in enumerate(talkers):
            at_s = 43_200.0 + second + n * shift_s
            fix = replace(FIX, moment=FIX.moment + timedelta(seconds=second + n * shift_s), latitude_deg=latitude, longitude_deg=longitude)
            rover.take(gga(fix) + gst(fix), 1e9 + at_s, None, True)
    return judge_device(rover.watch.device())


@pytest.mark.parametrize("shift_s", [0.0, 0.2, 0.5])
def test_two_receivers_in_one_stream_are_told_of_the_same_moment_and_of_others(shift_s):
    (found,) = [item for item in heard(PLACES, shift_s=shift_s) if item.code == "two-receivers"]
    assert found.severity == "stop" and found.numbers["apart_m"] == pytest.approx(APART_M, rel=0.01)
    assert "6.0 km apart" in found.sentence


def test_one_receiver_two_near_each_other_and_a_car_are_not_two_receivers():
    near = [PLACES[0], (PLACES[0][0] + 2e-5, PLACES[0][1])]  # 2 m: two antennas of one pole
    for talkers, shift_s in (([PLACES[0]], 0.0), (near, 0.0), (near, 0.5)):
        assert all(item.code != "two-receivers" for item in heard(talkers, shift_s=shift_s))
    rover = ListenedRover(Address(id="id", name="rover", url="tcp://a:1"), 0.0)
    for second in range(60):  # 30 m/s along a road and back at once: a car that turns
        latitude = PLACES[0][0] + (30 - abs(second - 30)) * 30.0 / 111_000.0
        fix = replace(FIX, moment=FIX.moment + timedelta(seconds=second), latitude_deg=latitude)
        rover.take(gga(fix), 1e9 + second, None, True)
    assert all(item.code != "two-receivers" for item in judge_device(rover.watch.device()))


@pytest.mark.parametrize("half", ["5320.1234567,N,,W", ",N,00615.7654321,W", "5320.1234567,N,,", ",,00615.7654321,W"])
def test_half_a_position_is_none(half):
    """Found by fuzzing: a latitude without a longitude."""
    line = sentence_bytes(f"GNGGA,120000.00,{half},4,18,0.7,58.1234,M,55.4321,M,1.0,0017")
    (epoch,), _ = read(line)
    assert (epoch.latitude_deg, epoch.longitude_deg) == (None, None)
    rover = ListenedRover(Address(id="id", name="rover", url="tcp://a:1"), 0.0)
    rover.take(line * 3, 1e9, None, True)


@given(st.lists(st.tuples(st.integers(0, 89), st.integers(0, 59), st.text("0123456789", max_size=9), st.sampled_from("NS")), max_size=8))
def test_angles_read_in_a_column_are_what_each_is_by_itself_to_the_bit(angles):
    latitudes = [f"{whole:02d}{minutes:02d}.{decimals},{letter}" for whole, minutes, decimals, letter in angles]
    longitudes = [f"0{latitude[:-1]}{'E' if latitude.endswith('N') else 'W'}" for latitude in latitudes]
    # By hand: whole degrees and minutes, NMEA 0183's form of an angle.
    by_hand = [(w + float(f"{m}.{d}") / 60.0) * (1 if letter == "N" else -1) for w, m, d, letter in angles]

    assert degrees_of(latitudes, "NS").tolist() == by_hand
    assert degrees_of(longitudes, "EW").tolist() == by_hand
    assert degrees_of([*latitudes, ","], "NS").tolist()[:-1] == by_hand


@pytest.mark.parametrize(
    "angle", ["00628.51,W", "37.352387,N", "5360.0,N", "9000.1,N", "5224.1,N,", "٥٢24.1,N", "5224.1,N\n5224.1,N", "+224.1,N"]
)
def test_a_column_with_something_else_among_its_latitudes_is_refused_whole(angle):
    """2026-12-01: a longitude among latitudes was read as one."""
    with pytest.raises(ValueError):
        degrees_of(["5224.1,N", angle], "NS")
