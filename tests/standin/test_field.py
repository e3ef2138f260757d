"""The stand-ins as processes of their own, read by clients and decoders from outside the project."""

import asyncio
import http.client
import json
import re
import signal
import socket
import threading
import time
from base64 import b64encode
from queue import Queue

import numpy as np
import pynmea2
import pytest
from bitstring import BitStream
from ntripstreams import NtripStream
from pygnssutils import GNSSNTRIPClient
from pyproj import Transformer
from pyrtcm import RTCMReader

from openstake.wire.rtcm3.frame import FrameReader
from tests import processes
from tests.conftest import wait_for

pytestmark = [pytest.mark.slow]

LATITUDE, LONGITUDE, HEIGHT, ANTENNA = 53.3, -6.2, 60.0, 1.6
TO_ECEF = Transformer.from_crs("EPSG:4979", "EPSG:4978", always_xy=True)
BASIC = "Basic " + b64encode(b"crew:secret").decode()


def openstake(*arguments):
    return processes.Popen(["standin", *map(str, arguments)], stdout=processes.PIPE, stderr=processes.PIPE, text=True)


def free_port():
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return probe.getsockname()[1]


@pytest.fixture(scope="module")
def field():
    caster_port, rover_port = free_port(), free_port()
    address = f"127.0.0.1:{caster_port}"
    caster = openstake("caster", "--port", caster_port, "--user", "crew", "--password", "secret")
    caster.stdout.readline()
    base = openstake(
        "base",
        "--caster",
        address,
        "--mount",
        "PRACTICE",
        "--password",
        "secret",
        "--latitude",
        LATITUDE,
        "--longitude",
        LONGITUDE,
        "--height",
        f"{HEIGHT}m",
        "--antenna-height",
        "1600 mm",
        "--station-id",
        321,
        "--seed",
        5,
        "--speed",
        10,
    )
    rover = openstake(
        "rover",
        "--caster",
        address,
        "--mount",
        "PRACTICE",
        "--user",
        "crew",
        "--password",
        "secret",
        "--port",
        rover_port,
        "--seed",
        6,
        "--speed",
        10,
    )
    rover.stdout.readline()
    # Its row says where it is once its first station message has come.
    wait_for(lambda: b";53.30;-6.20;" in table(caster_port), 20)
    yield caster_port, rover_port
    for process in (rover, base, caster):
        process.send_signal(signal.SIGTERM)
    for process in (rover, base, caster):
        assert process.wait(5) == 0
        assert "Traceback" not in process.stderr.read()


def exchange(port, request, until=None, seconds=5.0):
    """Send a request and return what comes, until a mark is seen or time is up."""
    with socket.create_connection(("127.0.0.1", port), timeout=seconds) as connection:
        connection.sendall(request)
        data, end = b"", time.monotonic() + seconds
        while time.monotonic() < end and not (until and until in data):
            try:
                piece = connection.recv(65536)
            except TimeoutError:
                break
            if not piece:
                break
            data += piece
        return data


def table(port):
    return exchange(port, b"GET / HTTP/1.0\r\nUser-Agent: NTRIP test\r\n\r\n")


def test_version_1_replies(field):
    port, _ = field
    head = b"User-Agent: NTRIP test\r\n"
    listing = table(port)
    assert listing.startswith(b"SOURCETABLE 200 OK\r\n") and listing.endswith(b"ENDSOURCETABLE\r\n")
    row = next(line for line in listing.decode().splitlines() if line.startswith("STR;")).split(";")
    assert len(row) == 19  # RTCM 10410.1: 19 fields of an STR row, the last for remarks
    assert (row[1], row[9], row[10]) == ("PRACTICE", "53.30", "-6.20")
    assert "1074(1)" in row[4] and row[6] == "GPS+GLO+GAL+BDS"
    good = b"GET /PRACTICE HTTP/1.0\r\n" + head + b"Authorization: " + BASIC.encode() + b"\r\n\r\n"
    assert exchange(port, good, until=b"\xd3").startswith(b"ICY 200 OK\r\n")
    assert exchange(port, b"GET /NOWHERE HTTP/1.0\r\n" + head + b"\r\n").startswith(b"SOURCETABLE 200 OK")
    refused = exchange(port, b"GET /PRACTICE HTTP/1.0\r\n" + head + b"\r\n")
    assert b" 401 " in refused and b"WWW-Authenticate: Basic" in refused
    assert exchange(port, b"SOURCE wrong /NEW\r\nSource-Agent: NTRIP t\r\n\r\n").startswith(b"ERROR - Bad Password")
    assert exchange(port, b"SOURCE secret /PRACTICE\r\nSource-Agent: NTRIP t\r\n\r\n").startswith(b"ERROR")
    assert exchange(port, b"\x16\x03\x01nonsense\r\n\r\n").startswith(b"HTTP/1.1 400")


