"""Speeds and the sky of a receiver, beside what pynmeagps reads of the same bytes."""

import io
from datetime import datetime

import numpy as np
import pytest
from pynmeagps import GET, NMEAMessage, NMEAReader

from openstake.core.sky.obstruction import SeenSky
from openstake.standin.receiver import burst
from openstake.standin.sky import above
from openstake.standin.world import Obstruction
from openstake.wire.nmea.epoch import EpochReader
from openstake.wire.nmea.sentence import sentence_bytes
from openstake.wire.nmea.sky import SkyReader
from openstake.wire.nmea.write import Fix, gga, gsa, gst

PLACE = np.array([3_812_000.0, -420_000.0, 5_080_000.0])
UNIX_S = 1_795_500_000.0
KNOT_MPS = 1852.0 / 3600.0  # an international nautical mile an hour (BIPM, SI brochure)
FIX = Fix(
    moment=datetime(2026, 11, 24, 10, 36, 7),
    quality=4,
    latitude_deg=53.3,
    longitude_deg=-6.2,
    altitude_m=61.2,
    separation_m=57.1,
    satellites=24,
    hdop=0.6,
    age_s=1.2,
    station_id=17,
    sigma_east_m=0.008,
    sigma_north_m=0.009,
    sigma_up_m=0.015,
)


def epochs(data):
    reader = EpochReader()
    return [*reader.feed(data), *reader.close()]


def wood():
    """The sky over a place with a wall in the south."""
    return above(UNIX_S, PLACE, 5.0, (Obstruction(135.0, 225.0, 40.0),))


def sky_of(data):
    reader = SkyReader()
    reader.feed(data)
    return reader.in_view()


def theirs(data, kind):
    return [parsed for _, parsed in NMEAReader(io.BytesIO(data)) if parsed.msgID == kind]


def test_a_speed_of_rmc_and_of_vtg_built_elsewhere_joins_its_epoch():
    at = datetime(2026, 11, 24, 10, 36, 7)
    moving = NMEAMessage("GN", "RMC", GET, time=at.time(), status="A", lat=53.3, lon=-6.2, spd=2.6, cog=211.5, date=at.date())
    over_ground = NMEAMessage("GN", "VTG", GET, cogt=88.0, cogtUnit="T", sogn=1.3, sognUnit="N", sogk=2.4, sogkUnit="K")

    for sentence, knots, course in ((moving, 2.6, 211.5), (over_ground, 1.3, 88.0)):
        found = epochs(gga(FIX) + sentence.serialize())[0]
        assert found.speed_mps == pytest.approx(knots * KNOT_MPS, rel=1e-9)
        assert found.course_deg == course
    assert epochs(gga(FIX))[0].speed_mps is None


@pytest.mark.parametrize("body", ["GNVTG,,T,,M,,N,,K", "GNVTG,x,T,,M,y,N,,K", "GNRMC,103607.00,A,,,,,-5,999,241126,,,A"])
def test_a_speed_that_is_none_is_unknown(body):
    found = epochs(gga(FIX) + sentence_bytes(body))[0]
    assert found.speed_mps is None


def test_what_a_stand_in_lists_and_uses_is_what_pynmeagps_reads():
    sky = wood()
    used = [seen for seen in sky if not seen.hidden]
    data = burst(UNIX_S, 4, PLACE, 57.0, np.array([0.01, 0.01, 0.02]), sky, used, 1.0, 17)
    mine = sky_of(data)

    listed, silent = 0, 0
    for view in theirs(data, "GSV"):
        for place in range(1, 5):
            if getattr(view, f"svid_{place:02d}", None) in (None, ""):
                continue
            listed += 1
            silent += getattr(view, f"cno_{place:02d}", "") in (None, "", 0)
    ids = [getattr(line, f"svid_{place:02d}") for line in theirs(data, "GSA") for place in range(1, 13)]
    assert len(mine) == listed == len(sky)
    assert sum(item.cnr_dbhz is None for item in mine) == silent == len(sky) - len(used) > 0
    assert sum(bool(item.used) for item in mine) == sum(value not in (None, "") for value in ids) == len(used)
    assert {item.key for item in mine if item.used} == {seen.key for seen in used}


