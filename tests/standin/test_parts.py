"""The parts of the stand-ins: world, clock, noise, sky, observables; by geometry and the laws of the noise."""

import json

import numpy as np
import pytest

from openstake.core.constants import SPEED_OF_LIGHT_M_S
from openstake.core.errors import DeviceError, FileError
from openstake.core.geodesy.ellipsoid import ecef_from_geodetic, geodetic_from_ecef
from openstake.live.network import HOST
from openstake.standin.clock import gps_time_of_week_s, moment_of
from openstake.standin.fanout import Fanout
from openstake.standin.observables import Observables
from openstake.standin.receiver import Wander, displaced
from openstake.standin.sky import visible
from openstake.standin.world import Obstruction, Stand, World, WorldFile, read_world, write_world
from openstake.wire.rtcm3.frame import FrameReader
from openstake.wire.rtcm3.message import decode

SITE = ecef_from_geodetic(53.3, -6.2, 60.0)
NOON_S = 1_795_521_600.0  # 2026-11-24 12:00 UTC


def test_a_world_comes_back_from_its_file(tmp_path):
    world = World(
        base=Stand(latitude_deg=53.3, longitude_deg=-6.2, height_m=60.0, arp_height_m=1.6, obstructions=(Obstruction(200, 250, 20),)),
        rover=Stand(latitude_deg=53.301, longitude_deg=-6.2, height_m=61.0, arp_height_m=2.0),
        separation_m=56.9,
        seed=7,
    )

    write_world(tmp_path / "w.json", world)

    assert read_world(tmp_path / "w.json") == world


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("{", "not valid JSON"),
        ("[]", "not a JSON object"),
        ('{"base": {"latitude_deg": 53}}', "base is not as"),
        ('{"base": {"latitude_deg": 153, "longitude_deg": 0, "height_m": 0, "arp_height_m": 1}}', "nowhere on Earth"),
        ('{"rover": {"latitude_deg": "x", "longitude_deg": 0, "height_m": 0, "pole_height_m": 2}}', "rover is not as"),
        ('{"seed": "many"}', "not a number"),
        ('{"seed": 1e999}', "out of range"),
        ("[" * 5000, "nested"),
    ],
)
def test_a_world_that_cannot_be_is_a_sentence(tmp_path, text, words):
    (tmp_path / "w.json").write_text(text)

    with pytest.raises(FileError, match=words):
        read_world(tmp_path / "w.json")


def test_a_world_that_is_spoilt_while_devices_run_leaves_them_where_they_are(tmp_path):
    path = tmp_path / "w.json"
    write_world(path, World(base=None, rover=Stand(latitude_deg=53.3, longitude_deg=-6.2, height_m=60.0, arp_height_m=2.0)))
    file = WorldFile(path)
    path.write_text("half a fi")
    assert file.world.rover.height_m == 60.0

    path.write_text(json.dumps({"rover": {"latitude_deg": 1, "longitude_deg": 2, "height_m": 3, "pole_height_m": 2}}))
    assert file.world.rover.height_m == 3.0


def test_an_arp_stands_its_height_above_the_mark():
    stand = Stand(latitude_deg=53.3, longitude_deg=-6.2, height_m=60.0, arp_height_m=1.6)

    assert geodetic_from_ecef(stand.arp_ecef_m) == pytest.approx((53.3, -6.2, 61.6), abs=1e-7)


def test_gps_time_of_the_week_by_hand():
    # 2026-11-24 is a Tuesday: 2 days and 12 h after the week's start on Sunday, and 18 leap seconds.
    assert gps_time_of_week_s(NOON_S) == 2 * 86_400 + 43_200 + 18
    assert moment_of(NOON_S).isoformat() == "2026-11-24T12:00:00"


def test_the_wander_has_unit_sigma_and_the_memory_it_is_given():
    # Gauss-Markov of first order: the correlation after t is exp(-t / memory).
    wander = Wander(np.random.default_rng(3))
    series = np.array([wander.at(float(second), 20.0) for second in range(40_000)])

    assert np.std(series, axis=0) == pytest.approx([1.0] * 3, abs=0.06)
    lagged = np.mean(series[20:] * series[:-20], axis=0) / np.var(series, axis=0)
    assert lagged == pytest.approx([np.exp(-1.0)] * 3, abs=0.06)


def test_displaced_moves_along_east_north_and_up():
    moved = displaced(SITE, np.array([0.0, 100.0, 2.0]))

    assert np.linalg.norm(moved - SITE) == pytest.approx(np.hypot(100.0, 2.0), abs=1e-6)
    assert geodetic_from_ecef(moved)[2] == pytest.approx(62.0, abs=0.001)  # the curve of 100 m is 0.8 mm


def test_the_sky_is_that_of_four_full_constellations():
    # Of 24 medium orbits about a third stands above the horizon of a mid-latitude site: common practice, no source.
    counts = [len(visible(NOON_S + 3600 * hour, SITE, 0.0)) for hour in range(24)]

    assert min(counts) >= 28 and max(counts) <= 52
    low = visible(NOON_S, SITE, 0.0)
    high = visible(NOON_S, SITE, 10.0)
    assert {seen.key for seen in high} < {seen.key for seen in low}
    assert all(seen.elevation_deg >= 10.0 for seen in high)


def test_an_obstruction_over_north_hides_what_lies_behind_it():
    wall = (Obstruction(300.0, 60.0, 90.0),)

    left = visible(NOON_S, SITE, 0.0, wall)

    assert left and all(60.0 < seen.azimuth_deg < 300.0 for seen in left)


def test_pseudorange_and_phase_are_the_geometry_with_noise_and_whole_cycles():
    observables, reader = Observables(1), FrameReader()
    constants = {}
    for second in range(3):
        sky = {seen.key: seen for seen in visible(NOON_S + second, SITE, 0.0)}
        frames = observables.frames(NOON_S + second, 5, list(sky.values()))
        for frame in reader.feed(b"".join(frames)):
            message = decode(frame)
            assert message.time_s == gps_time_of_week_s(NOON_S + second)
            for cell in message.cells:
                seen = sky[(message.constellation, cell.satellite)]
                # 0.30 m and 2 mm one sigma; five sigmas and the field's step.
                assert abs(cell.pseudorange_m - seen.range_m) < 1.6
                signal = next(item for item in seen.constellation.signals if item.msm_id == cell.signal)
                carrier = signal.carrier_hz + seen.constellation.channels[cell.satellite - 1] * signal.per_channel_hz
                cycles = (cell.phase_range_m - seen.range_m) * carrier / SPEED_OF_LIGHT_M_S
                assert abs(cycles - round(cycles)) * SPEED_OF_LIGHT_M_S / carrier < 0.012
                key = (seen.key, cell.signal)
                assert constants.setdefault(key, round(cycles)) == round(cycles), "no cycle slips"


def test_only_the_last_message_of_an_epoch_says_that_no_more_follow():
    messages = [decode(frame) for frame in FrameReader().feed(b"".join(Observables(1).frames(NOON_S, 5, visible(NOON_S, SITE, 0.0))))]

    assert [message.constellation for message in messages] == ["GPS", "GLONASS", "Galileo", "BeiDou"]
    assert [message.more_follow for message in messages] == [True, True, True, False]


def test_a_port_in_use_is_a_sentence():
    first = Fanout(0, HOST)

    with pytest.raises(DeviceError, match="cannot be opened"):
        Fanout(first.port, HOST)
    first.close()