def test_version_2_replies_by_the_standard_library(field):
    port, _ = field
    version = {"Ntrip-Version": "Ntrip/2.0", "User-Agent": "NTRIP test"}

    def get(path, **headers):
        connection = http.client.HTTPConnection("127.0.0.1", port, timeout=5)
        connection.request("GET", path, headers=version | headers)
        return connection.getresponse()

    listing = get("/")
    assert (listing.status, listing.getheader("Content-Type")) == (200, "gnss/sourcetable")
    assert b"ENDSOURCETABLE" in listing.read()
    stream = get("/PRACTICE", Authorization=BASIC)
    assert (stream.status, stream.getheader("Content-Type")) == (200, "gnss/data")
    assert stream.getheader("Transfer-Encoding") == "chunked"
    assert stream.getheader("Ntrip-Version") == "Ntrip/2.0" and "Ntrip-Flags" in stream.headers
    assert stream.read(3)[0] == 0xD3
    refused = get("/PRACTICE", Authorization="Basic " + b64encode(b"crew:wrong").decode())
    assert refused.status == 401 and refused.getheader("WWW-Authenticate").startswith("Basic")
    assert get("/NOWHERE", Authorization=BASIC).status == get("/NOWHERE").status == 404


def test_a_version_2_push_is_taken_and_read_back(field):
    port, _ = field
    with socket.create_connection(("127.0.0.1", port), timeout=5) as push:
        head = "POST /PUSHED HTTP/1.1\r\nHost: x\r\nNtrip-Version: Ntrip/2.0\r\nTransfer-Encoding: chunked\r\n"
        push.sendall(f"{head}Authorization: {BASIC}\r\n\r\n".encode())
        assert b"200 OK" in push.recv(4096)
        wanted = f"GET /PUSHED HTTP/1.0\r\nUser-Agent: NTRIP t\r\nAuthorization: {BASIC}\r\n\r\n".encode()
        received = Queue()
        reader = threading.Thread(target=lambda: received.put(exchange(port, wanted, until=b"hello base")))
        reader.start()
        for _ in range(20):
            push.sendall(b"5\r\nhello\r\n5\r\n base\r\n")
            time.sleep(0.1)
        reader.join(5)
        assert b"hello base" in received.get(timeout=1)
        bad = head.replace("PUSHED", "OTHER") + "\r\n"
        assert b" 401 " in exchange(port, bad.encode())
    wait_for(lambda: b"STR;PUSHED" not in table(port), 5)


@pytest.mark.parametrize("version", ["1.0", "2.0"])
def test_an_independent_client_reads_the_caster(field, version):
    port, _ = field
    stop, received = threading.Event(), Queue()
    with GNSSNTRIPClient() as client:
        client.run(
            server="127.0.0.1",
            port=port,
            mountpoint="PRACTICE",
            version=version,
            ntripuser="crew",
            ntrippassword="secret",
            output=received,
            stopevent=stop,
        )
        # It loses frames at the start: types are looked for, not counts.
        seen, end = set(), time.monotonic() + 15
        while not {"1006", "1074", "1084", "1094", "1124"} <= seen and time.monotonic() < end:
            _, parsed = received.get(timeout=10)
            seen.add(parsed.identity)
        stop.set()
    assert {"1006", "1074", "1084", "1094", "1124"} <= seen


def test_a_second_independent_client_reads_table_and_stream_and_pushes(field):
    port, _ = field
    url = f"http://127.0.0.1:{port}"

    async def walk():
        table = await NtripStream().requestSourcetable(url)
        assert any(line.startswith("STR;PRACTICE") for line in table)
        reader = NtripStream()
        await reader.requestNtripStream(url, "PRACTICE", "crew", "secret")
        assert reader.ntripResponseStatusOk()
        frames = [(await asyncio.wait_for(reader.getRtcmFrame(), 10))[0].tobytes() for _ in range(6)]
        base = NtripStream()
        await base.requestNtripServer(url, "SECOND", None, "secret", 1)
        for frame in frames:
            await base.sendRtcmFrame(BitStream(frame))
        return frames

    frames = asyncio.run(walk())

    assert {RTCMReader.parse(frame).identity for frame in frames} >= {"1074", "1084", "1094", "1124"}