def test_more_than_twelve_of_a_system_come_in_several_gsa():
    many = gsa(list(range(1, 16)), 1, True, (1.0, 0.6, 0.8))
    views = b"".join(
        sentence_bytes(f"GPGSV,4,{page},16,{','.join(f'{n:02d},45,100,44' for n in range(4 * page - 3, 4 * page + 1))},1")
        for page in range(1, 5)
    )

    assert len(theirs(many, "GSA")) == 2
    mine = sky_of(many + gst(FIX) + views)
    assert sorted(item.number for item in mine if item.used) == list(range(1, 16))
    assert [item.number for item in mine if not item.used] == [16]


def test_a_satellite_that_is_used_no_longer_is_not_used_any_more():
    reader = SkyReader()
    view = sentence_bytes("GPGSV,1,1,02,05,45,100,44,07,30,200,40,1")
    for ids, used in (([5, 7], {5, 7}), ([7], {7}), ([], set())):
        reader.feed(gga(FIX) + gsa(ids, 1, True, None) + view)
        assert {item.number for item in reader.in_view() if item.used} == used


def test_a_receiver_without_gsa_does_not_say_what_it_uses():
    assert [item.used for item in sky_of(sentence_bytes("GPGSV,1,1,01,05,45,100,44"))] == [None]


def test_an_older_gsa_of_all_systems_is_told_apart_by_the_numbers():
    """Before NMEA 4.1 there is no system ID: 1 to 32 are GPS, 65 to 96 GLONASS (NMEA 0183, GSA)."""
    old = sentence_bytes("GNGSA,A,3,05,07,70,,,,,,,,,,1.2,0.6,1.0")
    views = sentence_bytes("GPGSV,1,1,02,05,45,100,44,07,30,200,40") + sentence_bytes("GLGSV,1,1,02,70,45,100,44,71,30,200,40")
    assert {item.key for item in sky_of(old + views) if item.used} == {("GPS", 5), ("GPS", 7), ("GLONASS", 6)}


def test_a_whole_sentence_behind_one_that_was_cut_is_read():
    """2026-11-27: `$GNGGA,12` without an end, and the next sentence was lost with it."""
    assert len(epochs(b"\xff\x00$GNGGA,12" + gga(FIX))) == 1
    assert len(epochs(b"$GPGSV,3,1,10,02,$$" + gga(FIX) + gst(FIX))) == 1


def test_a_speed_written_by_the_stand_in_is_read_back():
    data = burst(UNIX_S, 4, PLACE, 57.0, np.array([0.01, 0.01, 0.02]), wood(), wood(), 1.0, 17, speed_mps=1.37)
    # Knots with two decimals: 2.6 mm/s.
    assert epochs(data)[0].speed_mps == pytest.approx(1.37, abs=0.003)
    assert float(theirs(data, "RMC")[0].spd) * KNOT_MPS == pytest.approx(1.37, abs=0.003)


@pytest.mark.parametrize(
    ("elevation", "azimuth"),
    [("inf", "120"), ("nan", "120"), ("1e308", "120"), ("45", "9" * 400), ("45", "nan"), ("91", "0"), ("4_5", "1")],
)
def test_a_satellite_at_a_place_that_is_none_is_not_seen(elevation, azimuth):
    """Found by fuzzing: such a satellite stopped the thread that listens."""
    reader = SkyReader()
    reader.feed(sentence_bytes(f"GPGSV,1,1,02,01,{elevation},{azimuth},44,02,30,200,40,1"))
    assert [item.number for item in reader.in_view()] == [2]
    SeenSky().add(reader.in_view())
