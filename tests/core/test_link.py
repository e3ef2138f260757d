"""Both ends agree, and the stream fits: against the standard's field widths and a changed setting at a time."""

import copy
import math
from dataclasses import replace
from itertools import pairwise

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from openstake.core.errors import InputError
from openstake.core.kit.packing import packing_list
from openstake.core.kit.profile import example
from openstake.core.link.agree import SETTINGS, End, judge_pair, pair_rows
from openstake.core.link.airload import (
    MSM_BITS,
    Stream,
    air_load,
    chirp_rate_bps,
    chirp_time_on_air_s,
    judge_load,
    message_bytes,
    part_from_text,
    rate_from_text,
    remedies,
    satellites_from_text,
    stream_of_messages,
)
from openstake.wire.profile import profile_as_json

UHF = profile_as_json(example("base"))["link"]
NET = profile_as_json(example("network-rover"))["link"]
ALL = {"G": 10, "R": 8, "E": 9, "C": 12}


def end(name, link, **more):
    return End(name=name, link=link, **more)


def changed(link, field, value):
    link = copy.deepcopy(link)
    *path, last = field.split(".")
    place = link
    for part in path:
        place = place[part]
    place[last] = value
    return link


def test_a_matching_pair_has_nothing_to_say():
    for link in (UHF, NET):
        assert judge_pair(end("B", link), end("R", copy.deepcopy(link))) == []


AGREEING = [(UHF, item.field) for item in SETTINGS if not item.field.startswith("caster")] + [
    (NET, field) for field in ("kind", "protocol", "format", "caster.host", "caster.port", "caster.mountpoint")
]
values = st.one_of(st.text(min_size=1, max_size=12).filter(str.strip), st.floats(0.1, 9e5), st.integers(0, 4095), st.booleans(), st.none())


@settings(deadline=None)
@given(st.sampled_from(AGREEING), values, st.booleans())
def test_changing_any_agreeing_field_at_one_end_is_found_on_that_field_and_no_other(pair, value, at_base):
    link, field = pair
    other = changed(link, field, value)
    before = link
    for part in field.split("."):
        before = before[part]
    if value == before or (isinstance(value, str) and isinstance(before, str) and value.strip().casefold() == before.casefold()):
        return

    ends = (end("B", other), end("R", link)) if at_base else (end("B", link), end("R", other))
    found = judge_pair(*ends)

    assert found and {item.field for item in found} == {field}


@pytest.mark.parametrize("part", ["receiver_baud", "radio_baud"])
@pytest.mark.parametrize("at_base", [True, False])
def test_unequal_rates_on_one_cable_are_found_at_the_one_that_was_changed(part, at_base):
    # 19 200 on one and 115 200 on the other gives silence (common practice, no source).
    other = changed(UHF, f"serial.{part}", 115_200)
    ends = (end("B", other), end("R", UHF)) if at_base else (end("B", UHF), end("R", other))

    found = judge_pair(*ends)

    assert [(item.code, item.field) for item in found] == [("baud-rates-differ", f"serial.{part}")]


def test_two_cables_may_have_different_rates():
    slow = changed(UHF, "serial", {"receiver_baud": 19_200, "radio_baud": 19_200})

    assert judge_pair(end("B", UHF), end("R", slow)) == []


def codes(base, rover):
    return [item.code for item in judge_pair(base, rover)]


def test_what_the_base_does_not_send_holds_the_rover_back():
    old = end("Old", UHF, messages=[1004, 1012, 1006], constellations=("GPS", "GLONASS"))
    rover = end("R", UHF, constellations=("GPS", "GLONASS", "Galileo"), formats_read=("RTCM 3 MSM",))

    found = judge_pair(old, rover)

    assert [item.code for item in found] == ["messages-not-of-format", "constellations-not-sent"]
    assert "Galileo" in found[1].sentence and "old base of 2" in found[1].sentence


def test_formats_that_a_rover_cannot_read_and_closed_ones_are_told():
    legacy, closed = changed(UHF, "format", "RTCM 3 legacy"), changed(UHF, "format", "Own 7")

    assert codes(end("B", UHF), end("R", UHF, formats_read=("RTCM 3 legacy",))) == ["format-not-readable"]
    assert codes(end("B", legacy, messages=[1074]), end("R", legacy)) == ["messages-not-of-format"]
    assert codes(end("B", closed), end("R", closed)) == ["format-not-open"]


def test_a_station_id_above_1023_is_told_because_gga_cannot_show_it():
    # NMEA 0183, GGA: 0000 to 1023.  RTCM 10403.3, DF003: 0 to 4095.
    for station_id, expected in ((1023, []), (1024, ["station-id-hidden"]), (4095, ["station-id-hidden"])):
        link = changed(UHF, "station_id", station_id)
        assert codes(end("B", link), end("R", link)) == expected


def test_what_a_kind_of_link_does_not_use_may_stand_at_one_end_alone():
    # A base on a caster has a station ID; a rover on the network takes what comes.
    assert judge_pair(end("B", changed(NET, "station_id", 17)), end("R", NET)) == []
    assert codes(end("B", UHF), end("R", changed(UHF, "station_id", None))) == ["link-setting-not-known"]