def capture(port, epochs):
    """Return what comes from the mountpoint until so many epochs of GPS have come."""
    wanted = f"GET /PRACTICE HTTP/1.0\r\nUser-Agent: NTRIP t\r\nAuthorization: {BASIC}\r\n\r\n".encode()
    with socket.create_connection(("127.0.0.1", port), timeout=60) as connection:
        connection.sendall(wanted)
        data, reader, seen = b"", FrameReader(), 0
        while seen < epochs:
            data += (piece := connection.recv(65536))
            seen += sum(frame.number == 1074 for frame in reader.feed(piece))
    return data.partition(b"\r\n\r\n")[2]


def test_every_frame_of_the_base_is_decoded_by_pyrtcm_to_what_was_typed(field, tmp_path):
    port, _ = field
    data = capture(port, 32)
    start = data.index(b"\xd3")
    place, messages = start, []
    while place + 3 <= len(data):
        size = ((data[place + 1] & 3) << 8 | data[place + 2]) + 6
        if place + size > len(data):
            break
        messages.append(RTCMReader.parse(data[place : place + size], labelmsm=0))  # raises on a bad checksum
        place += size
    kinds = [message.identity for message in messages]
    stations = [message for message in messages if message.identity == "1006"]
    expected = np.array(TO_ECEF.transform(LONGITUDE, LATITUDE, HEIGHT + ANTENNA))

    assert {"1006", "1008", "1033", "1230", "1074", "1084", "1094", "1124"} == set(kinds)
    for station in stations:
        assert pytest.approx(expected, abs=0.0001) == (station.DF025, station.DF026, station.DF027)
        assert (321, pytest.approx(ANTENNA)) == (station.DF003, station.DF028)
    # Observables at 1 Hz, the rest every 10 s: in 32 epochs three times, or a fourth time where one was sent anew.
    assert kinds.count("1074") >= 31 and 2 <= len(stations) <= 5
    assert all(message.NCell == 2 * message.NSat for message in messages if message.identity == "1094")
    # Ranges are those of medium orbits: 19 000 to 29 000 km seen from the ground.
    ranges_km = [
        (getattr(message, f"DF397_{n:02d}") + getattr(message, f"DF398_{n:02d}")) * 299.792458
        for message in messages
        if hasattr(message, "NSat")
        for n in range(1, message.NSat + 1)
    ]
    assert min(ranges_km) > 18_900 and max(ranges_km) < 29_500

    file = tmp_path / "capture.rtcm3"
    file.write_bytes(data)
    result = json.loads(processes.run(["stream", file, "--json"], capture_output=True, check=True).stdout)
    assert result["frames"] == len(messages) and result["bad_crc"] == 0
    assert {row["number"]: row["mean_interval_s"] for row in result["messages"]}[1074] == 1.0
    assert {row["number"]: row["mean_interval_s"] for row in result["messages"]}[1006] == 10.0
    assert result["stations"][0]["height_m"] == pytest.approx(HEIGHT + ANTENNA, abs=0.0002)
    assert result["findings"] == []


def nmea_lines(port, quality, count):
    """Return what a rover says until it has had a GGA quality so many times."""
    data = b""
    wanted = re.compile(rb"GGA,[^\r\n]*,[EW],%d,[^\r\n]*\r\n" % quality)
    with socket.create_connection(("127.0.0.1", port), timeout=60) as connection:
        while len(wanted.findall(data)) < count:
            data += connection.recv(65536)
    return data.decode().splitlines()[1:]


def test_the_rover_speaks_nmea_of_a_point_100_m_north(field):
    _, port = field
    lines = nmea_lines(port, 4, 5)
    parsed = [pynmea2.parse(line, check=True) for line in lines]
    kinds = {re.sub(r"^..", "", line[1:6]) for line in lines}
    fixes = [sentence for sentence in parsed if sentence.sentence_type == "GGA" and sentence.gps_qual == 4]

    assert {"GGA", "GST", "GSA", "GSV", "RMC"} <= kinds
    assert fixes, [sentence.gps_qual for sentence in parsed if sentence.sentence_type == "GGA"]
    arp = np.array(TO_ECEF.transform(LONGITUDE, LATITUDE, HEIGHT + ANTENNA))
    fix = fixes[-1]
    rover = np.array(TO_ECEF.transform(fix.longitude, fix.latitude, fix.altitude + float(fix.geo_sep)))
    lat, lon = np.radians([LATITUDE, LONGITUDE])
    north = np.array([-np.sin(lat) * np.cos(lon), -np.sin(lat) * np.sin(lon), np.cos(lat)])
    # 4 mm and 7 mm one sigma at a PDOP of 1.5, correlated: half a decimetre is far outside.
    assert np.linalg.norm(rover - arp - 100.0 * north) < 0.05
    assert int(fix.ref_station_id) == 321
    written = next(line for line in lines if "GGA" in line and ",4," in line).split(",")
    assert len(written[2].split(".")[1]) == 7, "seven decimals of a minute"


def test_what_was_typed_wrongly_shows_in_the_rover_s_output(tmp_path):
    """The world is the truth: typed 0.250 m too high, the rover comes out 0.250 m too high; without frames it falls back."""
    caster_port, rover_port = free_port(), free_port()
    world = tmp_path / "world.json"
    mark = {"latitude_deg": LATITUDE, "longitude_deg": LONGITUDE, "height_m": HEIGHT}
    world.write_text(
        json.dumps({"base": mark | {"arp_height_m": 1.6}, "rover": mark | {"latitude_deg": LATITUDE + 0.001, "pole_height_m": 2.0}})
    )
    common = ["--world", world, "--speed", 20]
    address = f"127.0.0.1:{caster_port}"
    caster = openstake("caster", "--port", caster_port, "--user", "u", "--password", "w")
    caster.stdout.readline()
    base = openstake(
        "base",
        "--caster",
        address,
        "--mount",
        "M",
        "--password",
        "w",
        "--latitude",
        LATITUDE,
        "--longitude",
        LONGITUDE,
        "--height",
        HEIGHT,
        "--antenna-height",
        1.85,
        "--station-id",
        7,
        *common,
    )
    rover = openstake("rover", "--caster", address, "--mount", "M", "--user", "u", "--password", "w", "--port", rover_port, *common)
    try:
        rover.stdout.readline()
        seen = [pynmea2.parse(line) for line in nmea_lines(rover_port, 4, 5)]
        qualities = [sentence.gps_qual for sentence in seen if sentence.sentence_type == "GGA"]
        first_seen = list(dict.fromkeys(qualities))
        assert first_seen in ([0, 1, 5, 4], [1, 5, 4], [5, 4]), first_seen
        fix = [sentence for sentence in seen if sentence.sentence_type == "GGA"][-1]
        assert fix.altitude + float(fix.geo_sep) == pytest.approx(HEIGHT + 2.0 + 0.25, abs=0.05)
        assert (fix.latitude, fix.longitude) == pytest.approx((LATITUDE + 0.001, LONGITUDE), abs=1e-6)

        base.terminate()
        after = [pynmea2.parse(line) for line in nmea_lines(rover_port, 1, 2)]
        fallen = list(dict.fromkeys(s.gps_qual for s in after if s.sentence_type == "GGA"))
        assert fallen == [4, 5, 1], "fixed falls to float, then single, when frames stop"
    finally:
        for process in (rover, base, caster):
            process.terminate()
            process.wait(5)


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (["--station-id", "4096"], "0 to 4095"),
        (["--latitude", "95"], "between -90 and 90"),
        (["--antenna-height", "7 m"], "6.5535"),
        (["--height", "60 furlongs"], "not a unit"),
        (["--world", "/nowhere.json"], "cannot be read"),
        (["--caster", "nowhere"], "HOST:PORT"),
    ],
)
def test_a_wrong_argument_is_a_sentence(arguments, words):
    usual = {
        "--caster": "127.0.0.1:1",
        "--mount": "M",
        "--password": "w",
        "--latitude": "53",
        "--longitude": "-6",
        "--height": "60",
        "--antenna-height": "1.6",
        "--station-id": "1",
    } | dict([arguments])
    process = openstake("base", *[item for pair in usual.items() for item in pair])

    _, problem = process.communicate(timeout=20)

    assert process.returncode == 2
    assert words in problem and "Traceback" not in problem