def test_a_value_nobody_knows_is_compared_and_then_told():
    pigeon = changed(UHF, "kind", "pigeon")

    assert codes(end("B", pigeon), end("R", pigeon)) == ["link-value-unusual"]
    states = {row.setting.field: row.state for row in pair_rows(end("B", pigeon), end("R", UHF))}
    assert states["kind"] == "different" and states["frequency_mhz"] == "equal"


# RTCM 10403.3: header 169 bits and a mask of satellites x signals; 18 or 36 bits a satellite, 48, 63, 65, 80 a cell; 6 bytes a
# frame.  12 satellites x 2 signals in MSM4: 169 + 24 + 216 + 1152 = 1561 bits, 196 bytes, 202 with its frame.
def test_the_published_example_of_twelve_satellites_and_two_signals():
    assert message_bytes("msm4", "G", 12, 2) == 202


@given(st.sampled_from(sorted(MSM_BITS)), st.integers(1, 64), st.integers(1, 8))
def test_more_than_64_cells_are_split_and_no_satellite_is_lost(form, satellites, signals):
    satellite_bits, cell_bits = MSM_BITS[form]
    size = message_bytes(form, "E", satellites, signals)

    messages = math.ceil(satellites / (64 // signals))
    payload = satellites * (signals + satellite_bits + signals * cell_bits) + 169 * messages
    assert payload / 8 + 6 * messages <= size < payload / 8 + 7 * messages


def test_legacy_sizes_and_that_they_carry_gps_and_glonass_only():
    # From memory: 1004 is 64 + 125 n bits, 1012 is 61 + 130 n.  n = 10: 1314 bits, 165 bytes; n = 8: 1101 bits, 138 bytes.
    assert (message_bytes("legacy", "G", 10, 2), message_bytes("legacy", "R", 8, 2)) == (171, 144)
    for letter in "EC":
        with pytest.raises(InputError, match="GPS and GLONASS only"):
            message_bytes("legacy", letter, 5, 2)


@pytest.mark.parametrize(
    ("form", "numbers"), [("msm4", [1074, 1084, 1094, 1124]), ("msm5", [1075, 1085, 1095, 1125]), ("msm7", [1077, 1087, 1097, 1127])]
)
def test_a_load_is_told_message_by_message(form, numbers):
    """RTCM 10403.3, table 3.1-1: the numbers of the MSM of GPS, GLONASS, Galileo and BeiDou."""
    messages = air_load(Stream(form=form, satellites=ALL, signals=2, interval_s=1.0, position_interval_s=10.0), 9600.0).messages

    assert [item.number for item in messages] == [*numbers, 1006]
    assert sum(item.share_of_load for item in messages) == pytest.approx(1.0)
    assert [item.every_s for item in messages] == [1.0] * 4 + [10.0]


def test_the_rows_of_a_load_are_those_by_hand():
    # As below: 173, 144, 158, 202 bytes every second and 27 every ten; of 5437.6 bits 173 x 8 are 25.5 %.
    messages = air_load(Stream(form="msm4", satellites=ALL, signals=2, interval_s=1.0, position_interval_s=10.0), 9600.0).messages

    assert [item.bytes for item in messages] == [173, 144, 158, 202, 27]
    assert messages[0].share_of_load == pytest.approx(1384 / 5437.6)
    assert messages[0].words == "GPS, 10 satellites" and messages[4].words == "station position"
    legacy = air_load(Stream(form="legacy", satellites={"G": 10, "R": 8, "E": 0}, signals=2, interval_s=1.0), 9600.0, None).messages
    assert [item.number for item in legacy] == [1004, 1012]
    slow = air_load(Stream(form="msm4", satellites=ALL, signals=2, interval_s=1.0, position_interval_s=None, slow=("R",)), 9600.0).messages
    assert [item.every_s for item in slow] == [1.0, 2.0, 1.0, 1.0]


def test_a_load_adds_up_by_hand():
    # MSM4, two signals, bits = 169 + 116 n, rounded up to bytes, 6 a frame: n 10, 8, 9, 12 give 173, 144, 158, 202: 677 bytes.
    load = air_load(Stream(form="msm4", satellites=ALL, signals=2, interval_s=1.0, position_interval_s=10.0), 9110.0, 0.10)

    assert load.bytes_per_epoch == 677
    # 677 x 8 = 5416 bits a second, and the 1006 of 27 bytes every ten seconds: 21.6.
    assert load.bits_per_second == pytest.approx(5437.6)
    assert load.share == pytest.approx(5437.6 / 9110.0) and load.latency_s == pytest.approx(5416 / 9110.0)
    assert not load.fits, "a 10 % sub-band leaves 911 bit/s: too little at 1 Hz (common practice, no source)"
    assert air_load(Stream(form="msm4", satellites=ALL, signals=2, interval_s=1.0, position_interval_s=10.0), 9110.0).fits


@given(
    st.sampled_from(sorted(MSM_BITS)),
    st.dictionaries(st.sampled_from("GREC"), st.integers(1, 30), min_size=1),
    st.integers(1, 4),
    st.sampled_from([0.2, 1.0, 5.0]),
    st.floats(300, 60_000),
    st.sampled_from([None, 0.01, 0.1]),
)
def test_remedies_lose_more_and_more_until_it_fits_or_nothing_is_left(form, satellites, signals, interval, rate, limit):
    stream = Stream(form=form, satellites=satellites, signals=signals, interval_s=interval, position_interval_s=10.0)
    ways = remedies(stream, rate, limit)

    loads = [air_load(stream, rate, limit).bits_per_second] + [way.load.bits_per_second for way in ways]
    assert all(before > after for before, after in pairwise(loads))
    assert all(not way.load.fits for way in ways[:-1])
    told = judge_load(stream, rate, limit, air_load(stream, rate, limit))
    assert bool(told) == (not air_load(stream, rate, limit).fits)


def test_the_rate_of_a_chirp_link():
    # SF x BW / 2^SF x CR: SF 7, 250 kHz, 4/6 is 9.115 kbit/s.
    assert chirp_rate_bps(7, 250e3, 6) == pytest.approx(9115, abs=0.5)


def test_the_time_on_air_of_a_chirp_packet_by_hand():
    # SF 7, 125 kHz, 4/5, 20 bytes: symbol 1.024 ms; ceil((160 - 28 + 44) / 28) = 7 blocks of 5; 12.25 + 8 + 35 = 55.25 symbols.
    assert chirp_time_on_air_s(7, 125e3, 5, 20) == pytest.approx(55.25 * 1.024e-3)
    # SF 12, 125 kHz: symbols of 32.8 ms, so two bits of each are not used: ceil((160 - 48 + 44) / 40) = 4 blocks.
    assert chirp_time_on_air_s(12, 125e3, 5, 20) == pytest.approx((12.25 + 8 + 20) * 32.768e-3)


@pytest.mark.parametrize(
    ("text", "bps"), [("9.11kbps", 9110), ("9600bps", 9600), ("19,2 kbit/s", 19_200), ("1 Mbps", 1e6), ("4800 baud", 4800)]
)
def test_a_rate_is_read_with_its_unit(text, bps):
    assert rate_from_text(text) == pytest.approx(bps)


@pytest.mark.parametrize("text", ["9.11kBps", "9600", "", "fast", "9.11 kilobytes", "0 bps", "9,1.1 kbps", "-5 kbps"])
def test_a_rate_that_could_be_bytes_or_has_no_unit_is_refused(text):
    with pytest.raises(InputError) as refusal:
        rate_from_text(text)

    assert refusal.value.sentence.endswith(".")


def test_parts_and_satellites_are_read_or_refused():
    assert (part_from_text("10%"), part_from_text("0.1")) == (0.1, 0.1)
    assert satellites_from_text("G10, R8,E9,C12") == ALL
    for text in ("G", "10G", "X5", "G10,G2", "", "G10;R8"):
        with pytest.raises(InputError):
            satellites_from_text(text)
    for text in ("150%", "0", "x"):
        with pytest.raises(InputError):
            part_from_text(text)


@pytest.mark.parametrize(
    "stream",
    [
        Stream(form="msm4", satellites={}, signals=2, interval_s=1.0),
        Stream(form="msm9", satellites=ALL, signals=2, interval_s=1.0),
        Stream(form="msm4", satellites=ALL, signals=0, interval_s=1.0),
        Stream(form="msm4", satellites=ALL, signals=2, interval_s=0.0),
        Stream(form="legacy", satellites={"G": 40}, signals=2, interval_s=1.0),
        Stream(form="msm4", satellites={"G": 65}, signals=2, interval_s=1.0),
    ],
)
def test_a_stream_that_cannot_be_is_refused(stream):
    with pytest.raises(InputError):
        air_load(stream, 9600.0)


def test_a_profile_s_messages_make_its_stream():
    messages = [(message.number, message.interval_s) for message in example("base").messages]

    stream = stream_of_messages(messages, ALL, 2)

    assert stream == Stream(form="msm4", satellites=ALL, signals=2, interval_s=1.0, position_interval_s=10.0, slow=())
    assert stream_of_messages([(1006, 10.0)], ALL, 2) is None
    assert stream_of_messages([(1074, 1.0), (1084, 2.0)], ALL, 2).slow == ("R",)


@pytest.mark.parametrize(("letter", "number"), [("G", 1074), ("R", 1084), ("E", 1094), ("S", 1104), ("J", 1114), ("C", 1124), ("I", 1134)])
def test_the_msm_of_each_constellation_has_its_number(letter, number):
    """RTCM 10403.3, table 3.5-71 and following."""
    (only,) = air_load(Stream(form="msm4", satellites={letter: 5}, signals=2, interval_s=1.0), 9600.0).messages
    assert only.number == number


def test_what_a_profile_names_and_the_kit_has_not_is_on_the_packing_list_as_such():
    found = packing_list([replace(example("rover"), receiver="Ghost")], {})
    assert [(item.group, item.why) for item in found if item.what == "Receiver Ghost"] == [
        ("pack", "Named in the profile, not in the kit.")
    ]
